import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { createRouter, createWebHistory } from 'vue-router'
import { useCorpus } from '@/stores/corpus'
import { answering, byEnd, refusal, settle, type Call } from '../../../tests/network'
import ServeStage from './ServeStage.vue'

const changes = [
  {
    number: 2,
    at: '2026-11-25T10:00:00Z',
    why: 'Lower the evidence bar to 0.39',
    settings: [{ key: 'answer.bar', label: 'Evidence bar', before: '0.5', after: '0.39' }],
    evidence: { run: 'r2', text: 'tried over 80 questions of “release”: 3 fixed, 0 broken, p 0.250' },
  },
  {
    number: 1,
    at: '2026-11-24T10:00:00Z',
    why: '',
    settings: [{ key: 'answer.always', label: 'Always', before: '', after: 'Ring us.' }],
  },
  { number: 0, at: '2026-11-23T10:00:00Z', why: '', settings: [] },
]
let calls: Call[]
let refuses = false
let gate = { open: true, why: 'every set passes its floor', sets: [] as unknown[] }

async function show() {
  const router = createRouter({
    history: createWebHistory(),
    routes: [
      { path: '/', component: { template: '<i />' } },
      { path: '/c/:corpus/prove', name: 'prove', component: { template: '<i />' } },
    ],
  })
  useCorpus().name = 'c'
  const w = mount(ServeStage, { global: { plugins: [router] }, attachTo: document.body })
  await settle()
  return w
}

beforeEach(() => {
  setActivePinia(createPinia())
  refuses = false
  gate = { open: true, why: 'every set passes its floor', sets: [] }
  const releases = [
    {
      number: 1,
      note: 'winter fares',
      at: '2026-11-24T12:00:00Z',
      snapshot: 'abcdef0123456789',
      method: '0123456789abcdef',
      gate: [],
      live: true,
    },
  ]
  calls = answering((c) => {
    if (refuses && c.method === 'POST') return refusal(422, 'the index has not been built yet')
    return byEnd(
      {
        '/releases': releases,
        '/gate': gate,
        '/method/history': changes,
        '/history/1': { method: {} },
        '/api/corpora': [],
      },
      c,
    )
  })
})

describe('ServeStage', () => {
  it('tells how the draft came to be what it is, with what spoke for it', async () => {
    const w = await show()
    const rows = w.findAll('.changes tbody tr')
    expect(rows.map((r) => r.text())).toEqual([
      expect.stringContaining('Lower the evidence bar to 0.39Evidence bar: 0.5 → 0.39tried over 80 questions'),
      expect.stringContaining('Always: none → Ring us.'),
      expect.stringContaining('what it was at first'),
    ])
    expect(rows[0]?.find('a').attributes('href')).toBe('/c/c/prove?run=r2')
    expect(rows[0]?.find('button').exists()).toBe(false) // that is what it is
    await rows[1]?.find('button').trigger('click')
    await settle()
    expect(calls.find((c) => c.method === 'POST')?.path).toBe('/api/corpora/c/method/history/1')
    w.unmount()
  })

  it('freezes the draft, and says why it cannot', async () => {
    const w = await show()
    expect(w.text()).toContain('winter fares')
    await w.find('input').setValue('new bar')
    const press = async () => {
      await w
        .findAll('button')
        .find((b) => b.text() === 'Release the draft')
        ?.trigger('click')
      await settle()
    }
    await press()
    expect(calls.find((c) => c.method === 'POST')?.body).toEqual({ note: 'new bar', overrule: '' })
    expect((w.find('input').element as HTMLInputElement).value).toBe('')
    refuses = true
    await press()
    expect(w.find('[role=alert]').text()).toBe('the index has not been built yet')
    w.unmount()
  })

  it('holds a release back while the gate is shut, unless somebody says why it goes out', async () => {
    const below = { id: 's', set: 'fares', floor: 0.9, state: 'below', questions: 40, run: 'r', pass: 0.8 }
    gate = {
      open: false,
      why: 'fares passes 80.0 % of its questions, and the floor is 90 %',
      sets: [{ ...below, interval: { low: 0.65, high: 0.9 } }],
    }
    const w = await show()
    const button = () => w.findAll('button').find((b) => b.text() === 'Release the draft')
    expect(w.find('[role=status]').text()).toContain('Shut')
    expect(w.text()).toContain('below the floor')
    expect(button()?.attributes('disabled')).toBeDefined()
    await w.findAll('input')[1]?.setValue('a storm: fares are off the page today')
    expect(button()?.attributes('disabled')).toBeUndefined()
    await button()?.trigger('click')
    await settle()
    expect(calls.find((c) => c.method === 'POST')?.body).toEqual({
      note: '',
      overrule: 'a storm: fares are off the page today',
    })
    w.unmount()
  })
})
