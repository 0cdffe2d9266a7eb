import { mount, type VueWrapper } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Component } from 'vue'
import { createRouter, createWebHistory } from 'vue-router'
import { useCorpus } from '@/stores/corpus'
import { answering, refusal, settle, type Call } from '../../../tests/network'
import CauseView from './CauseView.vue'
import FixLine from './FixLine.vue'
import CoverageView from './CoverageView.vue'
import QuestionGrid from './QuestionGrid.vue'
import TrialOutcome from './TrialOutcome.vue'
import TrialView from './TrialView.vue'
import { useProve } from './store'

const interval = { low: 0, high: 1 }
const rate = (hits: number, of: number) => ({ hits, of, rate: hits / of, interval })
const run = {
  id: 'r1',
  set: 's1',
  setName: 'release',
  createdAt: '2026-11-25T10:00:00Z',
  endedAt: '2026-11-25T10:01:00Z',
  questions: 2,
  fixed: [],
  broken: [],
  before: '',
  unread: 0,
  note: '',
}
const arm = (settings: Record<string, string>, hits: number, more: object) => ({
  settings,
  outcomes: '',
  passed: rate(hits, 10),
  facts: rate(hits, 10),
  hit5: 0.5,
  mrr: 0.5,
  millisP50: 5,
  millisP95: 10 + hits,
  price: 0,
  chunks: 9,
  whole: true,
  p: 0.01,
  fixed: 4,
  broken: 0,
  frontier: true,
  level: false,
  ...more,
})
const questions = [
  { id: 'a', question: 'How much?', expect: [{ kind: 'gives', values: ['£4.50'] }], tags: ['fares'] },
  { id: 'b', question: 'Who won?', expect: [{ kind: 'refuses' }] },
]
let refuse = false
let calls: Call[] = []

function answer(path: string, method: string): unknown {
  if (path.endsWith('/sets')) return [{ id: 's1', name: 'release', version: 'v', count: 2 }]
  if (path.endsWith('/runs')) return [run]
  if (path.endsWith('/doubts'))
    return [{ question: 'a', written: '', document: 'd', address: '/fares', changed: '', gone: false, lost: ['£4.50'] }]
  if (path.endsWith('/problems')) return [{ question: 'b', what: 'it refuses, and it says something' }]
  if (path.endsWith('/sets/release')) return { id: 's1', name: 'release', version: 'v', count: 2, questions }
  if (path.endsWith('/tries')) return { run: { ...run, id: 'r2' }, job: { id: 'j1', kind: 'run', state: 'queued' } }
  if (path.includes('/against/'))
    return {
      sums: {
        questions: 2,
        fixed: ['a'],
        broken: [],
        failing: [],
        passing: 1,
        p: 0.5,
        smallest: 0.1,
        rate: 0.5,
        interval,
        mrr: 0,
        mrrWithin: interval,
      },
    }
  if (path.endsWith('/coverage'))
    return {
      run: 'r1',
      untested: 1,
      chunks: 3,
      neverFound: 1,
      neverCited: 1,
      uncovered: ['Is there a pool?'],
      documents: [
        {
          document: 'd1',
          address: 'http://x/fares',
          title: 'Fares',
          chunks: 2,
          tested: 1,
          failing: 1,
          found: 1,
          kept: 1,
          cited: 1,
          asks: ['a'],
          strata: [{ span: { start: 0, end: 9 }, tokens: 80, found: 1, kept: 1, cited: 1 }],
        },
        {
          document: 'd2',
          address: 'http://x/dogs',
          title: 'Dogs',
          chunks: 1,
          tested: 0,
          failing: 0,
          found: 0,
          kept: 0,
          cited: 0,
          asks: [],
          strata: [],
        },
      ],
    }
  if (path.endsWith('/settings'))
    return [
      {
        key: 'answer.bar',
        kind: 'number',
        label: 'Evidence bar',
        help: '',
        default: '0.5',
        try: ['0.25', '0.5', '0.75'],
        min: 0,
        max: 1,
        step: 0.01,
      },
    ]
  if (path.endsWith('/forecast')) return { model: '', measured: 0 }
  if (path.endsWith('/studies')) return []
  if (path.endsWith('/estimate'))
    return {
      methods: 4,
      indexes: 0,
      questions: 8,
      seconds: 2,
      unread: 0,
      cost: { in: 1200, out: 100, price: 0.5 },
      priced: true,
    }
  if (method === 'POST' && path.endsWith('/trials')) return { study: { id: 't1' }, job: { id: 'j2' } }
  return {}
}

beforeEach(() => {
  setActivePinia(createPinia())
  calls = answering((c) =>
    refuse && c.method === 'PATCH' ? refusal(422, 'question a has no text') : answer(c.path, c.method),
  )
})

async function shown(view: Component, props: Record<string, unknown> = {}) {
  const router = createRouter({
    history: createWebHistory(),
    routes: [
      { path: '/', component: { template: '<i />' } },
      { path: '/c/:corpus/gather/:document', name: 'document', component: { template: '<i />' } },
    ],
  })
  useCorpus().name = 'c'
  const prove = useProve()
  await prove.load()
  const w = mount(view, { props, global: { plugins: [router] }, attachTo: document.body })
  await settle()
  return w
}

describe('the sheet of questions', () => {
  it('edits a cell by typing, saves, and undoes', async () => {
    vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] })
    const w = await shown(QuestionGrid)
    expect(w.text()).toContain('How much?')
    expect(w.text()).toContain('1 question expects something of a page that has changed')
    expect(w.text()).toContain('1 question cannot be meant as it is written:b: it refuses, and it says something')
    const cell = w.find('[data-at="0-2"]')
    expect(cell.text()).toBe('£4.50')
    await cell.trigger('focus')
    await cell.trigger('keydown', { key: 'Enter' })
    const input = w.find('input.edit')
    await input.setValue('£5.00 | £6.00')
    await input.trigger('keydown', { key: 'Enter' })
    expect(w.find('[data-at="0-2"]').text()).toBe('£5.00 | £6.00')
    await vi.runAllTimersAsync()
    await settle()
    const sent = calls.find((c) => c.method === 'PATCH')
    expect(sent?.body, 'what has changed, and no more').toEqual({
      over: 'v',
      put: [expect.objectContaining({ id: 'a', expect: [{ kind: 'gives', values: ['£5.00', '£6.00'] }] })],
    })
    await w.find('[data-at="0-2"]').trigger('keydown', { key: 'z', ctrlKey: true })
    expect(w.find('[data-at="0-2"]').text()).toBe('£4.50')
    vi.useRealTimers()
    w.unmount()
  })

  it('pastes a table from a cell on and tags what is selected', async () => {
    const w = await shown(QuestionGrid)
    await w.find('[data-at="1-0"]').trigger('focus')
    await w
      .find('[role=grid]')
      .trigger('paste', { clipboardData: { getData: () => 'When?\tat noon\nWhere?\tthe pier' } })
    expect(w.find('[data-at="1-0"]').text()).toBe('When?')
    expect(w.find('[data-at="2-1"]').text()).toBe('the pier')
    await w.find('input[type=checkbox]').setValue(true)
    expect(w.text()).toContain('1 selected')
    w.unmount()
  })
})

describe('a large set', () => {
  it('comes in page by page, and draws what is in sight alone', async () => {
    const all = Array.from({ length: 5700 }, (_, i) => ({ id: `q${i}`, question: `Question ${i}?`, expect: [] }))
    calls = answering((c) => {
      if (!c.path.endsWith('/sets/release')) return answer(c.path, c.method)
      const q = new URLSearchParams(c.query)
      const page = all.slice(Number(q.get('from')), Number(q.get('from')) + Number(q.get('limit')))
      return { id: 's1', name: 'release', version: 'v', count: all.length, questions: page }
    })
    const w = await shown(QuestionGrid)
    for (let i = 0; i < 20 && !w.text().includes('saved'); i++) await settle()
    expect(w.text()).toContain('5,700 of 5,700')
    expect(w.findAll('.line').length, 'rows out of sight are not drawn').toBeLessThan(80)
    expect(calls.filter((c) => c.path.endsWith('/sets/release')).map((c) => c.query)).toEqual([
      '?from=0&limit=500',
      '?from=500&limit=5000',
      '?from=5500&limit=5000',
    ])
    w.unmount()
  })
})

describe('a sheet that is left', () => {
  it('keeps what could not be saved, says so, and gives it up only when told', async () => {
    refuse = true
    const w = await shown(QuestionGrid)
    await w.find('[data-at="0-0"]').trigger('focus')
    await w.find('[data-at="0-0"]').trigger('keydown', { key: 'Delete' })
    w.unmount()
    await settle()
    const corpus = useCorpus()
    expect(corpus.unapplied).toBe('Set not saved')
    const again = await shown(QuestionGrid)
    expect(again.text()).toContain('Not saved: question a has no text')
    expect(again.find('[data-at="0-0"]').text()).toBe('')
    refuse = false
    await again
      .findAll('button')
      .find((b) => b.text() === 'Discard my changes')
      ?.trigger('click')
    await settle()
    expect(again.find('[data-at="0-0"]').text()).toBe('How much?')
    expect(corpus.unapplied).toBe('')
    again.unmount()
  })

  it('puts the cursor into a new row, saves nothing of it while it is empty, and makes no second one', async () => {
    const w = await shown(QuestionGrid)
    const fresh = () => w.findAll('button').find((b) => b.text() === 'New question')
    for (let i = 0; i < 2; i++) {
      await fresh()?.trigger('click')
      await settle()
    }
    expect(w.findAll('.line:not(.head)')).toHaveLength(3)
    expect(document.activeElement?.className).toContain('edit')
    w.unmount()
    await settle()
    expect(calls.filter((c) => c.method === 'PATCH')).toEqual([])
  })

  it('saves the set that it shows, whatever is chosen meanwhile', async () => {
    const w = await shown(QuestionGrid)
    await w.find('[data-at="0-6"]').trigger('focus')
    await w.find('[data-at="0-6"]').trigger('keydown', { key: 'Delete' })
    useProve().set = 'another'
    w.unmount()
    await settle()
    const sent = calls.filter((c) => c.method === 'PATCH')
    expect(sent.map((c) => c.path)).toEqual(['/api/corpora/c/sets/release'])
    expect(sent[0]?.body).toMatchObject({ over: 'v' })
  })
})

describe('a cause', () => {
  it('tries a fix on the whole set and applies it only when told', async () => {
    const cause = {
      cause: 'wronglyRefused' as const,
      why: 'its support is 0.40, the bar 0.50',
      shown: ['with the evidence bar at 0, it passes'],
      fixes: [{ label: 'Lower the evidence bar to 0.39', cures: true, change: { settings: { 'answer.bar': '0.39' } } }],
    }
    let ended: (j: { id: string; state: string; error: string }) => void = () => undefined
    const corpus = useCorpus()
    corpus.onJobEnd = (f) => {
      ended = f as typeof ended
      return () => undefined
    }
    const w = await shown(CauseView, { run, cause, question: questions[0] })
    expect(w.text()).toContain('wrongly refused')
    expect(w.text()).toContain('cures this question')
    await w.find('button').trigger('click')
    await settle()
    expect(calls.some((c) => c.path.endsWith('/method/changes'))).toBe(false)
    ended({ id: 'j1', state: 'done', error: '' })
    await settle()
    expect(w.text()).toContain('1 fixed')
    await w
      .findAll('button')
      .find((b) => b.text() === 'Apply to the draft')
      ?.trigger('click')
    await settle()
    expect(calls.at(-1)).toMatchObject({
      path: '/api/corpora/c/method/changes',
      body: {
        change: { settings: { 'answer.bar': '0.39' } },
        note: 'Lower the evidence bar to 0.39',
        run: 'r2',
        before: 'r1',
      },
    })
    w.unmount()
  })
})

describe('what cures a failure', () => {
  const fix = {
    label: 'Write a settled answer',
    cures: true,
    do: 'settle' as const,
    change: { settled: [{ question: 'May I bring a dog?', answer: 'Dogs travel on a lead.' }] },
  }
  const press = (w: VueWrapper, label: string) =>
    w
      .findAll('button')
      .find((b) => b.text() === label)
      ?.trigger('click')

  it('is tried as it was worded here', async () => {
    const w = await shown(FixLine, { fix, question: 'May I bring a dog?', busy: false })
    await press(w, 'Try it on the set')
    expect(w.emitted('attempt')).toEqual([[fix.change]])
    await press(w, 'word it')
    await w.find('textarea').setValue('Dogs travel on a lead, for £2.00.')
    expect(w.text()).not.toContain('cures this question')
    await press(w, 'Try it on the set')
    expect(w.emitted('attempt')?.[1]).toEqual([
      { settled: [{ question: 'May I bring a dog?', answer: 'Dogs travel on a lead, for £2.00.' }] },
    ])
    await w.find('textarea').setValue('  ')
    expect(w.find('.el-button').attributes('disabled')).toBeDefined()
    w.unmount()
  })

  it('asks which page is to be gathered when nobody can tell', async () => {
    const gather = { label: 'Gather a page that says it', cures: false, do: 'gather' as const }
    const w = await shown(FixLine, { fix: gather, question: 'q', busy: false })
    expect(w.find('.el-button').exists()).toBe(false)
    await press(w, 'which page')
    await w.find('input').setValue('https://ferries.example/cabins')
    await press(w, 'Try it on the set')
    expect(w.emitted('attempt')).toEqual([[{ pages: ['https://ferries.example/cabins'] }]])
    w.unmount()
  })
})

describe('a trial', () => {
  it('says what it would take before it is begun', async () => {
    const w = await shown(TrialView)
    expect(w.text()).toContain('Choose settings to vary')
    await w.findComponent({ name: 'ElSelect' }).vm.$emit('update:modelValue', 'answer.bar')
    await settle()
    expect((w.find('input.values').element as HTMLInputElement).value).toBe('0.25, 0.5, 0.75')
    await w
      .findAll('button')
      .find((b) => b.text().startsWith('Estimate'))
      ?.trigger('click')
    await settle()
    expect(w.text()).toContain('4 methods, the draft among them, over 1 index; 8 questions')
    expect(calls.at(-1)?.body).toMatchObject({
      search: 'grid',
      factors: [{ key: 'answer.bar', values: ['0.25', '0.5', '0.75'] }],
    })
    w.unmount()
  })

  it('marks what to take and applies it', async () => {
    const trial = {
      plan: { search: 'grid', factors: [] },
      of: 3,
      took: 4,
      arms: [
        arm({}, 5, { p: 1 }),
        arm({ 'answer.bar': '0.4' }, 9, {
          level: true,
          pointed: { key: 'pointed', label: '', value: 0.43, of: 20, interval: { low: 0.31, high: 0.55 } },
          words: { key: 'words', label: '', value: 36.4, of: 9, interval: { low: 30, high: 42 } },
        }),
        arm({ 'answer.bar': '0.9' }, 1, {}),
      ],
      sums: {
        best: 1,
        pick: 1,
        sure: true,
        why: 'it fixes 4 questions and breaks 0',
        honest: rate(9, 10),
        gain: 0.4,
        within: interval,
        smallest: 0.06,
        factors: [{ key: 'answer.bar', share: 1, values: { '0.4': 0.9, '0.9': 0.1 } }],
      },
    }
    const fields = [{ key: 'answer.bar', kind: 'number', label: 'Evidence bar', help: '', default: '0.5', try: [] }]
    const w = await shown(TrialOutcome, { study: { id: 't' }, trial, fields })
    expect(w.text()).toContain('Take: Evidence bar 0.4')
    expect(w.text()).toContain('43.0 %36')
    expect(w.find('[title="95 % interval 31.0 % to 55.0 %"]').exists()).toBe(true)
    expect(w.findAll('svg circle')).toHaveLength(2)
    expect(w.findAll('svg .draft')).toHaveLength(1)
    await w
      .findAll('button')
      .find((b) => b.text() === 'Apply it to the draft')
      ?.trigger('click')
    await settle()
    expect(calls.find((c) => c.path.endsWith('/method/changes'))?.body).toEqual({
      change: { settings: { 'answer.bar': '0.4' } },
      note: 'out of a trial: Evidence bar 0.4',
      trial: 't',
    })
    w.unmount()
  })
})

describe('coverage', () => {
  it('tells documents apart by what the questions have to do with them', async () => {
    const w = await shown(CoverageView)
    expect(w.text()).toContain('1 of 2 documents are expected by no question')
    expect(w.text()).toContain('Is there a pool?')
    expect(w.findAll('tbody tr')).toHaveLength(2)
    await w.find('input[value=untested]').setValue(true)
    await settle()
    expect(w.findAll('tbody tr')).toHaveLength(1)
    expect(w.text()).toContain('Dogs')
    w.unmount()
  })
})
