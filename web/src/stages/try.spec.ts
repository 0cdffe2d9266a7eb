import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { createMemoryHistory, createRouter, type Router } from 'vue-router'
import { useCorpus } from '@/stores/corpus'
import { useTried } from '@/stores/tried'
import { answering, byEnd, settle, type Call } from '../../tests/network'
import { offerKey } from '@/stores/keys'
import CommandPalette from '@/components/CommandPalette.vue'
import ConnectionForm from '@/components/ConnectionForm.vue'
import SettingsForm from '@/components/SettingsForm.vue'
import type { Field } from '@/api/client'
import FindStage from './find/FindStage.vue'
import ShapeStage from './shape/ShapeStage.vue'

const corpus = { id: 'c', name: 'Ferries', documents: 2, failed: 0, chunks: 4, stale: false, states: {}, bar: 0.5 }
const fields: Field[] = [
  {
    key: 'chunk.strategy',
    kind: 'choice',
    try: [],
    label: 'Strategy',
    help: 'How.',
    default: 'structure',
    options: [
      { value: 'structure', label: 'By structure', help: 'Sections.' },
      { value: 'fixed', label: 'Fixed tokens', help: 'Windows.' },
    ],
  },
  {
    key: 'chunk.size',
    kind: 'integer',
    try: [],
    label: 'Size',
    help: 'Most.',
    default: '320',
    min: 32,
    max: 2000,
    unit: 'tokens',
  },
  {
    key: 'chunk.least',
    kind: 'integer',
    try: [],
    label: 'Minimum size',
    help: 'Least.',
    default: '24',
    min: 0,
    max: 400,
    for: ['structure'],
  },
  {
    key: 'find.dense',
    kind: 'number',
    try: [],
    label: 'Share of meaning',
    help: 'Meaning.',
    default: '0.6',
    min: 0,
    max: 1,
    step: 0.05,
  },
  { key: 'query.filler', kind: 'boolean', label: 'Drop filler', help: 'Filler.', default: 'true', try: [] },
]
const chunk = { strategy: 'structure', size: 320, least: 24, overlap: 0, inner: 64, told: 'words', window: 45 }
const method = { chunk, find: { dense: 0.6 }, query: { filler: true }, embed: {}, answer: {} }
const hit = (version: string, score: number, kept = false) => ({
  document: version,
  version,
  address: `http://a/${version}`,
  title: version.toUpperCase(),
  path: ['At the pier'],
  text: 'Lost things are kept for 60 days.',
  lit: [{ start: 0, end: 4 }],
  score,
  kept,
  span: { start: 0, end: 33 },
  why: ['holds every word asked for in the text', 'is alike in meaning'],
  signals: [
    { name: 'body', value: 2, points: 1.8, share: 0.6 },
    { name: 'meaning', value: 0.6, points: -0.3, share: 0 },
  ],
})
const reply = (...evidence: ReturnType<typeof hit>[]) => ({
  reply: 'Kept for 60 days.',
  cited: [],
  millis: 4,
  left: [{ ...hit('d', 0), why: 'repeats', of: 1 }],
  evidence,
  trail: {
    reading: {
      kind: 'question',
      wordings: [{ pass: 'asked', text: 'lost' }],
      terms: [{ stem: 'lost', word: 'lost', weight: 1, pass: 'asked' }],
    },
  },
})

let calls: Call[]
let router: Router
type Answer = unknown

function serve(answers: Record<string, Answer | ((body: Record<string, unknown>) => Answer)>): void {
  calls = answering((c) => byEnd(answers, c))
}

const common = {
  '/api/corpora': [corpus],
  '/jobs': [],
  '/api/settings': fields,
  '/method': method,
  '/sets': [{ id: 's', name: 'Basics', version: '1', count: 2 }],
  '/sources': [{ id: 'site', name: 'Site', kind: 'site', address: 'http://a/' }],
  '/runs': [],
  '/studies': [],
  '/documents': {
    total: 2,
    documents: [
      { id: 'd1', title: 'Fares', address: 'http://a/fares', state: 'indexed', words: 50, source: 'site' },
      { id: 'd2', title: 'Pier', address: 'http://a/pier', state: 'indexed', words: 90, source: 'site' },
    ],
  },
  '/sets/s': { id: 's', name: 'Basics', questions: [{ id: 'q1', question: 'What is lost?', expect: [] }] },
}

async function show(component: Parameters<typeof mount>[0], path: string) {
  const pinia = createPinia()
  setActivePinia(pinia)
  const c = useCorpus()
  await c.load()
  await c.open('Ferries')
  await router.push(path)
  await router.isReady()
  const w = mount(component, { attachTo: document.body, global: { plugins: [pinia, router] } })
  for (let i = 0; i < 8; i++) await settle()
  return { w, c }
}

beforeEach(() => {
  document.body.innerHTML = ''
  const blank = { template: '<i/>' }
  router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/', component: blank },
      { path: '/c/:corpus/gather/:document', name: 'document', component: blank },
      ...['gather', 'shape', 'find', 'answer', 'prove', 'mend', 'serve', 'add', 'checks', 'changes'].map((name) => ({
        path: `/c/:corpus/${name}`,
        name,
        component: blank,
      })),
    ],
  })
})

describe('FindStage', () => {
  it('ranks the question of its address and says why, with a bar for each signal and what was left out', async () => {
    serve({ ...common, '/find': reply(hit('a', 3), hit('b', 2)) })
    const { w } = await show(FindStage, '/c/Ferries/find?q=lost')
    expect(calls.find((c) => c.path.endsWith('/find'))?.body).toMatchObject({ question: 'lost', find: { dense: 0.6 } })
    const first = w.find('.hit')
    expect(first.find('.title').text()).toBe('A › At the pier')
    expect(first.find('mark').text()).toBe('Lost')
    expect(first.find('.why').text()).toContain('holds every word asked for in the text; is alike in meaning')
    expect(first.find('table').text()).toContain('+1.80')
    expect(first.findAll('.bar').map((b) => b.classes('minus'))).toEqual([false, true])
    expect(first.find('.title').attributes('href')).toContain('from=0&to=33')
    expect(w.find('.left-out').text()).toContain('says the same as rank 1')
    w.unmount()
  })

  it('moves with j and k, and x makes an expectation of a chunk', async () => {
    const expected = { id: 'p1', question: 'lost', expect: [{ kind: 'reaches', values: ['Lost things'] }] }
    serve({ ...common, '/find': reply(hit('a', 3), hit('b', 2)), '/pins': expected })
    const { w } = await show(FindStage, '/c/Ferries/find?q=lost')
    for (const k of ['j', 'j', 'k', 'j']) expect(offerKey(k)).toBe(true)
    await settle()
    expect(document.activeElement?.id).toBe('hit-1')
    expect(offerKey('x')).toBe(true)
    await settle()
    await w.find('.pin').trigger('submit')
    for (let i = 0; i < 4; i++) await settle()
    expect(calls.find((c) => c.path.endsWith('/pins'))?.body).toMatchObject({
      set: 'Basics',
      question: 'lost',
      version: 'b',
    })
    expect(w.find('[role=status]').text()).toContain('now expects this question to reach “Lost things”')
    expect(offerKey('z')).toBe(false)
    w.unmount()
    expect(offerKey('j')).toBe(false)
  })

  it('draws what moved between the settings applied and those tried', async () => {
    serve({
      ...common,
      '/find': (b: Record<string, unknown>) =>
        b.find === undefined ? reply(hit('a', 3), hit('b', 2)) : reply(hit('b', 3), hit('c', 2)),
    })
    const { w } = await show(FindStage, '/c/Ferries/find?q=lost&view=sides')
    const tried = w.findAll('ol[aria-label="As tried"] li').map((l) => l.text())
    expect(tried[0]).toContain('up 1')
    expect(tried[1]).toContain('new')
    expect(w.find('ol[aria-label="As applied"] li').text()).toContain('gone')
    expect(w.findAll('line').map((l) => l.classes())).toEqual([['rose']])
    w.unmount()
  })

  it('ranks many questions in batches and tells who gained and who lost', async () => {
    const under = (rank: number) => ({
      rank,
      title: 'T',
      path: [],
      span: { start: 0, end: 1 },
      version: 'v',
      document: 'd',
    })
    serve({
      ...common,
      '/find/batch': (b: Record<string, unknown>) =>
        (b.questions as { id: string; question: string; expect: unknown[] }[]).map((q) => ({
          id: q.id,
          question: q.question,
          under: q.id === '1' ? [under(4), under(1)] : q.id === '2' ? [under(1), under(0)] : [under(-1), under(-1)],
        })),
    })
    const { w } = await show(FindStage, '/c/Ferries/find?view=many')
    ;(w.findComponent({ name: 'ManyQuestions' }).vm as unknown as { from: string }).from = 'paste'
    await settle()
    await w.find('.right textarea').setValue('first\t/fares\nsecond\tPier\nthird\n')
    await w.find('.right form').trigger('submit')
    for (let i = 0; i < 6; i++) await settle()
    const sent = calls.find((c) => c.path.endsWith('/find/batch'))?.body
    expect(sent?.questions).toMatchObject([{ expect: [{ kind: 'cites', values: ['/fares'] }] }, {}, { expect: [] }])
    expect(sent?.variants).toHaveLength(2)
    expect(w.text()).toContain('1 gained, 1 lost of 2')
    expect(w.text()).toContain('hit@1 50 % → 50 %')
    expect(w.text()).toContain('not in 20')
    w.unmount()
  })

  it('shows what each part is worth, and offers weights only when they were kept', async () => {
    const part = {
      key: 'find.dense',
      label: 'Meaning (dense)',
      kind: 'retrieval',
      mrr: 0.12,
      effect: 'better',
      interval: { low: 0.05, high: 0.2 },
      hit5: 0.1,
      helped: ['q1'],
      hurt: [],
    }
    const whole = { questions: 40, hit1: 0.8, hit3: 0.9, hit5: 0.95, mrr: 0.87, ndcg: 0.9 }
    const fit = {
      kept: false,
      before: 0.8,
      after: 0.85,
      unseen: 0.79,
      gain: -0.01,
      interval: { low: -0.03, high: 0.01 },
      folds: 5,
      clusters: 40,
      moved: [{ key: 'dense', before: 0.6, after: 0.8, folds: [0.8, 0.7] }],
    }
    const study = (kind: string, more: object) => ({
      id: kind,
      kind,
      set: 's',
      createdAt: '',
      endedAt: '2026-01-01T00:00:00Z',
      stale: [],
      ...more,
    })
    const studies = [
      study('ablation', {
        ablation: {
          whole,
          parts: [
            part,
            {
              ...part,
              key: 'x',
              label: 'Fold repeats',
              mrr: 0,
              effect: 'unclear',
              interval: { low: -0.01, high: 0.01 },
            },
          ],
          seen: 0.08,
        },
      }),
      study('fit', { fit }),
    ]
    serve({ ...common, '/studies': studies })
    const { w } = await show(FindStage, '/c/Ferries/find?view=worth')
    const rows = w.findAll('tbody tr').map((r) => r.text())
    expect(rows[0]).toContain('+12.0')
    expect(rows[0]).toContain('helps')
    expect(rows[1]).toContain('no clear effect')
    expect(w.text()).toContain('Not kept')
    expect(w.text()).not.toContain('Try these weights')
    w.unmount()
    serve({ ...common, '/studies': [studies[0], study('fit', { fit: { ...fit, kept: true } })] })
    const again = await show(FindStage, '/c/Ferries/find?view=worth')
    await again.w
      .findAll('button')
      .find((b) => b.text() === 'Try these weights')
      ?.trigger('click')
    await settle()
    expect(again.w.text()).toContain('Settings are being tried that are not applied')
    again.w.unmount()
  })
})

describe('ShapeStage', () => {
  const layer = (ordinal: number, start: number, end: number, same: boolean) => ({
    ordinal,
    tokens: 12,
    span: { start, end },
    path: ['Dogs'],
    seen: ordinal,
    same,
  })
  const stats = {
    documents: 2,
    chunks: 2,
    tokens: 24,
    mean: 12,
    smallest: 12,
    largest: 12,
    sizes: [2, 0],
    cutSentences: 0,
    cutTables: 0,
    loneHeadings: 0,
    duplicates: 0,
    passages: 1,
    cutPassages: 0,
  }
  const preview = (other: boolean) => ({
    document: { id: 'd2', version: 'v', text: 'Dogs pay. Cats do not.' },
    chunks: [layer(0, 0, 9, true), layer(1, 10, 22, false)],
    stats,
    passages: [{ span: { start: 10, end: 22 }, set: 'Basics', question: 'q1', text: 'Do cats pay?', cut: true }],
    other: other ? { chunks: [layer(0, 0, 9, true)], stats: { ...stats, chunks: 1 } } : undefined,
  })

  it('cuts the longest document as settings move, and marks the passages that a cut runs through', async () => {
    serve({ ...common, '/preview': preview(false), '/cutting': { stats, total: 2 } })
    const { w } = await show(ShapeStage, '/c/Ferries/shape')
    expect(calls.find((x) => x.path.endsWith('/preview'))?.path).toContain('/documents/d2/')
    expect(w.findAll('.text section')).toHaveLength(2)
    expect(w.find('u.cut').text()).toBe('Cats do not.')
    expect(w.find('.notice.caution').text()).toContain('“Do cats pay?”')
    expect(w.find('.whole').text()).toContain('2 of 2')
    const form = w.findComponent(SettingsForm)
    form.vm.$emit('change', 'size', 100)
    for (let i = 0; i < 4; i++) await settle()
    expect(calls.filter((x) => x.path.endsWith('/preview')).at(-1)?.body).toMatchObject({ settings: { size: 100 } })
    expect(useTried().stages.map((s) => s.name)).toContain('shape')
    expect(w.text()).toContain('Apply and rebuild')
    w.unmount()
  })

  it('shows two settings side by side and marks where they differ', async () => {
    serve({
      ...common,
      '/preview': (b: Record<string, unknown>) => preview(b.other !== undefined),
      '/cutting': { stats, total: 2 },
    })
    const { w } = await show(ShapeStage, '/c/Ferries/shape?sides=yes')
    expect(calls.find((x) => x.path.endsWith('/preview'))?.body.other).toMatchObject({ size: 320 })
    expect(w.findAll('.strata')).toHaveLength(2)
    expect(w.find('#cut-1').classes()).toContain('apart')
    expect(w.find('#cut-0').classes()).not.toContain('apart')
    w.unmount()
  })

  it('gives a source settings of its own', async () => {
    serve({ ...common, '/preview': preview(false), '/cutting': { stats, total: 2 } })
    const { w } = await show(ShapeStage, '/c/Ferries/shape?for=site')
    expect(w.findComponent(SettingsForm).exists()).toBe(false)
    await w.find('.own input').setValue(true)
    await settle()
    w.findComponent(SettingsForm).vm.$emit('change', 'strategy', 'fixed')
    for (let i = 0; i < 4; i++) await settle()
    expect(calls.filter((x) => x.path.endsWith('/preview')).at(-1)?.body).toMatchObject({
      settings: { strategy: 'fixed' },
    })
    await new Promise((r) => setTimeout(r, 200))
    expect(calls.filter((x) => x.path.endsWith('/cutting')).at(-1)?.body).toMatchObject({
      sources: { site: { strategy: 'fixed' } },
    })
    w.unmount()
  })
})

describe('SettingsForm', () => {
  it('shows what the strategy heeds, explains the choice, and marks what was changed', async () => {
    const w = mount(SettingsForm, {
      props: { fields: fields.slice(0, 3), values: chunk, before: { ...chunk, size: 100 } },
    })
    expect(w.text()).toContain('Sections.')
    expect(w.text()).toContain('Minimum size')
    expect(w.findAll('.changed')).toHaveLength(1)
    await w.setProps({ values: { ...chunk, strategy: 'fixed' } })
    expect(w.text()).toContain('Windows.')
    expect(w.text()).not.toContain('Minimum size')
    const s = mount(SettingsForm, { props: { fields: fields.slice(4), values: { filler: true } } })
    await s.find('input').setValue(false)
    expect(s.emitted('change')).toEqual([['filler', false]])
  })
})

describe('CommandPalette', () => {
  it('finds documents, questions and settings, and goes there', async () => {
    serve(common)
    const { w } = await show(CommandPalette, '/c/Ferries/gather')
    await (w.vm as unknown as { show: () => Promise<void> }).show()
    for (let i = 0; i < 6; i++) await settle()
    expect(w.findAll('li').length).toBeGreaterThan(10)
    for (const [asked, kind, label] of [
      ['fares', 'Document', 'Fares'],
      ['what lost', 'Question', 'What is lost?'],
      ['share mean', 'Setting', 'Share of meaning'],
      ['dark', 'Action', 'Dark theme'],
    ]) {
      await w.find('input').setValue(asked)
      expect(w.find('li[aria-selected=true]').text(), asked).toContain(`${kind}${label}`)
    }
    await w.find('input').setValue('nothing at all like it')
    expect(w.text()).toContain('No match')
    await w.find('input').setValue('pier')
    await w.find('[role=dialog]').trigger('keydown', { key: 'Enter' })
    for (let i = 0; i < 4; i++) await settle()
    expect(router.currentRoute.value.fullPath).toBe('/c/Ferries/gather/d2')
    expect(w.find('[role=dialog]').exists()).toBe(false)
    w.unmount()
  })
})

describe('ConnectionForm', () => {
  it('tells what is connected, never shows the key, and says why an endpoint was refused', async () => {
    const stored = { base: 'http://127.0.0.1:9000/v1', model: 'm', keyed: true, dimensions: 256, tokens: 1200 }
    serve({ ...common, '/connections/embeddings': stored })
    const props = {
      kind: 'embeddings' as const,
      label: 'External embeddings',
      connected: 'come from',
      unconnected: 'are not connected',
      path: '/embeddings',
    }
    const w = mount(ConnectionForm, { props })
    for (let i = 0; i < 4; i++) await settle()
    expect(w.text()).toContain('come from http://127.0.0.1:9000/v1, 256 numbers a vector, 1,200 tokens so far')
    await w.find('.linkish').trigger('click')
    const inputs = w.findAll('input')
    expect(inputs.map((i) => i.element.value)).toEqual(['http://127.0.0.1:9000/v1', 'm', ''])
    await w.find('form').trigger('submit')
    for (let i = 0; i < 4; i++) await settle()
    expect(calls.at(-1)).toMatchObject({ method: 'PUT', body: { base: stored.base, model: 'm' } })
    expect(calls.at(-1)?.body).not.toHaveProperty('key')
    expect(w.emitted('saved')).toEqual([[true]])
    serve({})
    await w.find('.linkish').trigger('click')
    await w.find('form').trigger('submit')
    for (let i = 0; i < 4; i++) await settle()
    expect(w.find('[role=alert]').text()).toContain('no /api/connections/embeddings')
  })
})
