import { mount, type VueWrapper } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Component } from 'vue'
import { createRouter, createWebHistory, type Router } from 'vue-router'
import type { Job } from '@/api/client'
import { useCorpus } from '@/stores/corpus'
import { answering, settle, type Call } from '../../../tests/network'
import CompareRuns from './CompareRuns.vue'
import ImportSet from './ImportSet.vue'
import ProposalList from './ProposalList.vue'
import RunReport from './RunReport.vue'
import RunTrend from './RunTrend.vue'
import StressKit from './StressKit.vue'
import VerdictView from './VerdictView.vue'
import { useProve } from './store'

const interval = { low: 0.2, high: 0.9 }
const rate = (hits: number, of: number) => ({ hits, of, rate: hits / of, interval })
const summary = {
  questions: 3,
  unjudged: 1,
  passed: rate(1, 2),
  byTag: { fares: rate(1, 2) },
  tags: [
    {
      tag: 'fares',
      passed: rate(1, 2),
      facts: rate(1, 2),
      grounded: rate(1, 1),
      pointed: rate(1, 2),
      words: { key: 'words', label: 'words', value: 31, of: 2, interval },
      right: 0,
      wrong: 1,
      missed: 0,
    },
  ],
  kinds: [{ kind: 'gives', held: rate(1, 2) }],
  figures: [{ key: 'passed', label: 'passed', value: 0.5, of: 2, interval }],
  hit1: 0.5,
  hit5: 1,
  mrr: 0.75,
  ranked: 2,
  rightRefusals: 0,
  wrongRefusals: 1,
  missedRefusals: 0,
  facts: rate(1, 2),
  millisP50: 10,
  millisP95: 20,
  tokensIn: 0,
  tokensOut: 0,
  price: 0,
}
const run = {
  id: 'r2',
  set: 's1',
  setName: 'release',
  createdAt: '2026-11-25T10:00:00Z',
  endedAt: '2026-11-25T10:01:00Z',
  questions: 3,
  summary,
  fixed: [],
  broken: ['b'],
  before: 'r1',
  unread: 0,
  note: '',
}
const earlier = { ...run, id: 'r1', createdAt: '2026-11-24T10:00:00Z', before: '' }
const question = (id: string, text: string, tags: string[]) => ({
  id,
  question: text,
  tags,
  expect: [{ kind: 'gives' as const, values: ['£2.00'] }],
})
const result = (id: string, text: string, passed: boolean, more: object = {}) => ({
  question: question(id, text, ['fares']),
  verdict: {
    passed,
    refused: false,
    rank: passed ? 1 : 0,
    findings: [{ expectation: { kind: 'gives' as const, values: ['£2.00'] }, held: passed, note: 'it gives £3.00' }],
    scores: {},
  },
  change: '' as const,
  reply: `reply to ${id}`,
  millis: 5,
  failed: '',
  ...more,
})
const cause = { cause: 'neighbour' as const, why: 'another passage was preferred', shown: [], fixes: [] }
const reply = {
  reply: 'It costs £3.00.',
  refused: false,
  support: 0.6,
  cited: [],
  evidence: [],
  left: [],
  millis: 5,
  trail: {
    question: 'How much?',
    reading: { kind: 'question', wordings: [{ pass: 'asked', text: 'How much?' }], terms: [] },
    candidates: [],
    reply: [],
    outcome: 'answered',
    why: '',
    support: 0.6,
    bar: 0.5,
    timings: [],
    pins: {},
  },
}
let results: ReturnType<typeof result>[] = []
let file: object = {}
let calls: Call[] = []

function answer(path: string, method: string): unknown {
  if (path.endsWith('/sets')) return [{ id: 's1', name: 'release', version: 'v', count: 3 }]
  if (path.endsWith('/runs') && method === 'GET') return [run, earlier]
  if (path.endsWith('/runs/r2')) return { run, results }
  if (path.includes('/causes/')) return cause
  if (path.includes('/wanted/'))
    return [
      {
        expectation: 0,
        document: 'd',
        version: 'v',
        address: 'http://x/pets',
        heading: 'Pets',
        text: 'A cat travels for £2.00.',
        start: 3,
        end: 20,
        rank: 9,
      },
    ]
  if (path.includes('/replies/')) return reply
  if (path.endsWith('/import')) return file
  if (path.endsWith('/qrels')) return { questions: 2, problems: ['x names no question'] }
  if (path.endsWith('/stress'))
    return [
      { ...question('b misspelt 1', 'Hwo much?', []), tags: ['misspelt'] },
      { ...question('b two-word', 'price dog', []), tags: ['two-word'] },
    ]
  if (path.endsWith('/proposals'))
    return [
      {
        question: question('p1', 'What does a dog cost?', []),
        answer: 'A dog costs £2.00.',
        kind: 'figure in text',
        document: 'd',
        version: 'v',
        address: 'http://x/dogs',
        span: { start: 1, end: 9 },
      },
      {
        question: question('p2', 'Opening hours?', []),
        answer: 'Nine to five.',
        kind: 'heading',
        document: 'd',
        version: 'v',
        address: 'http://x/hours',
        span: { start: 1, end: 9 },
      },
    ]
  if (path.includes('/against/'))
    return {
      before: earlier,
      after: run,
      sums: {
        questions: 2,
        fixed: [],
        broken: ['b'],
        failing: [],
        p: 0.04,
        smallest: 0.3,
        rate: -0.5,
        interval: { low: -0.9, high: -0.1 },
        mrr: -0.2,
        measures: [{ key: 'facts', label: 'facts found', before: 1, after: 0.5, interval, of: 2 }],
      },
      settings: [{ key: 'answer.bar', label: 'Evidence bar', before: '0.5', after: '0.8' }],
      replies: [
        {
          question: question('b', 'How much?', []),
          change: 'broken',
          before: 'It costs £2.00.',
          after: 'It costs £3.00.',
        },
      ],
    }
  return {}
}

let router: Router

async function shown(view: Component, props: Record<string, unknown> = {}): Promise<VueWrapper> {
  router = createRouter({
    history: createWebHistory(),
    routes: [
      { path: '/c/:corpus/prove', name: 'prove', component: { template: '<i />' } },
      { path: '/c/:corpus/d/:document', name: 'document', component: { template: '<i />' } },
      { path: '/c/:corpus/gather', name: 'gather', component: { template: '<i />' } },
    ],
  })
  await router.push('/c/c/prove')
  useCorpus().name = 'c'
  await useProve().load()
  const w = mount(view, { props, attachTo: document.body, global: { plugins: [router] } })
  await settle()
  return w
}

const press = async (w: VueWrapper, label: string): Promise<void> => {
  const b = w.findAll('button').find((x) => x.text() === label)
  expect(b, label).toBeDefined()
  await b?.trigger('click')
  await settle()
}

beforeEach(() => {
  setActivePinia(createPinia())
  results = [
    result('a', 'How much is a dog?', true),
    result('b', 'How much is a cat?', false, { change: 'broken', cause }),
    result('c', 'How much is a horse?', false, { failed: 'the model is out of order' }),
  ]
  calls = answering((c) => answer(c.path, c.method))
})
afterEach(() => vi.unstubAllGlobals())

describe('a run', () => {
  it('tells what passed by accident apart from what failed', async () => {
    const off = result('d', 'When does it close on Sunday?', false)
    off.verdict = { ...off.verdict, accident: true } as typeof off.verdict
    results = [...results, off]
    const w = await shown(RunReport, { run: 'r2' })
    const verdicts = w.findAll('table.results tbody tr').map((r) => r.find('td').text().replace(/\s+/g, ' '))
    expect(verdicts).toEqual(['passed', 'failed broken', 'not judged', 'by accident'])
    w.unmount()
  })
  it('is told with its intervals, by tag and by kind of expectation', async () => {
    const w = await shown(RunReport, { run: 'r2' })
    expect(w.text()).toContain('1 of 2, 95 % interval 20.0 % to 90.0 %')
    expect(w.text()).toContain('questions could not be judged and stand in no figure here')
    expect(w.text()).toContain('0 fixed · 1 broken')
    const tables = w.findAll('table.measures').map((t) => t.text())
    expect(tables[0]).toContain('passed0.5000.20 to 0.90')
    expect(tables[1]).toContain('fares1 of 21 of 250.0 %310, 1, 0')
    expect(tables[2]).toContain('gives1 of 20.20 to 0.90')
    w.unmount()
  })

  it('shows what failed, what changed, what was not judged, and one cause alone', async () => {
    const w = await shown(RunReport, { run: 'r2' })
    const rows = (): string[] => w.findAll('.results tbody tr').map((r) => r.text())
    expect(rows()).toHaveLength(3)
    for (const [show, text] of [
      ['failed', 'How much is a cat?'],
      ['changed', 'How much is a cat?'],
      ['not judged', 'the model is out of order'],
      ['cause:neighbour', 'another passage preferred'],
    ] as const) {
      await router.replace({ query: { show } })
      await settle()
      expect(rows(), show).toHaveLength(1)
      expect(rows()[0]).toContain(text)
    }
    await router.replace({ query: { show: 'cause:manner' } })
    await settle()
    expect(w.text()).toContain('No question of that kind in this run.')
    await router.replace({ query: {} })
    await settle()
    await w.find('.cause').trigger('click')
    await settle()
    expect(router.currentRoute.value.query.show).toBe('cause:neighbour')
    w.unmount()
  })

  it('opens a question and steps to the next', async () => {
    const w = await shown(RunReport, { run: 'r2' })
    await w.find('.results .linkish').trigger('click')
    await settle()
    expect(w.find('h2').text()).toContain('How much is a dog?')
    await press(w, 'next (j)')
    expect(w.find('h2').text()).toContain('How much is a cat?')
    await press(w, 'previous (k)')
    expect(w.find('h2').text()).toContain('How much is a dog?')
    await press(w, 'previous (k)')
    expect(w.find('h2').text()).toContain('How much is a dog?')
    await press(w, 'All questions')
    expect(w.findAll('.results tbody tr')).toHaveLength(3)
    w.unmount()
  })
})

describe('a verdict', () => {
  it('ticks each expectation and tells why it failed as soon as that is known', async () => {
    const bare = result('b', 'How much is a cat?', false)
    const w = await shown(VerdictView, { run, result: bare })
    expect(w.find('.held').text()).toContain('✗ not held')
    expect(w.text()).toContain('it gives £3.00')
    expect(w.find('.wanted').text()).toContain('A cat travels for £2.00.')
    expect(w.find('.wanted').text()).toContain('ranks 9, not kept')
    expect(w.find('.wanted a').attributes('href')).toBe('/c/c/d/d?version=v&from=3&to=20')
    expect(w.text()).toContain('Find the cause')

    const corpus = useCorpus()
    corpus.jobs.j = { id: 'j', kind: 'run', state: 'running' } as Job
    await settle()
    expect(w.text()).toContain('The causes of this run are being found.')
    await w.setProps({ result: { ...bare, cause } })
    expect(w.text()).toContain('another passage was preferred')
    w.unmount()
  })

  it('looks into a failure when somebody wants to know', async () => {
    const w = await shown(VerdictView, { run, result: result('b', 'How much is a cat?', false) })
    await press(w, 'Find the cause')
    expect(calls.at(-1)?.path).toBe('/api/corpora/c/runs/r2/causes/b')
    expect(w.text()).toContain('another passage was preferred')
    w.unmount()
  })

  it('mends an expectation that is wrong, with the reason', async () => {
    const w = await shown(VerdictView, { run, result: result('b', 'How much is a cat?', false) })
    await press(w, 'The expectation is wrong, the reply is right')
    const save = () => w.findAll('button').find((b) => b.text() === 'Change the set')
    expect(save()?.attributes('disabled')).toBeDefined()
    await w.find('input[placeholder^="is kept"]').setValue('the fare went up')
    await press(w, 'Change the set')
    expect(calls.at(-1)).toMatchObject({
      path: '/api/corpora/c/sets/s1/amendments',
      body: { why: 'the fare went up', question: { id: 'b' } },
    })
    expect(w.text()).toContain('the next run heeds it')
    w.unmount()
  })

  it('says what kept a question from being judged', async () => {
    const w = await shown(VerdictView, { run, result: results[2] })
    expect(w.find('h2').text()).toContain('not judged')
    expect(w.find('.notice').text()).toBe('the model is out of order')
    expect(w.text()).not.toContain('Why it failed')
    w.unmount()
  })
})

describe('two runs', () => {
  it('are compared measure by measure, with what differs marked', async () => {
    const w = await shown(CompareRuns, { run, runs: [run, earlier] })
    await w.findComponent({ name: 'ElSelect' }).vm.$emit('update:modelValue', ['r1'])
    await settle()
    expect(w.text()).toContain('1 broken')
    expect(w.text()).toContain('moved by -50.0 points (-90.0 to -10.0)')
    expect(w.text()).toContain('That is more than chance')
    expect(w.text()).toContain('facts found1.0000.500')
    expect(w.text()).toContain('Evidence bar0.50.8')
    expect(w.find('del').text()).toContain('£2.00')
    expect(w.find('ins').text()).toContain('£3.00')
    w.unmount()
  })

  it('draw the trend of their set, tries left out', async () => {
    const w = await shown(RunTrend, { run, runs: [run, earlier, { ...run, id: 'r3', note: 'a try' }] })
    expect(w.findAll('circle')).toHaveLength(2)
    expect(w.find('svg').attributes('aria-label')).toBe('Pass rates of 2 runs over time')
    w.unmount()
    const one = await shown(RunTrend, { run, runs: [run] })
    expect(one.find('svg').exists()).toBe(false)
    one.unmount()
  })
})

describe('a file of questions', () => {
  const choose = async (w: VueWrapper, name: string): Promise<void> => {
    const input = w.find('input[type=file]')
    Object.defineProperty(input.element, 'files', { value: [new File(['x'], name)], configurable: true })
    await input.trigger('change')
    await settle()
    await settle()
  }

  it('goes in at once when nothing is wrong with it', async () => {
    file = { questions: 3, columns: [], problems: [], doubtful: [], documents: 0 }
    const w = await shown(ImportSet)
    await choose(w, 'fares.jsonl')
    const sent = calls.filter((c) => c.path.endsWith('/sets/fares/import')).map((c) => c.query)
    expect(sent).toEqual(['?keep=false&documents=true', '?keep=true&documents=true'])
    expect(w.text()).toContain('fares: 3 questions')
    w.unmount()
  })

  it('shows what was refused before anything goes in', async () => {
    file = {
      questions: 2,
      columns: ['question is “Q”'],
      problems: ['line 3: there is no question'],
      doubtful: [{ question: 'q7', what: 'no page or document is called “/old”' }],
      documents: 4,
    }
    const w = await shown(ImportSet)
    await choose(w, 'fares.csv')
    expect(w.text()).toContain('line 3: there is no question')
    expect(w.text()).toContain('question is “Q”')
    expect(w.text()).toContain('q7: no page or document is called “/old”')
    expect(calls.some((c) => c.query.includes('keep=true'))).toBe(false)
    await press(w, 'Cancel')
    expect(w.text()).not.toContain('line 3')
    w.unmount()
  })

  it('of judgements goes to the chosen set', async () => {
    const w = await shown(ImportSet)
    useProve().set = 'release'
    await choose(w, 'judged.qrels')
    expect(calls.some((c) => c.path.endsWith('/sets/release/qrels'))).toBe(true)
    expect(w.text()).toContain('judgements for 2 questions; 1 for others')
    w.unmount()
  })
})

describe('questions that are proposed', () => {
  it('by the stress kit are taken one by one', async () => {
    const w = await shown(StressKit, { question: question('b', 'How much?', []) })
    useProve().set = 'release'
    await press(w, 'Propose variants that try to make it fail')
    expect(w.findAll('tbody tr')).toHaveLength(2)
    await w.find('input[type=checkbox]').trigger('change')
    await press(w, 'Add 1 to the set')
    expect(calls.find((c) => c.path.endsWith('/sets/release/questions'))?.body).toMatchObject({
      questions: [{ id: 'b two-word' }],
      why: 'stress of b',
    })
    expect(w.emitted('added')).toHaveLength(1)
    w.unmount()
  })

  it('by the documents can be reworded, and go into a set', async () => {
    const w = await shown(ProposalList)
    expect(w.text()).toContain('2 proposals')
    await w.find('select').setValue('figure in text')
    expect(w.findAll('tbody tr')).toHaveLength(1)
    await w.find('input.text').setValue('What is the fare of a dog?')
    await press(w, 'select all')
    await press(w, 'Add 1 to the set')
    expect(calls.find((c) => c.path.endsWith('/sets/release/questions'))?.body).toMatchObject({
      questions: [{ id: 'p1', question: 'What is the fare of a dog?' }],
    })
    await w.find('select').setValue('')
    expect(w.findAll('tbody tr')).toHaveLength(1)
    w.unmount()
  })

  it('of what was asked are taken when a person has said what is true', async () => {
    const asked = {
      question: { ...question('p3', 'Is there a pool?', []), expect: [{ kind: 'cites' as const, values: ['/deck'] }] },
      answer: 'The deck is open.',
      kind: 'conversation',
      document: 'd',
      version: 'v',
      address: 'http://x/deck',
      span: { start: 1, end: 9 },
    }
    calls = answering((c) => (c.path.endsWith('/proposals') ? [asked] : answer(c.path, c.method)))
    const w = await shown(ProposalList)
    const box = w.find('input[type=checkbox]')
    expect(box.attributes('disabled')).toBeDefined()
    await press(w, 'select all')
    expect(w.text()).toContain('Add 0 to the set')
    await w.find('select.truth').setValue('refuse')
    expect(box.attributes('disabled')).toBeUndefined()
    await press(w, 'select all')
    await press(w, 'Add 1 to the set')
    expect(calls.find((c) => c.path.endsWith('/sets/release/questions'))?.body).toMatchObject({
      questions: [{ id: 'p3', expect: [{ kind: 'refuses' }] }],
    })
    w.unmount()
  })
})
