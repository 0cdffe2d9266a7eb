import { describe, expect, it } from 'vitest'
import { beyond, cells, columns, editOf, freshId, paste, type GridColumn } from './grid'
import type { Question } from './store'

const q: Question = {
  id: 'a',
  question: 'How much?',
  expect: [
    { kind: 'gives', values: ['£4.50', '£5.00'], within: 0.5 },
    { kind: 'cites', values: ['/fares'] },
    { kind: 'short', values: ['30'] },
  ],
}
const col = (key: string): GridColumn => columns.find((c) => c.key === key) as GridColumn

describe('the grid of questions', () => {
  it('shows and takes alternatives in one cell, and keeps what it has no cell for', () => {
    expect(col('gives').read(q)).toBe('£4.50 | £5.00')
    const more = col('gives').write(q, ' £6.00 | ')
    expect(more.expect).toEqual([{ kind: 'gives', values: ['£6.00'], within: 0.5 }, q.expect[1], q.expect[2]])
    expect(col('gives').write(q, '').expect).toEqual([q.expect[1], q.expect[2]])
    expect(col('mentions').write(q, 'each way').expect).toContainEqual({ kind: 'mentions', values: ['each way'] })
    expect(beyond(q)).toBe(1)
  })

  it('sets how a reply ends', () => {
    const refused = col('outcome').write(q, 'Refuses')
    expect(col('outcome').read(refused)).toBe('refuses')
    expect(col('outcome').read(col('outcome').write(refused, ''))).toBe('')
    expect(col('outcome').write(refused, 'perhaps').expect).toEqual(q.expect)
  })

  it('reads what a spreadsheet copies', () => {
    expect(cells('a\tb\nc\t"d ""e""\nf\tg"\n')).toEqual([
      ['a', 'b'],
      ['c', 'd "e"\nf\tg'],
    ])
    expect(cells('alone')).toEqual([['alone']])
  })

  it('pastes over rows and beyond them', () => {
    const out = paste([q], 0, 0, [
      ['When?', 'at noon'],
      ['Who?', 'the mate', '', '/crew', '', '', 'staff; crew'],
    ])
    expect(out).toHaveLength(2)
    expect(out[0]?.question).toBe('When?')
    expect(out[1]).toMatchObject({ id: 'q2', question: 'Who?', tags: ['staff', 'crew'] })
    expect(out[1]?.expect).toEqual([
      { kind: 'mentions', values: ['the mate'] },
      { kind: 'cites', values: ['/crew'] },
    ])
  })

  it('finds an id that is free', () => {
    expect(freshId(new Set(['q2', 'x']))).toBe('q3')
    expect(freshId(new Set())).toBe('q1')
  })

  it('tells a change of the sheet by what changed alone', () => {
    const [a, b, c] = ['a', 'b', 'c'].map((id) => ({ ...q, id })) as [Question, Question, Question]
    const d = { ...q, id: 'd' }
    const other = { ...b, question: 'Other?' }
    expect(editOf([a, b, c], [a, b, c])).toEqual({})
    expect(editOf([a, b, c], [a, other, c, d])).toEqual({ put: [other, d] })
    expect(editOf([a, b, c], [a, c])).toEqual({ drop: ['b'] })
    expect(editOf([a, b, c], [c, a, b])).toEqual({ order: ['c', 'a', 'b'] })
    expect(editOf([a, c], [a, b, c]), 'brought back in its place').toEqual({ put: [b], order: ['a', 'b', 'c'] })
  })
})
