import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { answering, refusal, settle, type Call } from '../../tests/network'
import SheetView from './SheetView.vue'
import { lettersOn, listens, memory, randomName } from './talk'
import { wordsOf } from './words'

const about = {
  title: 'Ask Tolmouth',
  accent: '#0b5a6f',
  note: 'A machine replies.',
  message: '',
  welcome: 'Ask about boats.',
  first: ['Can I bring my kayak?'],
  memoryDays: 0,
  paused: '',
  test: false,
}
const said = {
  conversation: 'c1',
  exchange: 'e1',
  sentences: [
    { text: 'Kayaks travel on deck.', sources: [0] },
    { text: '<b>Not bold</b>.', sources: [] },
  ],
  sources: [{ title: 'Kayaks', link: 'https://tolmouth.example/kayaks' }],
  outcome: 'answered',
  refused: false,
  options: ['Single', 'Return'],
}
let calls: Call[]
let status = 200
let days = 0

async function show() {
  window.history.replaceState({}, '', '/s/abc')
  const w = mount(SheetView, { attachTo: document.body })
  await settle()
  return w
}

beforeEach(() => {
  status = 200
  days = 0
  localStorage.clear()
  Element.prototype.scrollIntoView = vi.fn()
  calls = answering((c) => {
    if (c.path === '/v/about') return { ...about, memoryDays: days }
    if (status !== 200) return refusal(status, 'too many messages: try again in a minute')
    return c.path === '/v/ask' ? said : {}
  })
})
afterEach(() => {
  document.body.innerHTML = ''
})

describe('the words of the sheet', () => {
  it('are those of the first language that it speaks', () => {
    expect(wordsOf(['pt-BR', 'de-AT', 'en']).words.ask).toBe('Fragen')
    expect(wordsOf(['en-GB', 'de']).language).toBe('en')
    expect(wordsOf(['fr']).words.sources).toBe('Sources')
    expect(wordsOf(['es-MX']).words.helped).toBe('Me ha ayudado')
    expect(wordsOf(['ja']).language).toBe('en')
    expect(wordsOf([]).language).toBe('en')
  })

  it('follow the visitor behind a link', async () => {
    vi.spyOn(navigator, 'languages', 'get').mockReturnValue(['de-DE', 'en'])
    const w = await show()
    expect(w.find('footer button').text()).toBe('Fragen')
    expect(document.documentElement.lang).toBe('de')
    vi.restoreAllMocks()
  })
})

describe('a person in the sheet', () => {
  it('shows what a person says, once, while the conversation is with one, and passes messages on', async () => {
    vi.useFakeTimers()
    let news = { state: 'waiting', lines: [] as { id: number; name: string; text: string }[] }
    let outcome = 'handedOver'
    calls = answering((c) => {
      if (c.path === '/v/about') return about
      if (c.path === '/v/news') return news
      return { ...said, outcome, person: outcome === 'passedOn' ? 'taken' : 'waiting', sources: [], options: [] }
    })
    const w = await show()
    await w.find('textarea').setValue('A human, then')
    await w.find('footer form').trigger('submit')
    await vi.advanceTimersByTimeAsync(10)
    expect(w.text()).toContain('A person was asked to join')
    await vi.advanceTimersByTimeAsync(listens)
    news = { state: 'taken', lines: [{ id: 7, name: 'Morgan', text: '<b>Good</b> afternoon' }] }
    await vi.advanceTimersByTimeAsync(listens)
    expect(w.findAll('.person')).toHaveLength(1)
    expect(w.find('.person').text()).toContain('<b>Good</b> afternoon')
    news = { state: 'taken', lines: [] }
    await vi.advanceTimersByTimeAsync(listens)
    expect(calls.at(-1)?.body).toMatchObject({ after: '7' })
    outcome = 'passedOn'
    await w.find('textarea').setValue('Thank you')
    await w.find('footer form').trigger('submit')
    await vi.advanceTimersByTimeAsync(10)
    expect(w.text()).toContain('Passed on')
    news = { state: 'closed', lines: [] }
    await vi.advanceTimersByTimeAsync(listens)
    const looked = calls.length
    await vi.advanceTimersByTimeAsync(10 * listens)
    expect(calls).toHaveLength(looked) // nobody looks any more
    expect(w.find('[role=status]').text()).toContain('The assistant answers again')
    vi.useRealTimers()
  })
})

describe('the sheet of visitors', () => {
  it('asks, shows the reply as text with its sources, and goes on with the conversation', async () => {
    const w = await show()
    await w.find('.choices button').trigger('click')
    await settle()
    expect(calls.find((c) => c.path === '/v/ask')?.body).toMatchObject({
      link: 'abc',
      text: 'Can I bring my kayak?',
      conversation: '',
    })
    expect(w.find('article .said').text()).toContain('<b>Not bold</b>')
    expect(w.find('article b').exists()).toBe(false)
    expect(w.find('.sources a').attributes()).toMatchObject({
      href: 'https://tolmouth.example/kayaks',
      rel: 'noopener noreferrer',
    })
    await w.findAll('.choices button')[1]?.trigger('click')
    await settle()
    expect(calls.filter((c) => c.path === '/v/ask')[1]?.body).toMatchObject({ text: 'Return', conversation: 'c1' })
    await w.find('.thumbs button').trigger('click')
    await settle()
    expect(calls.find((c) => c.path === '/v/thumb')?.body).toMatchObject({
      conversation: 'c1',
      exchange: 'e1',
      thumb: 'up',
    })
    expect(localStorage.length).toBe(0) // nothing is stored unless that is switched on
    w.unmount()
  })

  it('keeps what was written when it cannot be sent', async () => {
    const w = await show()
    status = 429
    await w.find('#ask').setValue('How much is a dog?')
    await w.find('footer form').trigger('submit')
    await settle()
    expect(w.find('article .problem').text()).toContain('too many messages')
    expect((w.find('#ask').element as HTMLTextAreaElement).value).toBe('How much is a dog?')
    w.unmount()
  })

  it('remembers for as many days as it may, and forgets when asked to', async () => {
    days = 3
    let w = await show()
    await w.find('.choices button').trigger('click')
    await settle()
    w.unmount()
    w = await show()
    expect(w.findAll('article')).toHaveLength(1)
    const visitor = (calls.find((c) => c.path === '/v/ask')?.body as { visitor: string }).visitor
    await w.find('button.plain').trigger('click')
    await settle()
    expect(calls.find((c) => c.path === '/v/forget')?.body).toMatchObject({ visitor })
    expect(w.findAll('article')).toHaveLength(0)
    expect(localStorage.length).toBe(0)
    w.unmount()
  })
})

describe('speech in the sheet', () => {
  it('is there when it is switched on and the browser has it, and sends nothing by itself', async () => {
    type Results = { results: { transcript: string }[][] }
    const heard: { started: number; onresult?: (e: Results) => void } = { started: 0 }
    class Ear {
      lang = ''
      onend?: () => void
      start() {
        heard.started++
      }
      stop() {
        this.onend?.()
      }
      set onresult(f: (e: Results) => void) {
        heard.onresult = f
      }
    }
    const read: string[] = []
    vi.stubGlobal('webkitSpeechRecognition', Ear)
    vi.stubGlobal(
      'SpeechSynthesisUtterance',
      class {
        constructor(readonly text: string) {}
      },
    )
    vi.stubGlobal('speechSynthesis', { cancel: vi.fn(), speak: (u: { text: string }) => read.push(u.text) })
    let on = false
    calls = answering((c) => (c.path === '/v/about' ? { ...about, speech: on } : said))
    let w = await show()
    expect(w.text()).not.toContain('Speak')
    w.unmount()
    on = true
    w = await show()
    const speak = w.findAll('footer button').find((b) => b.text() === 'Speak')
    await speak?.trigger('click')
    expect(heard.started).toBe(1)
    heard.onresult?.({ results: [[{ transcript: 'May I bring' }], [{ transcript: 'a dog' }]] })
    await speak?.trigger('click')
    await settle()
    expect((w.find('textarea').element as HTMLTextAreaElement).value).toBe('May I bring a dog')
    expect(calls.some((c) => c.path === '/v/ask')).toBe(false)
    await w.find('footer form').trigger('submit')
    await settle()
    await w
      .findAll('.thumbs button')
      .find((b) => b.text() === 'Read aloud')
      ?.trigger('click')
    expect(read).toEqual(['Kayaks travel on deck. <b>Not bold</b>.'])
    w.unmount()
    vi.unstubAllGlobals()
  })
})

describe('what the sheet stands on', () => {
  it('chooses letters that can be read on a colour', () => {
    expect(lettersOn('#000000')).toBe('#ffffff')
    expect(lettersOn('#ffffff')).toBe('#000000')
    expect(lettersOn('#0b5a6f')).toBe('#ffffff')
    expect(lettersOn('#ffd400')).toBe('#000000')
  })

  it('drops what is too old to be remembered, and names nobody', () => {
    memory.write('k', 1, 'v', [])
    expect(memory.read('k')?.visitor).toBe('v')
    memory.write('k', -1, 'v', [])
    expect(memory.read('k')).toBeUndefined()
    expect(randomName()).toMatch(/^[0-9a-f]{32}$/)
    expect(randomName()).not.toBe(randomName())
  })
})
