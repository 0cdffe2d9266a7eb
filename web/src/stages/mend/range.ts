/** A stretch of time in the viewer's own zone: whole days, the last one included. */
export interface Range {
  from: Date
  /** The first moment that is no longer meant. */
  to: Date
  days: number
}

export const ranges = [
  { key: 'today', label: 'Today' },
  { key: 'yesterday', label: 'Yesterday' },
  { key: '7', label: 'Last 7 days' },
  { key: '30', label: 'Last 30 days' },
  { key: '365', label: 'Last year' },
] as const

const dayStart = (d: Date, plus = 0): Date => new Date(d.getFullYear(), d.getMonth(), d.getDate() + plus)

/** The range of a key: one of those above, or a day as 2026-03-01. What cannot be read is today. */
export function rangeOf(key: string, now: Date): Range {
  const today = dayStart(now)
  const day = /^(\d{4})-(\d\d)-(\d\d)$/.exec(key)
  if (day !== null) {
    const from = new Date(Number(day[1]), Number(day[2]) - 1, Number(day[3]))
    return { from, to: dayStart(from, 1), days: 1 }
  }
  if (key === 'yesterday') return { from: dayStart(today, -1), to: today, days: 1 }
  const days = /^\d+$/.test(key) ? Number(key) : 1
  return { from: dayStart(today, 1 - days), to: dayStart(today, 1), days }
}

/** The key of a day. */
export function dayKey(d: Date): string {
  const two = (n: number): string => String(n).padStart(2, '0')
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())}`
}

/** A moment as the log's filter wants it. */
export const stamp = (d: Date): string => d.toISOString()

export interface Bucket {
  start: string
  outcome: string
  count: number
  wrong: number
}

export interface Bar {
  from: Date
  answered: number
  refused: number
  other: number
  wrong: number
  all: number
}

/** Counts by hour for one day, by day for more, in the viewer's zone; hours and days without a question are there, too. */
export function barsOf(buckets: Bucket[], r: Range): Bar[] {
  const out: Bar[] = []
  const n = r.days === 1 ? 24 : r.days
  for (let i = 0; i < n; i++) {
    const from =
      r.days === 1 ? new Date(r.from.getFullYear(), r.from.getMonth(), r.from.getDate(), i) : dayStart(r.from, i)
    out.push({ from, answered: 0, refused: 0, other: 0, wrong: 0, all: 0 })
  }
  for (const b of buckets) {
    const at = new Date(b.start)
    const i = r.days === 1 ? at.getHours() : Math.round((dayStart(at).getTime() - r.from.getTime()) / 86_400_000)
    const bar = out[i]
    if (bar === undefined || at < r.from || at >= r.to) continue
    const part = b.outcome === 'answered' || b.outcome === 'refused' ? b.outcome : 'other'
    bar[part] += b.count
    bar.wrong += b.wrong
    bar.all += b.count
  }
  return out
}
