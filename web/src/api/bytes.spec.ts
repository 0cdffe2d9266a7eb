import { describe, expect, it } from 'vitest'
import { ByteText, pieces } from './bytes'

describe('ByteText', () => {
  it('cuts by bytes of UTF-8', () => {
    const b = new ByteText('£4 für Ärger')
    expect(b.length).toBe(15)
    expect(b.slice(0, 3)).toBe('£4')
    expect(b.slice(4, 8)).toBe('für')
    expect(b.slice(-5, 2)).toBe('£')
    expect(b.slice(9, 999)).toBe('Ärger')
  })
})

describe('pieces', () => {
  it('lights ranges and keeps every character', () => {
    const text = 'Café: £2 – dogs'
    const out = pieces(text, [
      { start: 0, end: 5 },
      { start: 7, end: 10 },
    ])
    expect(out.map((p) => p.text).join('')).toBe(text)
    expect(out.filter((p) => p.lit).map((p) => p.text)).toEqual(['Café', '£2'])
  })
  it('passes over ranges that overlap an earlier one', () => {
    const lit = pieces('abcdef', [
      { start: 0, end: 3 },
      { start: 2, end: 4 },
      { start: 4, end: 5 },
    ]).filter((p) => p.lit)
    expect(lit.map((p) => p.text)).toEqual(['abc', 'e'])
  })
  it('leaves a text without ranges whole', () => {
    expect(pieces('abc', [])).toEqual([{ text: 'abc', lit: false }])
    expect(pieces('', [])).toEqual([])
  })
})
