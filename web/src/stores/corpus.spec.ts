import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Job } from '@/api/client'
import { useCorpus } from './corpus'

const figures = { id: 'c1', name: 'Ferries', documents: 3, failed: 1, chunks: 9, stale: false, states: {}, bar: 0.5 }

/** A stream of events that the test feeds. */
class FakeStream {
  static last: FakeStream
  onmessage?: (m: MessageEvent<string>) => void
  onopen?: () => void
  onerror?: () => void
  addEventListener(): void {
    return // nothing is missed here
  }
  constructor() {
    FakeStream.last = this
  }
  private seq = 0
  send(kind: string, body: unknown, corpus = 'c1'): void {
    this.seq++
    this.onmessage?.({ data: JSON.stringify({ seq: this.seq, corpus, kind, body }) } as MessageEvent<string>)
  }
}

function answer(body: unknown, status = 200): Response {
  return new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } })
}

describe('the corpus in view', () => {
  beforeEach(() => {
    setActivePinia(createPinia())
    vi.stubGlobal('EventSource', FakeStream)
    vi.stubGlobal('fetch', (r: Request) => Promise.resolve(answer(r.url.endsWith('/jobs') ? [] : [figures])))
  })

  it('has its figures and follows its jobs', async () => {
    const c = useCorpus()
    await c.load()
    await c.open('Ferries')
    c.watch()
    expect(c.current?.documents).toBe(3)
    const ended: string[] = []
    const stop = c.onJobEnd((j) => ended.push(j.id))
    const job = { id: 'j', kind: 'gather', state: 'running', done: 1, total: 9 } as Job
    FakeStream.last.send('job', job)
    FakeStream.last.send('job', { ...job, id: 'other' }, 'c2')
    expect(c.active.map((j) => j.id)).toEqual(['j'])
    FakeStream.last.send('job', { ...job, state: 'done' })
    expect(c.active).toEqual([])
    expect(ended).toEqual(['j'])
    stop()
    FakeStream.last.send('job', { ...job, state: 'done' })
    expect(ended).toEqual(['j'])
  })

  it('says when the stream is gone', () => {
    const c = useCorpus()
    c.watch()
    FakeStream.last.onopen?.()
    expect(c.connected).toBe(true)
    FakeStream.last.onerror?.()
    expect(c.connected).toBe(false)
  })

  it('keeps the problem when the program No connection', async () => {
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('no')))
    const c = useCorpus()
    await c.load()
    expect(c.problem).toContain('No connection')
    expect(c.loaded).toBe(true)
  })
})
