<script setup lang="ts">
import { computed, nextTick, onMounted, onUnmounted, ref } from 'vue'
import { lettersOn, listens, memory, randomName, send, speech, Trouble } from './talk'
import type { About, Exchange, News, Said } from './talk'
import { wordsOf } from './words'

/** A sheet with question and reply as text, and the sources beneath: in a frame on a site, or behind a link. */
const [, kind = '', name = ''] = location.pathname.split('/')
const link = kind === 's' ? decodeURIComponent(name) : ''
const key = `jolvex ${kind} ${name}`

const about = ref<About>()
/** The sheet speaks the language of the page, or else of the visitor. */
const words = ref(wordsOf(navigator.languages).words)
function speak(languages: readonly string[]): void {
  const got = wordsOf(languages)
  words.value = got.words
  document.documentElement.lang = got.language
}
/** A failure in words. */
const said = (e: unknown): string =>
  (e as Error).message !== ''
    ? (e as Error).message
    : e instanceof Trouble && e.status === 0
      ? words.value.offline
      : words.value.failed
const talk = ref<Exchange[]>([])
const text = ref('')
const word = ref('')
const worded = ref(false)
const problem = ref('')
const busy = ref(false)
const spoken = ref('')
const end = ref<HTMLElement>()
const field = ref<HTMLTextAreaElement>()
let visitor = randomName()
let pass = ''
let page = ''
let token = ''
let campaign = ''
let place = ''
let given: (() => void) | undefined

const conversation = computed(() => talk.value.filter((x) => x.said !== undefined).at(-1)?.said?.conversation ?? '')

/** Asks the loader on the site's page for a pass. */
function askForPass(): Promise<void> {
  return new Promise((done, fail) => {
    given = done
    window.parent.postMessage('jolvex-pass', '*')
    setTimeout(() => fail(new Trouble(words.value.alone, 0)), 5000)
  })
}

function heard(m: MessageEvent<unknown>): void {
  if (m.source !== window.parent || typeof m.data !== 'object' || m.data === null) return
  const d = m.data as {
    pass?: unknown
    page?: unknown
    language?: unknown
    token?: unknown
    campaign?: unknown
    place?: unknown
  }
  if (typeof d.pass !== 'string') return
  pass = d.pass
  page = typeof d.page === 'string' ? d.page : ''
  token = typeof d.token === 'string' ? d.token : ''
  campaign = typeof d.campaign === 'string' ? d.campaign.slice(0, 100) : ''
  place = typeof d.place === 'string' ? d.place.slice(0, 100) : ''
  if (typeof d.language === 'string' && d.language !== '') speak([d.language, ...navigator.languages])
  given?.()
}

const letter = (more: Record<string, string> = {}): Record<string, string> =>
  link !== '' ? { link, word: word.value, visitor, ...more } : { pass, page, token, visitor, campaign, place, ...more }

/** A pass that has become too old is asked for anew, once. */
async function call<T>(path: string, more: Record<string, string> = {}): Promise<T> {
  try {
    return await send<T>(path, letter(more))
  } catch (e) {
    if (link !== '' || !(e instanceof Trouble) || e.status !== 401) throw e
    await askForPass()
    return await send<T>(path, letter(more))
  }
}

async function begin(): Promise<void> {
  problem.value = ''
  try {
    const got = await call<About>('/v/about')
    about.value = got
    worded.value = false
    document.title = got.title
    const root = document.documentElement.style
    root.setProperty('--accent', got.accent)
    root.setProperty('--on-accent', lettersOn(got.accent))
    const kept = got.memoryDays > 0 ? memory.read(key) : undefined
    if (kept !== undefined) {
      visitor = kept.visitor
      talk.value = kept.talk
      await hear()
    }
    await nextTick()
    end.value?.scrollIntoView()
  } catch (e) {
    worded.value = link !== '' && e instanceof Trouble && e.status === 403
    problem.value = worded.value && word.value === '' ? '' : said(e)
  }
}

async function ask(asked: string): Promise<void> {
  if (busy.value || asked.trim() === '') return
  busy.value = true
  const x: Exchange = { asked: asked.trim() }
  const before = conversation.value
  talk.value.push(x)
  const at = talk.value.length - 1
  text.value = ''
  await nextTick()
  end.value?.scrollIntoView({ block: 'end' })
  try {
    const got = await call<Said>('/v/ask', { text: x.asked, conversation: before })
    talk.value[at] = { ...x, said: got }
    spoken.value = got.outcome === 'passedOn' ? words.value.passedOn : got.sentences.map((s) => s.text).join(' ')
    person.value = got.person
    listen()
  } catch (e) {
    talk.value[at] = { ...x, problem: said(e) }
    spoken.value = said(e)
    text.value = asked // nothing that was written is lost
  }
  busy.value = false
  keep()
  await nextTick()
  end.value?.scrollIntoView({ block: 'end' })
  field.value?.focus()
}

const person = ref<News['state']>('')
let listening: ReturnType<typeof setInterval> | undefined

/** Looks for what a person says while the conversation is with one. */
function listen(): void {
  const open = person.value === 'waiting' || person.value === 'taken'
  if (open && listening === undefined) listening = setInterval(() => void hear(), listens)
  if (open || listening === undefined) return
  clearInterval(listening)
  listening = undefined
}

async function hear(): Promise<void> {
  const last = talk.value.at(-1)
  if (conversation.value === '' || last === undefined || document.hidden) return
  const after = Math.max(0, ...talk.value.flatMap((x) => x.lines ?? []).map((l) => l.id))
  try {
    const news = await call<News>('/v/news', { conversation: conversation.value, after: String(after) })
    const closed = news.state === 'closed' && person.value === 'taken'
    person.value = news.state
    if (news.lines.length > 0) {
      last.lines = [...(last.lines ?? []), ...news.lines]
      spoken.value = news.lines.map((l) => `${l.name}: ${l.text}`).join(' ')
      keep()
      await nextTick()
      end.value?.scrollIntoView({ block: 'end' })
    } else if (closed) spoken.value = words.value.closed
  } catch (e) {
    if (e instanceof Trouble && e.status === 404) person.value = ''
  }
  listen()
}

const ear = computed(() => (about.value?.speech === true ? speech.ear() : undefined))
const hearing = ref(false)
const reading = ref(-1)

/** Takes one spoken question down; it is sent by hand, so that it can be read first. */
function hearken(): void {
  const e = ear.value
  if (e === undefined) return
  if (hearing.value) return e.stop()
  e.lang = document.documentElement.lang
  e.onresult = (h) => {
    text.value = Array.from(h.results, (r) => r[0]?.transcript ?? '').join(' ')
  }
  e.onend = () => {
    hearing.value = false
    field.value?.focus()
  }
  hearing.value = true
  e.start()
}

function read(n: number): void {
  const x = talk.value[n]?.said
  if (reading.value === n || x === undefined) {
    reading.value = -1
    return speech.hush()
  }
  reading.value = n
  speech.read(x.sentences.map((s) => s.text).join(' '), document.documentElement.lang, () => (reading.value = -1))
}

function keep(): void {
  const days = about.value?.memoryDays ?? 0
  if (days > 0) memory.write(key, days, visitor, talk.value)
}

async function thumb(x: Exchange, to: 'up' | 'down'): Promise<void> {
  if (x.said === undefined) return
  const set = x.thumb === to ? undefined : to
  try {
    await call('/v/thumb', { conversation: x.said.conversation, exchange: x.said.exchange, thumb: set ?? '' })
    x.thumb = set
    spoken.value = set === undefined ? words.value.takenBack : words.value.thanks
    keep()
  } catch (e) {
    problem.value = said(e)
  }
}

async function forget(): Promise<void> {
  try {
    await call('/v/forget')
    memory.drop(key)
    talk.value = []
    visitor = randomName()
    spoken.value = words.value.erased
    problem.value = ''
  } catch (e) {
    problem.value = said(e)
  }
}

function enter(e: KeyboardEvent): void {
  if (e.key !== 'Enter' || e.shiftKey || e.isComposing) return
  e.preventDefault()
  void ask(text.value)
}

function escape(): void {
  if (link === '') window.parent.postMessage('jolvex-close', '*')
}

onUnmounted(() => {
  clearInterval(listening)
  speech.hush()
})
onMounted(async () => {
  speak(navigator.languages)
  window.addEventListener('message', heard)
  try {
    if (link === '') await askForPass()
    await begin()
  } catch (e) {
    problem.value = said(e)
  }
})
</script>

<template>
  <div class="sheet" :class="{ whole: link !== '' }" @keydown.esc="escape">
    <header v-if="about">
      <h1>{{ about.title }}</h1>
      <p v-if="about.test" class="test">{{ words.draft }}</p>
    </header>
    <main tabindex="-1">
      <p v-if="problem !== ''" class="problem" role="alert">{{ problem }}</p>
      <form v-if="worded" class="word" @submit.prevent="begin">
        <label for="word">{{ words.word }}</label>
        <input id="word" v-model="word" autocomplete="off" autofocus />
        <button type="submit" :disabled="word.trim() === ''">{{ words.goOn }}</button>
      </form>
      <template v-if="about">
        <p v-if="about.message !== ''" class="message">{{ about.message }}</p>
        <p v-if="about.welcome !== ''" class="said">{{ about.welcome }}</p>
        <ul v-if="talk.length === 0 && about.paused === ''" class="choices" :aria-label="words.begin">
          <li v-for="q in about.first" :key="q">
            <button type="button" @click="ask(q)">{{ q }}</button>
          </li>
        </ul>
        <article v-for="(x, n) in talk" :key="n">
          <h2 dir="auto">{{ x.asked }}</h2>
          <p v-if="x.problem" class="problem">{{ x.problem }}</p>
          <p v-else-if="!x.said" class="muted">{{ words.looking }}</p>
          <template v-else>
            <p v-if="x.said.outcome === 'passedOn'" class="muted">{{ words.passedOn }}</p>
            <p v-else class="said" dir="auto">
              <template v-for="(s, i) in x.said.sentences" :key="i"
                >{{ i > 0 ? ' ' : '' }}{{ s.text
                }}<sup v-if="s.sources.length > 0">{{ s.sources.map((k) => k + 1).join(', ') }}</sup></template
              >
            </p>
            <ul v-if="n === talk.length - 1 && x.said.options.length > 0" class="choices" :aria-label="words.choose">
              <li v-for="o in x.said.options" :key="o">
                <button type="button" @click="ask(o)">{{ o }}</button>
              </li>
            </ul>
            <ol v-if="x.said.sources.length > 0" class="sources" :aria-label="words.sources">
              <li v-for="(s, i) in x.said.sources" :key="i">
                <a v-if="s.link" :href="s.link" target="_blank" rel="noopener noreferrer">{{ s.title || s.link }}</a>
                <template v-else>{{ s.title }}</template>
              </li>
            </ol>
            <p v-if="x.said.outcome !== 'passedOn'" class="thumbs">
              <button type="button" :aria-pressed="x.thumb === 'up'" @click="thumb(x, 'up')">{{ words.helped }}</button>
              <button type="button" :aria-pressed="x.thumb === 'down'" @click="thumb(x, 'down')">
                {{ words.helpedNot }}
              </button>
              <button
                v-if="about.speech && speech.canRead()"
                type="button"
                :aria-pressed="reading === n"
                @click="read(n)"
              >
                {{ reading === n ? words.hush : words.aloud }}
              </button>
            </p>
          </template>
          <div v-for="l in x.lines ?? []" :key="l.id" class="person">
            <h3>{{ l.name }}</h3>
            <p dir="auto">{{ l.text }}</p>
          </div>
        </article>
        <p v-if="person === 'waiting'" class="muted">{{ words.called }}</p>
        <p v-else-if="person === 'taken'" class="muted">{{ words.taken }}</p>
      </template>
      <div ref="end" />
    </main>
    <p class="only-heard" role="status">{{ spoken }}</p>
    <footer v-if="about">
      <p v-if="about.paused !== ''" class="message">{{ about.paused }}</p>
      <form v-else @submit.prevent="ask(text)">
        <label class="only-heard" for="ask">{{ words.question }}</label>
        <textarea
          id="ask"
          ref="field"
          v-model="text"
          rows="2"
          maxlength="2000"
          :placeholder="words.question"
          @keydown="enter"
        />
        <button v-if="ear" type="button" :aria-pressed="hearing" @click="hearken">
          {{ hearing ? words.hearing : words.speak }}
        </button>
        <button type="submit" :disabled="busy || text.trim() === ''">{{ words.ask }}</button>
      </form>
      <p class="note">
        {{ about.note }}
        <button v-if="talk.length > 0" type="button" class="plain" @click="forget">{{ words.erase }}</button>
      </p>
    </footer>
  </div>
</template>
