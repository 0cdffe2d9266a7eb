import type { Schema } from './client'

/** The kinds of event and their bodies, as the server declares them. */
export type Events = Schema['Events']
export type EventKind = keyof Events

/** One event of the stream; its body is that of its kind. */
export interface StreamEvent {
  seq: number
  corpus: string
  kind: EventKind
  body: unknown
}

/** What is heard of the stream of events. */
export interface Listener {
  event: (e: StreamEvent) => void
  connected: (yes: boolean) => void
  /** Too much was missed to be told one by one: what is shown has to be asked for anew. */
  missed: () => void
}

const name = 'jolvex-events'

/** Milliseconds after which a stream that was refused is tried again. */
const retry = 5000

interface Message {
  event?: StreamEvent
  connected?: boolean
  hello?: boolean
  missed?: number
}

/**
 * Follows what happens. A browser opens few connections to one host, so that its tabs share one stream: the tab that holds
 * the lock reads it and passes on what comes; when that tab goes, the next takes over where it stopped. Where there are no
 * locks, each tab has a stream of its own. A page that is hidden for the Back key lets go of it.
 */
export function follow(to: Listener): void {
  const locks = (navigator as { locks?: LockManager | null }).locks ?? undefined // none on plain http beyond this machine
  const shared = locks !== undefined && typeof BroadcastChannel !== 'undefined'
  let last = -1
  let leave: (() => void) | undefined
  const channel = shared ? new BroadcastChannel(name) : undefined

  function take(e: StreamEvent): void {
    if (e.seq <= last) return
    last = e.seq
    to.event(e)
  }

  function miss(seq: number): void {
    if (seq === last) return
    last = seq
    to.missed()
  }

  function tell(yes: boolean): void {
    to.connected(yes)
    channel?.postMessage({ connected: yes } satisfies Message)
  }

  /** Reads the stream until the function that is returned is called. */
  function read(): () => void {
    let stream: EventSource
    let again: ReturnType<typeof setTimeout> | undefined
    const open = (): void => {
      stream = new EventSource(last < 0 ? '/api/events' : `/api/events?since=${last}`)
      stream.onopen = () => tell(true)
      stream.onerror = () => {
        tell(false)
        // The browser gives up where it is refused, as when a session has ended: whoever signs in again hears again.
        if (stream.readyState === 2) again = setTimeout(open, retry)
      }
      stream.addEventListener('reload', (m: MessageEvent<string>) => {
        miss(Number(m.data))
        channel?.postMessage({ missed: Number(m.data) } satisfies Message)
      })
      stream.onmessage = (m: MessageEvent<string>) => {
        const event = JSON.parse(m.data) as StreamEvent
        take(event)
        channel?.postMessage({ event } satisfies Message)
      }
    }
    open()
    const answer = (m: MessageEvent<Message>): void => {
      if (m.data.hello === true) channel?.postMessage({ connected: stream.readyState === 1 } satisfies Message)
    }
    channel?.addEventListener('message', answer)
    return () => {
      channel?.removeEventListener('message', answer)
      clearTimeout(again)
      stream.close()
    }
  }

  function join(): void {
    if (!shared || locks === undefined) {
      leave = read()
      return
    }
    const waiting = new AbortController()
    let stop: (() => void) | undefined
    void locks
      .request(
        name,
        { signal: waiting.signal },
        () =>
          new Promise<void>((done) => {
            const end = read()
            stop = () => {
              end()
              done()
            }
          }),
      )
      .catch(() => undefined) // given up while waiting
    channel?.postMessage({ hello: true } satisfies Message)
    leave = () => (stop === undefined ? waiting.abort() : stop())
  }

  channel?.addEventListener('message', (m: MessageEvent<Message>) => {
    if (m.data.event !== undefined) take(m.data.event)
    if (m.data.missed !== undefined) miss(m.data.missed)
    if (m.data.connected !== undefined) to.connected(m.data.connected)
  })
  window.addEventListener('pagehide', () => leave?.())
  window.addEventListener('pageshow', (e) => {
    if (e.persisted) join()
  })
  join()
}
