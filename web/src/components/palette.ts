/** One thing that the palette can find, and what choosing it does. */
export interface Entry {
  kind: string
  label: string
  more: string
  act: () => void
}

/** The entries whose words begin with, or hold, every word asked for; best first. No words: stages and actions. */
export function matches(entries: Entry[], asked: string, most: number): Entry[] {
  const want = asked
    .toLowerCase()
    .split(/\s+/)
    .filter((w) => w !== '')
  if (want.length === 0) return entries.filter((e) => e.kind === 'Stage' || e.kind === 'Action').slice(0, most)
  const scored: { e: Entry; score: number; i: number }[] = []
  entries.forEach((e, i) => {
    const label = e.label.toLowerCase()
    const rest = `${e.kind} ${e.more}`.toLowerCase()
    let score = 0
    for (const w of want) {
      if (label.startsWith(w)) score += 4
      else if (new RegExp(`[^\\p{L}\\p{N}]${escaped(w)}`, 'u').test(label)) score += 3
      else if (label.includes(w)) score += 2
      else if (rest.includes(w)) score += 1
      else return
    }
    scored.push({ e, score: score / want.length - label.length / 10_000, i })
  })
  return scored
    .sort((a, b) => b.score - a.score || a.i - b.i)
    .slice(0, most)
    .map((s) => s.e)
}

function escaped(s: string): string {
  return s.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
}
