import type { Reply, Schema } from './client'
import vocabulary from './vocabulary.json'

// What things are called comes from the server's own tables; this only looks labels up. The file beside it is written by `make api`.

function labels<K extends string>(of: { name: string; label: string }[]): Record<K, string> {
  return Object.fromEntries(of.map((x) => [x.name, x.label])) as Record<K, string>
}

export type Kind = Schema['QuestionsExpectation']['kind']

/** The kinds of expectation in the order in which they are offered, with what stands in their values. */
export const kinds = vocabulary.kinds as { name: Kind; label: string; values: string }[]
export const kindNames = labels<Kind>(vocabulary.kinds)
export const causeNames = labels<Schema['DiagnoseDiagnosis']['cause']>(vocabulary.causes)
export const signalNames = labels<Schema['FindSignal']['name']>(vocabulary.signals)
export const passNames: Record<string, string> = labels(vocabulary.passes)
export const outcomeNames: Record<string, string> = labels(vocabulary.outcomes)

export const outcomeOf = (r: Reply): string => outcomeNames[r.trail?.outcome ?? ''] ?? ''

/** How alike in meaning a message must be to a house rule's examples when the rule says nothing else. */
export const usualNearness = vocabulary.nearness
