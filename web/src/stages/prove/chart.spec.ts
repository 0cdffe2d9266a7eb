import { describe, expect, it } from 'vitest'
import { contours, gapWords, next, onScreen, reach, thingsOf, under, whole, type ChartData, type Thing } from './chart'

const doc = (title: string, x: number, y: number, words = 400) => ({
  id: title,
  title,
  address: `http://x/${title.toLowerCase()}`,
  at: { x, y },
  words,
  cited: 0,
  tested: 0,
})
const chart: ChartData = {
  documents: [doc('Fares', -0.5, 0), doc('Wildlife', 0.5, 0, 6400), doc('Piers', 0, 0.6)],
  questions: [{ id: 'q', question: 'What does a kayak cost?', at: { x: -0.45, y: 0.02 }, mark: 'failed' }],
  regions: [],
  gaps: [],
  trustworthiness: 0.9,
  continuity: 0.9,
  run: 'r',
}

describe('the chart', () => {
  it('keeps what holds the words, questions on top', () => {
    expect(thingsOf(chart).map((t) => t.label)).toEqual(['Fares', 'Wildlife', 'Piers', 'What does a kayak cost?'])
    expect(thingsOf(chart, 'KAYAK').map((t) => t.kind)).toEqual(['question'])
    expect(thingsOf(chart, 'x/piers').map((t) => t.label)).toEqual(['Piers'])
  })

  it('puts the middle of what is seen into the middle of the picture, and enlarges about it', () => {
    expect(onScreen({ x: 0, y: 0 }, whole, 400, 200)).toEqual([200, 100])
    expect(onScreen({ x: 1, y: 0 }, whole, 400, 200)).toEqual([292, 100])
    expect(onScreen({ x: 0.5, y: 0 }, { x: 0.5, y: 0, zoom: 3 }, 400, 200)).toEqual([200, 100])
    expect(onScreen({ x: 1, y: 0 }, { x: 0.5, y: 0, zoom: 2 }, 400, 200)[0]).toBeCloseTo(292)
  })

  it('finds the topmost thing within its reach', () => {
    const ts = thingsOf(chart)
    const at = (t: { x: number; y: number }): [number, number] => onScreen(t, whole, 400, 400)
    expect(under(ts, chart, whole, [400, 400], at(ts[3] as Thing))?.kind).toBe('question')
    const [x, y] = at(ts[1] as Thing)
    expect(under(ts, chart, whole, [400, 400], [x + 12, y])?.label, 'a long document reaches far').toBe('Wildlife')
    expect(under(ts, chart, whole, [400, 400], [390, 390])).toBeUndefined()
    expect(reach(1)).toBe(3)
    expect(reach(1_000_000)).toBe(14)
  })

  it('moves to what lies next in a direction', () => {
    const ts = thingsOf(chart)
    const from = ts[0] as Thing
    expect(next(ts, undefined, 1, 0)?.label).toBe('Fares')
    expect(next(ts, from, 1, 0)?.kind).toBe('question')
    expect(next(ts, from, 0, 1)?.label).toBe('What does a kayak cost?')
    expect(next(ts, from, -1, 0), 'nothing lies further out').toBeUndefined()
  })

  it('draws closed lines of equal density around where documents lie', () => {
    const [low = [], high = []] = contours([{ x: 0, y: 0 }], [0.1, 0.6])
    const far = (lines: number[][]) => lines.flatMap(([ax, ay]) => Math.hypot(ax ?? 0, ay ?? 0))
    // a Gaussian of width 0.075 falls to a share s at 0.075 sqrt(-2 ln s)
    for (const d of far(low)) expect(d).toBeCloseTo(0.075 * Math.sqrt(-2 * Math.log(0.1)), 1)
    for (const d of far(high)) expect(d).toBeCloseTo(0.075 * Math.sqrt(-2 * Math.log(0.6)), 1)
    expect(low.length).toBeGreaterThan(high.length)
    expect(contours([], [0.5])).toEqual([[]])
  })

  it('says in words what is missing', () => {
    expect(gapWords({ questions: [1, 2], about: ['charter', 'plane'] }, chart.questions)).toBe(
      '2 questions about “charter”, “plane”',
    )
    expect(gapWords({ questions: [0], about: ['kayak'] }, chart.questions)).toBe('What does a kayak cost?')
  })
})
