import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { createMemoryHistory, createRouter, type Router } from 'vue-router'
import VirtualTable from '@/components/VirtualTable.vue'
import { offerKey, setSingleKeys, singleKeys } from '@/stores/keys'
import { useCorpus } from '@/stores/corpus'
import { answering, byEnd, settle, type Call } from '../../../tests/network'
import AddPairs from './AddPairs.vue'
import ChangesView from './ChangesView.vue'
import ChecksView from './ChecksView.vue'

let calls: Call[]
let router: Router

function serve(answers: Record<string, unknown>): void {
  calls = answering((c) => byEnd(answers, c))
}

const common = { '/api/corpora': [{ id: 'c', name: 'Ferries', documents: 2, states: {} }], '/jobs': [], '/sources': [] }

async function show(component: Parameters<typeof mount>[0], path: string) {
  const pinia = createPinia()
  setActivePinia(pinia)
  const c = useCorpus()
  await c.load()
  await c.open('Ferries')
  await router.push(path)
  const w = mount(component, { attachTo: document.body, global: { plugins: [pinia, router] } })
  for (let i = 0; i < 6; i++) await settle()
  return w
}

beforeEach(() => {
  document.body.innerHTML = ''
  const blank = { template: '<i/>' }
  router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/c/:corpus/gather/:document', name: 'document', component: blank },
      { path: '/c/:corpus/:rest(.*)', name: 'gather', component: blank },
    ],
  })
})

describe('ChecksView', () => {
  const at = (document: string, passage: string) => ({
    document,
    title: document,
    address: `http://a/${document}`,
    span: { start: 3, end: 9 },
    passage,
  })
  const findings = [
    {
      id: 'f1',
      kind: 'contradiction',
      severity: 'high',
      detail: 'two prices for a dog',
      at: at('fares', '£2.00'),
      other: at('news', '£3.00'),
      dismissed: false,
    },
    {
      id: 'f2',
      kind: 'personal data',
      severity: 'low',
      detail: 'a telephone number',
      at: at('people', '01632'),
      dismissed: true,
    },
  ]

  it('lists what was found with both passages, and dismisses', async () => {
    serve({ ...common, '/findings': findings, '/findings/dismiss': {} })
    const w = await show(ChecksView, '/c/Ferries/gather/checks')
    expect(w.findAll('.finding')).toHaveLength(1)
    expect(w.find('.finding').text()).toContain('high · contradiction · two prices for a dog')
    expect(w.findAll('q').map((q) => q.text())).toEqual(['£2.00', '£3.00'])
    expect(w.find('.finding a').attributes('href')).toContain('/gather/fares?from=3&to=9')
    await w.find('.finding .linkish').trigger('click')
    for (let i = 0; i < 4; i++) await settle()
    const sent = calls.find((c) => c.path.endsWith('/dismiss'))
    expect(sent?.body).toEqual({ findings: ['f1'], back: false })
    w.unmount()
  })

  it('filters by kind, and says when there is nothing to mend', async () => {
    serve({ ...common, '/findings': findings })
    const w = await show(ChecksView, '/c/Ferries/gather/checks?kind=near-empty')
    expect(w.findAll('.finding')).toHaveLength(0)
    expect(w.find('.notice').text()).toContain('No open findings')
    w.unmount()
  })
})

describe('ChangesView', () => {
  const doc = (id: string, more: object = {}) => ({
    id,
    title: id,
    address: `http://a/${id}`,
    changedAt: '2026-01-02T10:00:00Z',
    reason: '',
    ...more,
  })

  it('tells what came, changed and went, and opens the difference', async () => {
    const list = {
      added: [doc('new')],
      changed: [doc('fares', { before: 'v1' })],
      gone: [doc('old', { reason: 'gone (404)' })],
      since: '',
    }
    serve({ ...common, '/changes': list })
    const w = await show(ChangesView, '/c/Ferries/gather/changes?since=week')
    expect(w.findAll('h2').map((h) => h.text())).toEqual(['Changed 1', 'Gone 1', 'Came in 1'])
    expect(w.find('li a').attributes('href')).toContain('/gather/fares?compare=v1')
    expect(w.text()).toContain('gone (404)')
    const asked = new URLSearchParams(calls.find((c) => c.path.endsWith('/changes'))?.query).get('since')
    const hours = (Date.now() - Date.parse(asked ?? '')) / 3600_000
    expect(Math.round(hours)).toBe(168)
    w.unmount()
  })

  it('says that without a release everything is new', async () => {
    serve({ ...common, '/changes': { added: [], changed: [], gone: [], since: '' } })
    const w = await show(ChangesView, '/c/Ferries/gather/changes?since=release')
    expect(w.text()).toContain('There is no release yet')
    expect(calls.find((c) => c.path.endsWith('/changes'))?.query).toContain('1970-01-01')
    w.unmount()
  })
})

describe('AddPairs', () => {
  it('shows the columns and the rows that will not go in, and takes in the rest', async () => {
    const preview = {
      form: 'csv',
      columns: ['Question', 'Answer'],
      question: 'Question',
      answer: 'Answer',
      good: 1,
      bad: 1,
      pairs: [
        { line: 2, question: 'May I bring a dog?', answer: 'Yes.', problem: '' },
        { line: 3, question: '', answer: 'Nothing.', problem: 'it has no question' },
      ],
    }
    serve({ ...common, '/pairs/preview': preview, '/pairs': preview })
    const w = await show(AddPairs, '/c/Ferries/gather/add')
    const input = w.find('input[type=file]')
    Object.defineProperty(input.element, 'files', { value: [new File(['Question,Answer'], 'pairs.csv')] })
    await input.trigger('change')
    for (let i = 0; i < 6; i++) await settle()
    expect(w.findAll('tbody tr')).toHaveLength(2)
    expect(w.text()).toContain('it has no question')
    await w
      .findAll('button')
      .find((b) => b.text() === 'Include 1 pair')
      ?.trigger('click')
    for (let i = 0; i < 6; i++) await settle()
    const sent = calls.find((c) => c.method === 'PUT')
    expect(sent?.path).toBe('/api/corpora/Ferries/pairs')
    expect(sent?.query).toContain('question=Question')
    expect(w.findAll('tbody tr')).toHaveLength(0)
    w.unmount()
  })

  it('takes in a pair that is written', async () => {
    serve({ ...common, '/pairs': { good: 1, bad: 0, pairs: [] } })
    const w = await show(AddPairs, '/c/Ferries/gather/add')
    const button = w.find('form button')
    expect(button.attributes('disabled')).toBeDefined()
    await w.find('form input').setValue('May I bring a dog?')
    await w.find('form textarea').setValue('Yes, on a lead.')
    await w.find('form').trigger('submit')
    for (let i = 0; i < 6; i++) await settle()
    expect(JSON.parse(calls.find((c) => c.method === 'PUT')?.text ?? '{}')).toEqual({
      question: 'May I bring a dog?',
      answer: 'Yes, on a lead.',
    })
    w.unmount()
  })
})

describe('VirtualTable', () => {
  const rows = Array.from({ length: 10_000 }, (_, i) => ({ id: `r${i}`, name: `Row ${i}` }))
  const columns = [{ key: 'name', label: 'Name', width: '100%', sortable: true }]
  const slots = { name: '<template #name="{ row }"><a href="#">{{ row.name }}</a></template>' }
  const props = { rows, columns, label: 'Rows', picked: new Set<string>(), sort: { key: 'name', down: false } }

  it('draws only what is in view of ten thousand rows', () => {
    const w = mount(VirtualTable, { props, slots })
    expect(w.find('table').attributes('aria-rowcount')).toBe('10001')
    const drawn = w.findAll('tr.line').length
    expect(drawn).toBeGreaterThan(10)
    expect(drawn).toBeLessThan(100)
    w.unmount()
  })

  it('selects one, all and by key, and sorts both ways', async () => {
    const w = mount(VirtualTable, { props, slots, attachTo: document.body })
    await w.findAll('tr.line input')[2]?.trigger('change')
    expect([...((w.emitted('update:picked')?.[0]?.[0] as Set<string> | undefined) ?? [])]).toEqual(['r2'])
    await w.find('thead input').trigger('change')
    expect((w.emitted('update:picked')?.[1]?.[0] as Set<string>).size).toBe(10_000)
    offerKey('j')
    offerKey('j')
    await settle()
    expect(w.find('tr.at').text()).toBe('Row 1')
    offerKey('x')
    expect([...(w.emitted('update:picked')?.[2]?.[0] as Set<string>)]).toEqual(['r1'])
    await w.find('.order').trigger('click')
    expect(w.emitted('update:sort')?.[0]).toEqual([{ key: 'name', down: true }])
    await w.setProps({ sort: { key: 'name', down: true } })
    expect(w.find('th[aria-sort]').attributes('aria-sort')).toBe('descending')
    w.unmount()
  })

  it('has no boxes when nothing can be selected', () => {
    const w = mount(VirtualTable, { props: { ...props, picked: undefined }, slots })
    expect(w.find('input').exists()).toBe(false)
    offerKey('x')
    expect(w.emitted('update:picked')).toBeUndefined()
    w.unmount()
  })
})

describe('single keys', () => {
  it('can be switched off, and stay so', () => {
    setSingleKeys(false)
    expect(singleKeys.value).toBe(false)
    expect(localStorage.getItem('jolvex.single-keys')).toBe('off')
    setSingleKeys(true)
    expect(singleKeys.value).toBe(true)
  })
})
