import { describe, expect, it } from 'vitest'
import { marked } from './differ'

const alone = (a: string, b: string): string[] =>
  marked(a, b)
    .filter((r) => !r.kept)
    .map((r) => r.text.trim())

describe('two replies side by side', () => {
  it('marks the words that the other does not have', () => {
    expect(alone('A dog costs £2.00 each way.', 'A dog costs £3.00 each way.')).toEqual(['£2.00'])
    expect(alone('Dogs pay. Cats are free.', 'Cats are free.')).toEqual(['Dogs pay.'])
    expect(alone('Cats are free.', 'Dogs pay. Cats are free.')).toEqual([])
  })
  it('marks all of a text that has nothing in common, and nothing of the same one', () => {
    expect(alone('one two', 'three')).toEqual(['one two'])
    expect(alone('one two', 'one two')).toEqual([])
    expect(
      marked('one two', 'one two')
        .map((r) => r.text)
        .join(''),
    ).toBe('one two')
  })
  it('keeps every word of the text', () => {
    const text = 'If we cancel a crossing, you may travel on the next one.'
    expect(
      marked(text, 'you may cancel')
        .map((r) => r.text)
        .join(''),
    ).toBe(text)
  })
})
