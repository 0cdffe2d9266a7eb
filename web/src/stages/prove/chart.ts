import type { Schema } from '@/api/client'

export type ChartData = Schema['Chart']

/** A thing on the chart, where it lies (-1 to 1 each way). */
export interface Thing {
  kind: 'document' | 'question'
  index: number
  x: number
  y: number
  label: string
}

/** What of the plane is seen: its middle, and how many times it is enlarged. */
export interface Sight {
  x: number
  y: number
  zoom: number
}

export const whole: Sight = { x: 0, y: 0, zoom: 1 }

/** All that is drawn: documents first, so that questions lie on top. Only what holds the words is kept. */
export function thingsOf(c: ChartData, words = ''): Thing[] {
  const w = words.trim().toLowerCase()
  const has = (...s: string[]): boolean => w === '' || s.some((x) => x.toLowerCase().includes(w))
  const out: Thing[] = []
  c.documents.forEach((d, index) => {
    if (has(d.title, d.address))
      out.push({ kind: 'document', index, x: d.at.x, y: d.at.y, label: d.title || d.address })
  })
  c.questions.forEach((q, index) => {
    if (has(q.question)) out.push({ kind: 'question', index, x: q.at.x, y: q.at.y, label: q.question })
  })
  return out
}

/** Half the width of a document's sign in pixels: its area goes with its words. */
export const reach = (words: number): number => Math.max(3, Math.min(14, Math.sqrt(words) / 4))

/** Where a place of the plane is in a picture of some size, in pixels. */
export function onScreen(p: { x: number; y: number }, s: Sight, width: number, height: number): [number, number] {
  const half = (Math.min(width, height) / 2) * 0.92 * s.zoom
  return [width / 2 + (p.x - s.x) * half, height / 2 + (p.y - s.y) * half]
}

/** The thing under the pointer, the topmost within its reach; undefined for none. */
export function under(
  ts: readonly Thing[],
  c: ChartData,
  s: Sight,
  size: [number, number],
  at: [number, number],
): Thing | undefined {
  for (let i = ts.length - 1; i >= 0; i--) {
    const t = ts[i] as Thing
    const [x, y] = onScreen(t, s, ...size)
    const r = t.kind === 'document' ? reach(c.documents[t.index]?.words ?? 0) : 6
    if (Math.hypot(x - at[0], y - at[1]) <= r + 2) return t
  }
  return undefined
}

/** The thing that lies next in a direction: near, and not far off the line; undefined when nothing lies there. */
export function next(ts: readonly Thing[], from: Thing | undefined, dx: number, dy: number): Thing | undefined {
  if (from === undefined) return ts[0]
  let best: Thing | undefined
  let least = Infinity
  for (const t of ts) {
    const along = (t.x - from.x) * dx + (t.y - from.y) * dy
    if (t === from || along <= 1e-6) continue
    const off = Math.abs((t.x - from.x) * dy - (t.y - from.y) * dx)
    const cost = along + 2 * off
    if (cost < least) [best, least] = [t, cost]
  }
  return best
}

/** Lines of equal density of the documents, as a chart has lines of equal depth: pairs of points of the plane, by level. */
export function contours(
  ps: readonly { x: number; y: number }[],
  levels: readonly number[],
  n = 72,
): [number, number, number, number][][] {
  const reach = 1.15
  const step = (2 * reach) / n
  const grid = new Float64Array((n + 1) * (n + 1))
  const wide = 0.075
  const cells = Math.ceil((3 * wide) / step)
  for (const p of ps) {
    const ci = Math.round((p.x + reach) / step)
    const cj = Math.round((p.y + reach) / step)
    for (let j = Math.max(0, cj - cells); j <= Math.min(n, cj + cells); j++)
      for (let i = Math.max(0, ci - cells); i <= Math.min(n, ci + cells); i++) {
        const dx = i * step - reach - p.x
        const dy = j * step - reach - p.y
        const k = j * (n + 1) + i
        grid[k] = (grid[k] ?? 0) + Math.exp(-(dx * dx + dy * dy) / (2 * wide * wide))
      }
  }
  let most = 0
  for (const v of grid) most = Math.max(most, v)
  return levels.map((level) => {
    const cut = level * most
    const out: [number, number, number, number][] = []
    for (let j = 0; j < n; j++)
      for (let i = 0; i < n; i++) {
        const at = (di: number, dj: number): number => grid[(j + dj) * (n + 1) + i + di] ?? 0
        const cross: [number, number][] = []
        const edge = (ai: number, aj: number, bi: number, bj: number): void => {
          const a = at(ai, aj)
          const b = at(bi, bj)
          if (a < cut === b < cut) return
          const t = (cut - a) / (b - a)
          cross.push([(i + ai + t * (bi - ai)) * step - reach, (j + aj + t * (bj - aj)) * step - reach])
        }
        edge(0, 0, 1, 0)
        edge(1, 0, 1, 1)
        edge(1, 1, 0, 1)
        edge(0, 1, 0, 0)
        for (let k = 0; k + 1 < cross.length; k += 2) {
          const [a, b] = [cross[k], cross[k + 1]] as [[number, number], [number, number]]
          out.push([...a, ...b])
        }
      }
    return out
  })
}

/** Questions near which nothing lies: several by the words that they share, one as it was asked. */
export function gapWords(
  g: { questions: number[]; about: string[] },
  questions: readonly { question: string }[],
): string {
  const n = g.questions.length
  if (n === 1) return questions[g.questions[0] ?? 0]?.question ?? ''
  return `${n} questions about ${g.about.map((w) => `“${w}”`).join(', ')}`
}
