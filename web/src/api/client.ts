import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schema = components['schemas']
export type Corpus = Schema['Corpus']
export type Job = Schema['Job']
export type DocumentRow = Schema['Document']
export type OpenDocument = Schema['OpenDocument']
export type Reply = Schema['Reply']
export type Evidence = Schema['Evidence']
export type Method = Schema['Method']
export type Field = Schema['MethodField']
export type Preview = Schema['Preview']
export type Layer = Schema['Layer']
export type Expected = Schema['Expected']
export type Figures = Schema['Figures']
export type Source = Schema['Source']
export type ChunkSettings = Method['chunk']
export type FindSettings = Method['find']
export type QuerySettings = Method['query']
export type Signal = Schema['FindSignal']
export type Placed = Schema['Placed']
export type Study = Schema['Study']
export type Variant = Schema['Variant']
export type Asking = Schema['Asking']
export type Run = Schema['Run']
export type RunReport = Schema['RunReport']

export const api = createClient<paths>({ baseUrl: '/', fetch: (r) => globalThis.fetch(r) })

/** A failure as the interface tells it: what happened, in words. */
export class Problem extends Error {}

interface ProblemBody {
  detail?: string
  title?: string
  errors?: { message?: string; location?: string }[] | null
}

let signedOut: () => void = () => undefined

/** Says what is done when the server no longer knows who asks. */
export function onSignedOut(f: () => void): void {
  signedOut = f
}

/** Unwraps a reply of the API; throws a Problem with its words when it failed. */
export async function ok<T>(call: Promise<{ data?: T; error?: ProblemBody; response?: Response }>): Promise<T> {
  let r: { data?: T; error?: ProblemBody; response?: Response }
  try {
    r = await call
  } catch {
    throw new Problem('No connection to the program')
  }
  if (r.error !== undefined) {
    if (r.response?.status === 401) signedOut()
    const more = (r.error.errors ?? []).map((e) => `${e.location ?? ''} ${e.message ?? ''}`.trim())
    throw new Problem([r.error.detail ?? r.error.title ?? 'It failed', ...more].join('; '))
  }
  return r.data as T
}
