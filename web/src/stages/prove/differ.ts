/** A run of words that both texts have, or one alone. */
export interface Run {
  text: string
  kept: boolean
}

/** The words of one text, marked where the other does not have them in that order: what a longest common subsequence leaves. */
export function marked(text: string, other: string): Run[] {
  const a = text.split(/(?<=\s)/)
  const b = other.split(/\s+/)
  const words = a.map((w) => w.trim())
  if (a.length * b.length > 250_000) return [{ text, kept: text === other }]
  const table: number[][] = Array.from({ length: a.length + 1 }, () => new Array<number>(b.length + 1).fill(0))
  const at = (i: number, j: number): number => table[i]?.[j] ?? 0
  for (let i = a.length - 1; i >= 0; i--) {
    for (let j = b.length - 1; j >= 0; j--) {
      const row = table[i] as number[]
      row[j] = words[i] === b[j] ? at(i + 1, j + 1) + 1 : Math.max(at(i + 1, j), at(i, j + 1))
    }
  }
  const out: Run[] = []
  const put = (piece: string, kept: boolean): void => {
    const last = out.at(-1)
    if (last?.kept === kept) last.text += piece
    else out.push({ text: piece, kept })
  }
  let j = 0
  a.forEach((piece, i) => {
    while (j < b.length && words[i] !== b[j] && at(i, j + 1) >= at(i + 1, j)) j++
    if (j < b.length && words[i] === b[j]) {
      put(piece, true)
      j++
    } else put(piece, false)
  })
  return out
}
