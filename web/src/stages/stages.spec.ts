import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter, type Router } from 'vue-router'
import { useCorpus } from '@/stores/corpus'
import { answering, byEnd, settle, type Call } from '../../tests/network'
import AskStrip from '@/components/AskStrip.vue'
import JobBar from '@/components/JobBar.vue'
import StageLine from '@/components/StageLine.vue'
import { stages } from '@/router'
import Home from './Home.vue'
import type { Job } from '@/api/client'

const corpus = {
  id: 'c',
  name: 'Ferries',
  documents: 36,
  failed: 3,
  chunks: 70,
  stale: false,
  states: {},
  bar: 0.5,
  answered: 0.95,
  lastRun: { id: 'r', set: 's', pass: 0.9, hit5: 0.978, interval: { low: 0.8, high: 0.95 }, at: '' },
}

const reply = {
  reply: 'Kept for 60 days.',
  refused: false,
  support: 0.9,
  millis: 4,
  cited: [],
  left: [],
  evidence: [
    {
      document: 'd',
      version: 'v',
      address: 'http://a/lost-property',
      title: 'Lost property',
      path: ['At the pier'],
      text: 'Lost things are kept for 60 days.',
      lit: [{ start: 0, end: 4 }],
      score: 3.1,
      kept: true,
      support: 0.9,
      span: { start: 0, end: 33 },
      why: ['holds every word asked for in the text'],
      signals: [
        { name: 'body', value: 2, points: 1.8, share: 0.6 },
        { name: 'meaning', value: 0.6, points: 1.3, share: 0.4 },
      ],
    },
  ],
  trail: {
    question: 'lost',
    outcome: 'answered',
    why: '',
    reading: {
      kind: 'question',
      wordings: [{ pass: 'asked', text: 'lost' }],
      terms: [{ stem: 'lost', word: 'lost', weight: 1, pass: 'asked' }],
    },
    reply: [{ text: 'Kept for 60 days.', candidate: 0, support: 0.9 }],
  },
}

let calls: Call[]
let router: Router

function serve(answers: Record<string, unknown>): void {
  calls = answering((c) => byEnd(answers, c))
}

async function show(component: Parameters<typeof mount>[0], path: string, props: Record<string, unknown> = {}) {
  const pinia = createPinia()
  setActivePinia(pinia)
  const c = useCorpus()
  await c.load()
  await c.open('Ferries')
  await router.push(path)
  await router.isReady()
  const w = mount(component, { props, global: { plugins: [pinia, router] } })
  await settle()
  return { w, c }
}

beforeEach(() => {
  const blank = { template: '<i/>' }
  router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/', component: blank },
      { path: '/c/:corpus/gather/:document', name: 'document', component: blank },
      ...stages.map((s) => ({ path: `/c/:corpus/${s.key}`, name: s.key, component: blank })),
    ],
  })
  serve({ '/api/corpora': [corpus], '/jobs': [], '/ask': reply, '/find': reply })
})

describe('StageLine', () => {
  it('tells each stage by its figure, in working order, and marks where one is', async () => {
    const { w } = await show(StageLine, '/c/Ferries/find')
    const links = w.findAll('nav a')
    expect(links.map((l) => l.find('.name').text())).toEqual([
      'Gather',
      'Shape',
      'Find',
      'Answer',
      'Prove',
      'Mend',
      'Serve',
    ])
    expect(links[0]?.text()).toContain('36')
    expect(links[0]?.find('.bad').text()).toContain('3 failed')
    expect(links[1]?.text()).toContain('70')
    expect(links[2]?.text()).toMatch(/97.8/)
    expect(links[4]?.text()).toMatch(/90.0/)
    expect(links[2]?.attributes('aria-current')).toBe('page')
    expect(links[0]?.attributes('aria-current')).toBeUndefined()
  })

  it('never hides what is not applied or not saved', async () => {
    const { w, c } = await show(StageLine, '/c/Ferries/shape')
    expect(w.find('.draft').text()).toContain('Draft saved')
    c.unapplied = 'Not applied'
    await settle()
    expect(w.find('.draft').text()).toContain('Not applied')
    c.saving = 1
    await settle()
    expect(w.find('.draft').text()).toContain('Saving')
  })
})

describe('AskStrip', () => {
  it('asks with the conversation so far, and can start anew', async () => {
    const { w } = await show(AskStrip, '/c/Ferries/find')
    for (const q of ['lost things', 'and bags?']) {
      await w.find('#ask').setValue(q)
      await w.find('form').trigger('submit')
      await settle()
    }
    const asked = calls
      .filter((c) => c.path.endsWith('/ask'))
      .map((c) => c.body as { question: string; turns: unknown[] })
    expect(asked.map((a) => a.question)).toEqual(['lost things', 'and bags?'])
    expect(asked.map((a) => a.turns.length)).toEqual([0, 2])
    expect(w.text()).toContain('Kept for 60 days.')
    await w
      .findAll('button')
      .find((b) => b.text() === 'New conversation')
      ?.trigger('click')
    expect(w.text()).not.toContain('Kept for 60 days.')
  })

  it('says that it still waits, once a reply takes long, and only as long as it does', async () => {
    const { w } = await show(AskStrip, '/c/Ferries/find')
    vi.useFakeTimers()
    try {
      let answerNow: (r: Response) => void = () => undefined
      const held = new Promise<Response>((done) => (answerNow = done))
      vi.stubGlobal('fetch', () => held)
      await w.find('#ask').setValue('lost')
      await w.find('form').trigger('submit')
      await vi.advanceTimersByTimeAsync(2900)
      expect(w.text()).not.toContain('Still waiting')
      await vi.advanceTimersByTimeAsync(200)
      expect(w.find('[role=status]').text()).toContain('Still waiting')
      answerNow(new Response(JSON.stringify(reply), { headers: { 'Content-Type': 'application/json' } }))
      await vi.advanceTimersByTimeAsync(10)
      expect(w.text()).not.toContain('Still waiting')
    } finally {
      vi.useRealTimers()
    }
  })

  it('says what went wrong', async () => {
    const { w } = await show(AskStrip, '/c/Ferries/find')
    serve({})
    await w.find('#ask').setValue('lost')
    await w.find('form').trigger('submit')
    await settle()
    expect(w.find('[role=alert]').text()).toBe('no /api/corpora/Ferries/ask')
  })

  it('asks nothing when nothing is written', async () => {
    const { w } = await show(AskStrip, '/c/Ferries/find')
    await w.find('#ask').setValue('   ')
    await w.find('form').trigger('submit')
    expect(calls.some((c) => c.path.endsWith('/ask'))).toBe(false)
  })
})

describe('JobBar', () => {
  it('tells count, rate and time left, and cancels', async () => {
    serve({ '/api/corpora': [corpus], '/jobs': [], '/cancel': {} })
    const job = { id: 'j', kind: 'gather', state: 'running', done: 27, total: 39, rate: 3.2, left: 4 } as Job
    const { w } = await show(JobBar, '/c/Ferries/gather', { job })
    expect(w.text()).toContain('27 of 39')
    expect(w.text()).toContain('3.2 a second')
    expect(w.text()).toContain('4 s left')
    expect(w.find('progress').attributes('value')).toBe('69')
    for (const [i, what] of ['pause', 'cancel'].entries()) {
      await w.findAll('button')[i]?.trigger('click')
      await settle()
      expect(calls.at(-1)).toMatchObject({ method: 'POST', path: `/api/corpora/Ferries/jobs/j/${what}` })
    }
  })
})

describe('Home', () => {
  it('lists the corpora with their figures', async () => {
    const { w } = await show(Home, '/')
    const row = w.find('tbody tr')
    expect(row.text()).toContain('Ferries')
    expect(row.find('.bad').text()).toBe('3')
  })
})
