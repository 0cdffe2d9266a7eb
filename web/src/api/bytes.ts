const encoder = new TextEncoder()
const decoder = new TextDecoder()

/** A text whose parts are named by byte offsets in UTF-8, as the API names them. */
export class ByteText {
  private readonly bytes: Uint8Array

  constructor(text: string) {
    this.bytes = encoder.encode(text)
  }

  get length(): number {
    return this.bytes.length
  }

  slice(start: number, end: number): string {
    return decoder.decode(this.bytes.subarray(Math.max(0, start), Math.max(0, end)))
  }
}

export interface Range {
  start: number
  end: number
}

export interface Piece {
  text: string
  lit: boolean
}

/** Cuts a text into lit and plain pieces. Ranges are in bytes, in order, and do not overlap. */
export function pieces(text: string, ranges: Range[]): Piece[] {
  const b = new ByteText(text)
  const out: Piece[] = []
  let at = 0
  for (const r of ranges) {
    if (r.start < at) continue
    if (r.start > at) out.push({ text: b.slice(at, r.start), lit: false })
    out.push({ text: b.slice(r.start, r.end), lit: true })
    at = r.end
  }
  if (at < b.length) out.push({ text: b.slice(at, b.length), lit: false })
  return out
}
