import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter, type Router } from 'vue-router'
import type { Field } from '@/api/client'
import EvidenceTrail from '@/components/EvidenceTrail.vue'
import { useCorpus } from '@/stores/corpus'
import { answering, byEnd, settle, type Call } from '../../tests/network'
import AnswerStage from './answer/AnswerStage.vue'
import GlossaryList from './find/GlossaryList.vue'
import RewriteBench from './find/RewriteBench.vue'
import ThreeWordings from './find/ThreeWordings.vue'
import { useFind } from './find/store'
import CompareRuns from './prove/CompareRuns.vue'

const field = (key: string, kind: Field['kind'], label: string): Field => ({
  key,
  kind,
  label,
  help: '.',
  default: '',
  try: [],
})
const fields: Field[] = [
  { ...field('answer.bar', 'number', 'Evidence bar'), min: 0, max: 1, step: 0.01 },
  field('answer.tone', 'text', 'Manner'),
  {
    ...field('answer.composer', 'choice', 'Who words the reply'),
    options: [
      { value: 'sentences', label: 'Sentences' },
      { value: 'model', label: 'A model' },
    ],
  },
]
const answer = { bar: 0.5, tone: '', composer: 'sentences' }
const rule = {
  id: 'lost',
  name: 'Lost things',
  when: { like: ['I lost my bag'] },
  then: [{ kind: 'ask', details: [{ name: 'Phone', ask: 'Which number?', type: 'phone' }] }],
}
const query = { order: 'filler,spelling,followUp,glossary,compound,related,feedback', filler: true, spelling: true }
const method = {
  chunk: {},
  embed: {},
  find: {},
  query,
  answer,
  rules: [rule],
  glossary: [{ term: 'SUP', means: ['board'] }],
}

const reply = (text: string, more: Record<string, unknown> = {}) => ({
  reply: text,
  refused: false,
  support: 0.8,
  millis: 3,
  left: [],
  cited: [
    { sentence: 0, document: 'd', version: 'v', title: 'Dogs', passage: 'Dogs pay £2.', span: { start: 0, end: 5 } },
  ],
  evidence: [],
  trail: {
    question: 'q',
    outcome: 'answered',
    reply: [{ text, candidate: 0, support: 0.8 }],
    reading: { terms: [] },
    ...more,
  },
})

let calls: Call[]
let router: Router

function serve(answers: Record<string, unknown>): void {
  calls = answering((c) => byEnd(answers, c))
}

const common = {
  '/api/corpora': [
    { id: 'c', name: 'Ferries', documents: 1, failed: 0, chunks: 1, stale: false, states: {}, bar: 0.5 },
  ],
  '/jobs': [],
  '/api/settings': fields,
  '/method': (b: unknown, m: string) => (m === 'PUT' ? { method: b } : method),
  '/sheet': (b: unknown, m: string) => (m === 'PUT' ? b : ['Can I bring my dog?']),
  '/sets': [{ id: 's', name: 'Basics', version: '1', count: 2 }],
  '/sources': [],
  '/connections/chat': { base: '', model: '', keyed: false },
  '/connections/mail': { base: '', model: '', keyed: false },
  '/notices': [
    {
      id: 'n',
      kind: 'details',
      rule: 'lost',
      name: 'Lost things',
      purpose: '',
      recipient: '',
      summary: 'I lost it',
      surface: 'bench',
      reply: 'r',
      told: [{ name: 'Phone', value: '01632 960411' }],
      talk: [{ role: 'user', text: 'I lost it' }],
      state: 'kept',
      problem: '',
      at: '2026-11-25T10:00:00Z',
    },
  ],
  '/rules/try': {
    state: {
      say: 'Which number?',
      matches: [{ rule: 'lost', holds: true, like: 0.9, why: 'like “I lost my bag”', waits: false, needed: 0.61 }],
    },
    tested: [],
    warnings: [{ rule: 'lost', kind: 'shadows', text: '“I lost my bag” is answered by “Lost property”' }],
  },
  '/try': (b: unknown) => {
    const v = b as { answer?: { tone?: string } }
    return reply(v.answer?.tone === 'warm' ? 'Dogs are welcome.' : 'Dogs pay £2.')
  },
}

async function show(component: Parameters<typeof mount>[0], path: string, props = {}) {
  const pinia = createPinia()
  setActivePinia(pinia)
  const c = useCorpus()
  await c.load()
  await c.open('Ferries')
  await router.push(path)
  await router.isReady()
  const w = mount(component, { attachTo: document.body, props, global: { plugins: [pinia, router] } })
  await settle()
  setActivePinia(pinia) // what a view of an earlier test did late must not put its stores in place of this one's
  return w
}

beforeEach(() => {
  vi.useRealTimers()
  document.body.innerHTML = ''
  const blank = { template: '<i/>' }
  router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/c/:corpus/gather/:document', name: 'document', component: blank },
      { path: '/c/:corpus/:stage', name: 'stage', component: blank },
    ],
  })
})

describe('AnswerStage', () => {
  it('answers the sheet under what is tried, beside what is applied, and applies it', async () => {
    serve(common)
    const w = await show(AnswerStage, '/c/Ferries/answer')
    expect(w.find('.pinned').text()).toContain('Dogs pay £2.')
    await w.find('textarea[aria-label="Manner"]').setValue('warm')
    await vi.waitFor(() => expect(w.find('.replies.two').exists()).toBe(true))
    expect(w.find('.was').text()).toContain('Dogs pay £2.')
    expect(w.find('.replies').text()).toContain('Dogs are welcome.')
    await w
      .findAll('button')
      .find((b) => b.text() === 'Apply')
      ?.trigger('click')
    await settle()
    expect(calls.find((c) => c.method === 'PUT' && c.path.endsWith('/method'))?.body).toMatchObject({
      answer: { tone: 'warm' },
    })
    w.unmount()
  })

  it('shows the passage behind a sentence, and pins and unpins questions', async () => {
    serve(common)
    const w = await show(AnswerStage, '/c/Ferries/answer')
    await w.find('.sentence').trigger('mouseenter')
    expect(w.find('.evidence').text()).toContain('Dogs pay £2.')
    await w.find('input[aria-label="Question to pin"]').setValue('How much is a bicycle?')
    await w.find('section form').trigger('submit')
    await settle()
    expect(calls.filter((c) => c.method === 'PUT' && c.path.endsWith('/sheet')).at(-1)?.body).toEqual([
      'Can I bring my dog?',
      'How much is a bicycle?',
    ])
    await w.find('[aria-label="Unpin Can I bring my dog?"]').trigger('click')
    await settle()
    expect(calls.filter((c) => c.path.endsWith('/sheet')).at(-1)?.body).toEqual(['How much is a bicycle?'])
    w.unmount()
  })

  it('draws the curve of a set, moves the bar on it and says which questions change', async () => {
    const weighed = [
      { id: 'a', question: 'Right one?', support: 0.6, right: true, refusal: false, fixed: false },
      { id: 'b', question: 'Not covered?', support: 0.3, right: false, refusal: true, fixed: false },
    ]
    const heights = [
      { bar: 0, answered: 1, wrong: 0.5, refused: 0, lost: 0 },
      { bar: 0.300001, answered: 0.5, wrong: 0, refused: 1, lost: 0 },
      { bar: 0.600001, answered: 0, wrong: 0, refused: 1, lost: 1 },
    ]
    serve({
      ...common,
      '/weigh': { of: 2, weighed },
      '/api/curve': { heights, steps: [], placing: { bar: 0.45, unseen: heights[1], spread: 0.02 } },
    })
    const w = await show(AnswerStage, '/c/Ferries/answer?view=bar')
    expect(w.findAll('svg.curve path')).toHaveLength(3)
    expect(w.find('.legend').text()).toContain('answered 50 %')
    await w.find('input[aria-label^="Evidence bar"]').setValue('0.7')
    await w.find('input[aria-label^="Evidence bar"]').trigger('change')
    await settle()
    expect(w.find('.moved').text()).toContain('refused Right one?')
    expect(w.text()).toContain('the best bar is 0.45')
    await w
      .findAll('button')
      .find((b) => b.text() === 'Set it there')
      ?.trigger('click')
    await settle()
    expect(w.find('.legend').text()).toContain('at 0.45')
    await w
      .findAll('button')
      .find((b) => b.text() === 'As a table')
      ?.trigger('click')
    expect(w.find('table.plain').text()).toContain('0.300')
    w.unmount()
  })

  it('tries rules on a message, warns of what they stand before, and changes them', async () => {
    serve(common)
    const w = await show(AnswerStage, '/c/Ferries/answer?view=rules')
    expect(w.find('.warning').text()).toContain('Stands before a source')
    await w.find('.left input').setValue('I lost my hat')
    await vi.waitFor(() =>
      expect(calls.some((c) => c.path.endsWith('/rules/try') && c.body.message === 'I lost my hat')).toBe(true),
    )
    await settle()
    expect(w.find('.rules li').text()).toContain('fires')
    await w.find('.rules .name').trigger('click')
    await w
      .findAll('button')
      .find((b) => b.text() === 'Ask for one more')
      ?.trigger('click')
    await w
      .findAll('button')
      .find((b) => b.text() === 'Add a rule')
      ?.trigger('click')
    expect(w.findAll('.rules li')).toHaveLength(2)
    await w.find('[aria-label="Try Rule 2 earlier"]').trigger('click')
    expect(w.find('.rules .name').text()).toBe('Rule 2')
    expect(w.text()).toContain('Phone: 01632 960411')
    w.unmount()
  })

  it('drafts a manner, to be tried', async () => {
    serve({
      ...common,
      '/manner/draft': {
        tone: 'warm',
        words: 60,
        greeting: 'Hello.',
        refusal: 'Sorry.',
        turnTo: '',
        noticed: ['Short sentences.'],
      },
    })
    const w = await show(AnswerStage, '/c/Ferries/answer')
    await w.find('.guide form').trigger('submit')
    await settle()
    expect(w.find('.guide').text()).toContain('Short sentences.')
    expect(w.text()).toContain('Tried on the sheet, not applied.')
    w.unmount()
  })
})

describe('The trail', () => {
  it('shows what was searched for, what a model was told, and what was withheld', async () => {
    serve(common)
    const r = reply('Dogs pay £2.', {
      reading: {
        terms: [],
        steps: [{ pass: 'spelling', on: true, changed: true, before: 'dgo', after: 'dog', why: 'dgo → dog' }],
        searches: [
          { pass: 'rewritten', text: 'dog', terms: [], weight: 1 },
          { pass: 'asked', text: 'dgo', terms: [], weight: 0.85 },
        ],
      },
      spent: [{ for: 'word', model: 'm', in: 10, out: 5, price: 0.001 }],
      rules: { fired: [{ rule: 'x', name: 'Bite', why: 'it says “bite”' }] },
      written: {
        model: 'm',
        in: 10,
        out: 5,
        price: 0.001,
        prompt: [{ role: 'system', text: 'You answer' }],
        raw: 'Dogs pay £2 [1].',
        withheld: [
          {
            text: 'Dogs fly.',
            grounding: {
              score: 0.1,
              contain: 0,
              like: 0,
              troubles: [{ kind: 'subject', said: 'fly', why: 'nothing there is about this' }],
            },
          },
        ],
      },
    })
    const w = await show(EvidenceTrail, '/c/Ferries/answer', { reply: r, corpus: 'Ferries' })
    for (const part of [
      'dgo → dog',
      'As rewritten',
      'house rule “Bite”',
      'Dogs fly.',
      '“fly”: nothing there is about this',
      '10 tokens read',
      'You answer',
    ]) {
      expect(w.text()).toContain(part)
    }
    w.unmount()
  })
})

describe('Rewriting', () => {
  const steps = [
    {
      pass: 'filler',
      on: true,
      changed: true,
      before: 'and a child?',
      after: 'a child?',
      why: 'dropped: “and”',
    },
    {
      pass: 'spelling',
      on: true,
      changed: false,
      before: 'a child?',
      after: 'a child?',
      why: 'every word is known',
    },
  ]
  it('shows each pass of the last message, switches it off and puts it into another place', async () => {
    serve({
      ...common,
      '/find': reply('', {
        reading: { terms: [], steps, searches: [{ pass: 'rewritten', text: 'a child?', terms: [], weight: 1 }] },
      }),
    })
    localStorage.setItem('jolvex-talk-Ferries', 'How much is it?\n> £14.60.\nand for a senior?')
    const w = await show(RewriteBench, '/c/Ferries/find')
    const find = useFind()
    await find.load()
    await settle()
    expect(w.find('tbody').text()).toContain('dropped: “and”')
    expect(calls.find((c) => c.path.endsWith('/find'))?.body).toMatchObject({ question: 'and for a senior?' })
    await vi.waitUntil(() => w.find('[aria-label="Spelling earlier"]').exists(), { timeout: 10_000 })
    await w.find('[aria-label="Spelling earlier"]').trigger('click')
    expect(find.tried?.query.order.startsWith('spelling,filler')).toBe(true)
    await w.find('input[aria-label="Filler, on"]').setValue(false)
    expect(find.tried?.query.filler).toBe(false)
    expect(find.changed).toBe(true)
    w.unmount()
  })

  it('keeps a glossary: typed, proposed by the texts, imported', async () => {
    serve({
      ...common,
      '/suggestions': [
        { term: 'FHS', means: ['hierarchy standard'], kind: 'abbreviation', documents: 2, example: 'x' },
      ],
      '/dismissed': {},
      '/glossary/read': { entries: [{ term: 'HGV', means: ['lorry'] }], problems: ['row 2: “x” means nothing'] },
    })
    const w = await show(GlossaryList, '/c/Ferries/find')
    const find = useFind()
    await find.load()
    await settle()
    expect(w.text()).toContain('SUP')
    await w.find('input[aria-label="Term"]').setValue('OAP')
    await w.find('input[aria-label="What it means"]').setValue('senior; pensioner')
    await w.find('form').trigger('submit')
    await w
      .findAll('button')
      .find((b) => b.text().startsWith('Look for terms'))
      ?.trigger('click')
    await settle()
    await w.find('[aria-label="Accept FHS"]').trigger('click')
    expect(find.tried?.glossary?.map((e) => e.term)).toEqual(['SUP', 'OAP', 'FHS'])
    expect(find.tried?.glossary?.[1]?.means).toEqual(['senior', 'pensioner'])
    w.unmount()
  })

  it('says where three wordings differ', async () => {
    const e = (version: string) => ({
      version,
      document: version,
      title: version,
      path: [],
      span: { start: 0, end: 1 },
      score: 1,
      text: '',
      lit: [],
      signals: [],
    })
    let n = 0
    serve({
      ...common,
      '/find': () => ({
        ...reply('x'),
        evidence: [[e('Refunds'), e('Fares')], [e('Refunds')], [e('Fares'), e('Refunds')]][n++ % 3],
      }),
    })
    localStorage.setItem(
      'jolvex-wordings-Ferries',
      JSON.stringify(
        ['dog fare', 'What does a dog cost?', 'how mutch for the dog'].map((text) => ({ name: text, text })),
      ),
    )
    const w = await show(ThreeWordings, '/c/Ferries/find')
    expect(w.find('[role=status]').text()).toContain('They differ from the first result on; 1 of')
    expect(w.findAll('.letter').length).toBeGreaterThan(3)
    w.unmount()
  })
})

describe('Two runs', () => {
  it('are compared with a paired test, in words', async () => {
    const summary = { passed: { rate: 0.9 } }
    const run = { id: 'new', set: 's', createdAt: '2026-11-25T10:00:00Z', summary }
    const old = { ...run, id: 'old' }
    serve({
      ...common,
      '/runs/new/against/old': {
        before: old,
        after: run,
        sums: {
          questions: 20,
          fixed: ['a'],
          broken: [],
          failing: [],
          passing: 19,
          p: 1,
          effect: 'unclear',
          smallest: 0.3,
          rate: 0.05,
          interval: { low: 0, high: 0.15 },
          mrr: 0,
        },
        settings: [{ key: 'answer.bar', label: 'Evidence bar', before: '0.5', after: '0.4' }],
        replies: [{ question: { id: 'a', question: 'Dogs?' }, change: 'fixed', before: 'Nothing.', after: 'Welcome.' }],
      },
    })
    const w = await show(CompareRuns, '/c/Ferries/prove', { run, runs: [run, old] })
    await w.find('.el-select__wrapper').trigger('click')
    await settle()
    document.querySelector<HTMLElement>('.el-select-dropdown__item')?.click()
    await settle()
    expect(w.find('[role=status]').text()).toContain('1 fixed')
    expect(w.find('[role=status]').text()).toContain('cannot be told from chance')
    expect(w.text()).toContain('Evidence bar')
    expect(w.text()).toContain('Welcome.')
    w.unmount()
  })
})
