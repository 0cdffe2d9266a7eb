import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { createRouter, createWebHistory } from 'vue-router'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { useCorpus } from '@/stores/corpus'
import { offerKey } from '@/stores/keys'
import { answering, settle, type Call } from '../../../tests/network'
import ClusterList from './ClusterList.vue'
import ReviewBar from './ReviewBar.vue'

let calls: Call[] = []
const clusters = [
  {
    cause: 'wronglyRefused',
    questions: ['a', 'b', 'c'],
    cures: 2,
    fix: { label: 'Lower the evidence bar to 0.38', cures: true, change: { settings: { 'answer.bar': '0.38' } } },
  },
  { cause: 'leftOut', questions: ['d', 'e'], cures: 0, fix: { label: 'Try it again', cures: false, change: {} } },
]

beforeEach(() => {
  setActivePinia(createPinia())
  calls = answering((c) => {
    if (c.path.endsWith('/clusters')) return clusters
    if (c.path.endsWith('/tries')) return { run: { id: 'r9' }, job: { id: 'j', kind: 'run', state: 'queued' } }
    return {}
  })
  useCorpus().name = 'c'
})
afterEach(() => vi.unstubAllGlobals())

describe('a review', () => {
  it('is said with one key and goes on, or written down without going on', async () => {
    const w = mount(ReviewBar, {
      props: { review: { mark: '', note: 'look again', owner: '' }, done: 3, of: 20 },
      attachTo: document.body,
    })
    expect(w.text()).toContain('3 of 20 reviewed')
    offerKey('d')
    expect(w.emitted('say')?.at(-1)).toEqual([{ mark: 'doubtful', note: 'look again', owner: '' }, true])
    const note = w.find('input[aria-label="What is to be done"]')
    await note.setValue('mend the page')
    await note.trigger('change')
    expect(w.emitted('say')?.at(-1)).toEqual([{ mark: '', note: 'mend the page', owner: '' }, false])
    await w.setProps({ review: { mark: 'right', note: '', owner: '' } })
    await w.findAll('button')[0]?.trigger('click')
    expect(w.emitted('say')?.at(-1), 'pressed again, it is taken back').toEqual([
      { mark: '', note: '', owner: '' },
      false,
    ])
    w.unmount()
  })
})

describe('failures with one fix', () => {
  it('tell how many it cures, show them, and try it on the set', async () => {
    const router = createRouter({
      history: createWebHistory(),
      routes: [{ path: '/', component: { template: '<i />' } }],
    })
    const w = mount(ClusterList, { props: { run: 'r', set: 's', ended: true }, global: { plugins: [router] } })
    await settle()
    expect(w.text()).toContain('cures 2 of 3 tried one by one')
    expect(w.text()).toContain('proposed for 2, not tried yet')
    const press = async (label: string): Promise<void> => {
      await w
        .findAll('button')
        .find((b) => b.text() === label)
        ?.trigger('click')
      await settle()
    }
    await press('Show them')
    expect(w.emitted('show')?.[0]).toEqual([['a', 'b', 'c']])
    await press('Try it on the set')
    expect(calls.find((c) => c.path.endsWith('/tries'))?.body).toEqual({
      change: { settings: { 'answer.bar': '0.38' } },
      note: 'Lower the evidence bar to 0.38',
    })
    w.unmount()
  })
})
