/** What the sheet says to the server, and hears. */

export interface About {
  title: string
  accent: string
  note: string
  message: string
  welcome: string
  first: string[]
  memoryDays: number
  paused: string
  speech?: boolean
  test: boolean
}

export interface Said {
  conversation: string
  exchange: string
  sentences: { text: string; sources: number[] }[]
  sources: { title: string; link: string }[]
  outcome: string
  refused: boolean
  options: string[]
  /** waiting, when a person was called; taken, when one is on it. */
  person: '' | 'waiting' | 'taken'
}

/** What a person said, in a conversation that was handed over. */
export interface Line {
  id: number
  name: string
  text: string
}

export interface News {
  state: '' | 'waiting' | 'taken' | 'closed'
  lines: Line[]
}

/** Milliseconds between two looks for what a person said. */
export const listens = 5000

export interface Exchange {
  asked: string
  said?: Said
  problem?: string
  thumb?: 'up' | 'down'
  /** Said by persons after it. */
  lines?: Line[]
}

/** A failure in words, where the server has some, with the status that it gave; 0 when it was not reached. */
export class Trouble extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message)
  }
}

export async function send<T>(path: string, body: Record<string, string>): Promise<T> {
  let r: Response
  try {
    r = await fetch(
      new Request(new URL(path, location.href), {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify(body),
      }),
    )
  } catch {
    throw new Trouble('', 0)
  }
  const got = (await r.json().catch(() => ({}))) as T & { detail?: string }
  if (!r.ok) throw new Trouble(got.detail ?? '', r.status)
  return got
}

/** A name that nobody can guess, and that says nothing. */
export function randomName(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, '0')).join('')
}

interface Kept {
  visitor: string
  until: number
  talk: Exchange[]
}

/** What a browser remembers of a conversation, for as many days as the site wants; nothing where storage is closed. */
export const memory = {
  read(key: string): Kept | undefined {
    try {
      const kept = JSON.parse(localStorage.getItem(key) ?? 'null') as Kept | null
      return kept !== null && kept.until > Date.now() ? kept : undefined
    } catch {
      return undefined
    }
  },
  write(key: string, days: number, visitor: string, talk: Exchange[]): void {
    try {
      localStorage.setItem(
        key,
        JSON.stringify({ visitor, until: Date.now() + days * 86_400_000, talk: talk.slice(-40) }),
      )
    } catch {
      return // storage is closed, and the conversation lasts as long as the page
    }
  },
  drop(key: string): void {
    try {
      localStorage.removeItem(key)
    } catch {
      return // nothing was kept either
    }
  },
}

/** White or black letters, whichever stands out more on a colour (WCAG 2.2, relative luminance). */
export function lettersOn(colour: string): string {
  const linear = (at: number): number => {
    const c = parseInt(colour.slice(at, at + 2), 16) / 255
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4
  }
  const light = 0.2126 * linear(1) + 0.7152 * linear(3) + 0.0722 * linear(5)
  return 1.05 / (light + 0.05) >= (light + 0.05) / 0.05 ? '#ffffff' : '#000000'
}

interface Heard extends Event {
  results: ArrayLike<ArrayLike<{ transcript: string }>>
}
interface Ear {
  lang: string
  onresult: (e: Heard) => void
  onend: () => void
  start(): void
  stop(): void
}

/** The browser's own speech, where it has any. */
export const speech = {
  /** Something that listens for one question; undefined where the browser has nothing. */
  ear(): Ear | undefined {
    const w = window as unknown as Record<string, (new () => Ear) | undefined>
    const Make = w.SpeechRecognition ?? w.webkitSpeechRecognition
    return Make === undefined ? undefined : new Make()
  },
  canRead: (): boolean => 'speechSynthesis' in window,
  /** Reads a text aloud, in a language; what was being read stops. */
  read(text: string, language: string, done: () => void): void {
    speechSynthesis.cancel()
    const u = new SpeechSynthesisUtterance(text)
    u.lang = language
    u.onend = done
    speechSynthesis.speak(u)
  },
  hush: (): void => {
    if ('speechSynthesis' in window) speechSynthesis.cancel()
  },
}
