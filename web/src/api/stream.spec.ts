import { beforeEach, describe, expect, it, vi } from 'vitest'
import { follow, type StreamEvent } from './stream'

/** Streams that the test feeds, one for each that was opened. */
class FakeStream {
  static all: FakeStream[] = []
  onmessage?: (m: MessageEvent<string>) => void
  readyState = 1
  closed = false
  onopen?: () => void
  onerror?: () => void
  reload?: (m: MessageEvent<string>) => void
  constructor(readonly address: string) {
    FakeStream.all.push(this)
  }
  addEventListener(_kind: 'reload', f: (m: MessageEvent<string>) => void): void {
    this.reload = f
  }
  close(): void {
    this.closed = true
  }
  send(seq: number): void {
    this.onmessage?.({
      data: JSON.stringify({ seq, corpus: 'c', kind: 'job', body: {} }),
    } as MessageEvent<string>)
  }
}

/** One tab after the other gets the lock; messages reach every other tab. */
function browser(): void {
  const waiting: (() => void)[] = []
  let held = false
  const next = (): void => {
    const run = waiting.shift()
    if (run !== undefined) run()
  }
  vi.stubGlobal('navigator', {
    locks: {
      request: (_name: string, _options: unknown, hold: () => Promise<void>) =>
        new Promise<void>((done) => {
          waiting.push(() => {
            held = true
            void hold().then(() => {
              held = false
              done()
              next()
            })
          })
          if (!held) next()
        }),
    },
  })
  const channels: { listeners: Set<(m: unknown) => void> }[] = []
  vi.stubGlobal(
    'BroadcastChannel',
    class {
      listeners = new Set<(m: unknown) => void>()
      constructor() {
        channels.push(this)
      }
      addEventListener(_kind: string, f: (m: unknown) => void): void {
        this.listeners.add(f)
      }
      removeEventListener(_kind: string, f: (m: unknown) => void): void {
        this.listeners.delete(f)
      }
      postMessage(data: unknown): void {
        for (const c of channels) if (c !== this) for (const f of c.listeners) f({ data })
      }
    },
  )
}

describe('follow', () => {
  beforeEach(() => {
    FakeStream.all = []
    vi.stubGlobal('EventSource', FakeStream)
  })

  it('lets all tabs of a browser share one stream, each event once', () => {
    browser()
    const tabs: StreamEvent[][] = [[], [], []]
    for (const heard of tabs)
      follow({ event: (e) => heard.push(e), connected: () => undefined, missed: () => undefined })
    expect(FakeStream.all).toHaveLength(1)
    FakeStream.all[0]?.send(4)
    FakeStream.all[0]?.send(4)
    FakeStream.all[0]?.send(5)
    for (const heard of tabs) expect(heard.map((e) => e.seq)).toEqual([4, 5])
  })

  it('tells every tab once when too much was missed, and goes on from there', () => {
    browser()
    const missed: number[] = []
    const heard: number[] = []
    for (const tab of [0, 1])
      follow({ event: (e) => heard.push(e.seq), connected: () => undefined, missed: () => missed.push(tab) })
    FakeStream.all[0]?.reload?.({ data: '700' } as MessageEvent<string>)
    FakeStream.all[0]?.reload?.({ data: '700' } as MessageEvent<string>)
    expect(missed.sort()).toEqual([0, 1])
    FakeStream.all[0]?.send(700)
    FakeStream.all[0]?.send(701)
    expect(heard).toEqual([701, 701])
  })

  it('tells a tab that comes later whether the stream is connected', () => {
    browser()
    follow({ event: () => undefined, connected: () => undefined, missed: () => undefined })
    const late: boolean[] = []
    follow({ event: () => undefined, connected: (yes) => late.push(yes), missed: () => undefined })
    expect(late).toEqual([true])
  })

  it('lets go when the page is hidden, and goes on where it stopped', async () => {
    vi.stubGlobal('navigator', {})
    const heard: number[] = []
    follow({ event: (e) => heard.push(e.seq), connected: () => undefined, missed: () => undefined })
    const first = FakeStream.all.at(-1)
    first?.send(9)
    window.dispatchEvent(new Event('pagehide'))
    expect(first?.closed).toBe(true)
    window.dispatchEvent(Object.assign(new Event('pageshow'), { persisted: true }))
    expect(FakeStream.all.at(-1)?.address).toBe('/api/events?since=9')
    expect(heard).toEqual([9])
  })

  it('opens again where it was refused, from where it stopped', () => {
    vi.useFakeTimers()
    vi.stubGlobal('navigator', {})
    vi.stubGlobal('BroadcastChannel', undefined)
    const connected: boolean[] = []
    follow({ event: () => undefined, connected: (yes) => connected.push(yes), missed: () => undefined })
    const first = FakeStream.all[0]
    first?.send(7)
    if (first !== undefined) first.readyState = 2 // the browser has given up
    first?.onerror?.()
    expect(connected.at(-1)).toBe(false)
    expect(FakeStream.all).toHaveLength(1)
    vi.advanceTimersByTime(6000)
    expect(FakeStream.all.map((x) => x.address)).toEqual(['/api/events', '/api/events?since=7'])
    vi.useRealTimers()
  })
})
