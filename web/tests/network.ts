import { flushPromises } from '@vue/test-utils'
import { vi } from 'vitest'

/** A call of the program's API, as a view made it. */
export interface Call {
  path: string
  query: string
  method: string
  /** What it sent as JSON; {} when that was nothing or something else. */
  body: Record<string, unknown>
  /** What it sent, as it was written. */
  text: string
}

let underWay = 0

function read(raw: string, type: string | null): Record<string, unknown> {
  return raw !== '' && (type ?? '').includes('json') ? (JSON.parse(raw) as Record<string, unknown>) : {}
}

/** A refusal, as the program words it. */
export function refusal(status: number, detail: string): Response {
  return new Response(JSON.stringify({ detail }), { status, headers: { 'Content-Type': 'application/problem+json' } })
}

/** Stands in for the program: what is answered is JSON, a response as it is; what is undefined is not there. Gives the calls as they come. */
export function answering(answer: (call: Call) => unknown): Call[] {
  const calls: Call[] = []
  vi.stubGlobal('fetch', async (r: Request) => {
    underWay++
    try {
      const url = new URL(r.url)
      const raw = r.method === 'GET' ? '' : await r.text()
      const call = {
        path: url.pathname,
        query: url.search,
        method: r.method,
        body: read(raw, r.headers.get('content-type')),
        text: raw,
      }
      calls.push(call)
      const value = answer(call)
      if (value instanceof Response) return value
      if (value === undefined) return refusal(404, `no ${call.path}`)
      return new Response(JSON.stringify(value), { headers: { 'Content-Type': 'application/json' } })
    } finally {
      underWay--
    }
  })
  return calls
}

/** The answer among several by the end of a call's path; a function makes its answer of the call. */
export function byEnd(answers: Record<string, unknown>, call: Call): unknown {
  const found = Object.entries(answers).find(([end]) => call.path.endsWith(end))
  return typeof found?.[1] === 'function'
    ? (found[1] as (body: unknown, method: string) => unknown)(call.body, call.method)
    : found?.[1]
}

/** Waits until every call has its answer and the view has taken it in, however slow the machine is. */
export async function settle(): Promise<void> {
  for (let quiet = 0; quiet < 12; quiet = underWay === 0 ? quiet + 1 : 0) await flushPromises()
}
