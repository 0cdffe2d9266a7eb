import type { Kind } from '@/api/names'
import type { Expectation, Question } from './store'

/** A column of the grid: what it shows of a question, and what a new text makes of it. */
export interface GridColumn {
  key: string
  label: string
  width: string
  read: (q: Question) => string
  write: (q: Question, text: string) => Question
}

const split = (s: string, between: string | RegExp): string[] =>
  s
    .split(between)
    .map((v) => v.trim())
    .filter((v) => v !== '')

const first = (q: Question, kind: Kind): Expectation | undefined => q.expect.find((e) => e.kind === kind)

/** Puts values in place of those of the first expectation of a kind; without values it goes. */
function put(q: Question, kind: Kind, values: string[]): Question {
  const at = q.expect.findIndex((e) => e.kind === kind)
  if (values.length === 0) return { ...q, expect: q.expect.filter((_, i) => i !== at) }
  if (at < 0) return { ...q, expect: [...q.expect, { kind, values }] }
  return { ...q, expect: q.expect.map((e, i) => (i === at ? { ...e, values } : e)) }
}

function values(kind: Kind, label: string, width: string): GridColumn {
  return {
    key: kind,
    label,
    width,
    read: (q) => (first(q, kind)?.values ?? []).join(' | '),
    write: (q, text) => put(q, kind, split(text, '|')),
  }
}

const outcomes: Record<string, Kind> = { refuses: 'refuses', 'asks back': 'asksBack', 'hands over': 'handsOver' }

/** How the reply is to end; empty for an answer. */
const outcome: GridColumn = {
  key: 'outcome',
  label: 'Outcome',
  width: '100px',
  read: (q) => Object.keys(outcomes).find((o) => first(q, outcomes[o] as Kind)) ?? '',
  write: (q, text) => {
    const rest = q.expect.filter((e) => !Object.values(outcomes).includes(e.kind))
    const kind = outcomes[text.trim().toLowerCase()]
    return { ...q, expect: kind === undefined ? rest : [...rest, { kind }] }
  },
}

export const columns: GridColumn[] = [
  {
    key: 'question',
    label: 'Question',
    width: '34%',
    read: (q) => q.question,
    write: (q, text) => ({ ...q, question: text.trim() }),
  },
  values('mentions', 'Says', '16%'),
  values('gives', 'Gives', '11%'),
  values('cites', 'Cites', '13%'),
  values('notMentions', 'Does not say', '11%'),
  outcome,
  {
    key: 'tags',
    label: 'Tags',
    width: '10%',
    read: (q) => (q.tags ?? []).join(', '),
    write: (q, text) => ({ ...q, tags: split(text, /[,;]/) }),
  },
]

const inGrid: string[] = ['mentions', 'gives', 'cites', 'notMentions', ...Object.values(outcomes)]

/** How many expectations the grid has no cell for. */
export function beyond(q: Question): number {
  const seen = new Set<string>()
  let n = (q.script ?? []).length + (q.turns ?? []).length
  for (const e of q.expect) {
    if (!inGrid.includes(e.kind) || seen.has(e.kind)) n++
    seen.add(e.kind)
  }
  return n
}

/** A table as spreadsheets copy it: rows by line, cells by tab; a cell in quotation marks may hold both. */
export function cells(pasted: string): string[][] {
  const out: string[][] = [['']]
  let quoted = false
  const text = pasted.replace(/\r\n?/g, '\n').replace(/\n$/, '')
  for (let i = 0; i < text.length; i++) {
    const c = text[i] as string
    const row = out[out.length - 1] as string[]
    const last = row.length - 1
    if (quoted) {
      if (c === '"' && text[i + 1] === '"') {
        row[last] += '"'
        i++
      } else if (c === '"') quoted = false
      else row[last] += c
    } else if (c === '"' && row[last] === '') quoted = true
    else if (c === '\t') row.push('')
    else if (c === '\n') out.push([''])
    else row[last] += c
  }
  return out
}

/** Whether a row holds nothing yet: it is kept on the sheet, and not saved. */
export const blank = (q: Question): boolean =>
  q.question.trim() === '' && q.expect.length === 0 && (q.tags ?? []).length === 0 && (q.script ?? []).length === 0

/** An id that no question has yet. */
export function freshId(taken: Set<string>): string {
  let n = taken.size + 1
  while (taken.has(`q${n}`)) n++
  return `q${n}`
}

/** Puts a pasted table into the questions from a cell on; rows beyond the last are new questions. */
export function paste(list: Question[], row: number, column: number, table: string[][]): Question[] {
  const out = [...list]
  const ids = new Set(list.map((q) => q.id))
  table.forEach((line, r) => {
    const at = row + r
    if (at >= out.length) {
      const id = freshId(ids)
      ids.add(id)
      out.push({ id, question: '', expect: [] })
    }
    const i = Math.min(at, out.length - 1)
    line.forEach((text, c) => {
      const col = columns[column + c]
      const q = out[i]
      if (col !== undefined && q !== undefined) out[i] = col.write(q, text)
    })
  })
  return out
}

/** What turns a kept set into the sheet: changed and new questions, those that went, and the order when it is another. */
export function editOf(
  kept: readonly Question[],
  now: readonly Question[],
): { put?: Question[]; drop?: string[]; order?: string[] } {
  const was = new Map(kept.map((q) => [q.id, q]))
  const ids = new Set(now.map((q) => q.id))
  const put = now.filter((q) => was.get(q.id) !== q)
  const drop = kept.filter((q) => !ids.has(q.id)).map((q) => q.id)
  const stays = kept.filter((q) => ids.has(q.id)).map((q) => q.id)
  const then = [...stays, ...put.filter((q) => !was.has(q.id)).map((q) => q.id)]
  const order = now.some((q, i) => q.id !== then[i]) ? now.map((q) => q.id) : undefined
  return {
    ...(put.length > 0 ? { put } : {}),
    ...(drop.length > 0 ? { drop } : {}),
    ...(order !== undefined ? { order } : {}),
  }
}
