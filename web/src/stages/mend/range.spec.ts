import { describe, expect, it } from 'vitest'
import { barsOf, dayKey, rangeOf } from './range'

const now = new Date(2026, 2, 15, 23, 30)

describe('rangeOf', () => {
  it('begins and ends at midnight of the viewer, today included', () => {
    const r = rangeOf('today', now)
    expect([dayKey(r.from), dayKey(r.to), r.days]).toEqual(['2026-03-15', '2026-03-16', 1])
    const w = rangeOf('7', now)
    expect([dayKey(w.from), dayKey(w.to), w.days]).toEqual(['2026-03-09', '2026-03-16', 7])
    expect(dayKey(rangeOf('yesterday', now).from)).toBe('2026-03-14')
  })
  it('reads a day, and takes nonsense for today', () => {
    expect(dayKey(rangeOf('2025-12-31', now).to)).toBe('2026-01-01')
    expect(dayKey(rangeOf('soon', now).from)).toBe('2026-03-15')
  })
})

describe('barsOf', () => {
  it('counts by hour of the viewer for a day', () => {
    const at = new Date(2026, 2, 15, 9, 20)
    const bars = barsOf(
      [
        { start: at.toISOString(), outcome: 'answered', count: 3, wrong: 1 },
        { start: at.toISOString(), outcome: 'refused', count: 2, wrong: 0 },
        { start: at.toISOString(), outcome: 'courtesy', count: 1, wrong: 0 },
        { start: new Date(2026, 2, 16, 9).toISOString(), outcome: 'answered', count: 9, wrong: 0 },
      ],
      rangeOf('today', now),
    )
    expect(bars).toHaveLength(24)
    expect(bars[9]).toMatchObject({ answered: 3, refused: 2, other: 1, wrong: 1, all: 6 })
    expect(bars.reduce((n, b) => n + b.all, 0)).toBe(6)
  })
  it('counts by day for more', () => {
    const bars = barsOf(
      [{ start: new Date(2026, 2, 9, 0, 10).toISOString(), outcome: 'answered', count: 4, wrong: 0 }],
      rangeOf('7', now),
    )
    expect(bars.map((b) => b.all)).toEqual([4, 0, 0, 0, 0, 0, 0])
  })
})
