import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { createRouter, createWebHistory } from 'vue-router'
import { useCorpus } from '@/stores/corpus'
import { answering, refusal, settle, type Call } from '../../../tests/network'
import PageLook from './PageLook.vue'
import StaffView from './StaffView.vue'

const waiting = {
  id: 'h1',
  conversation: 'c1',
  rule: 'Asks for a person',
  team: 'Office',
  purpose: 'Wants to talk',
  who: '',
  state: 'waiting',
  mine: false,
  openedAt: '2026-11-30T10:00:00Z',
  changedAt: '2026-11-30T10:00:00Z',
  summary: 'How much is a kayak? / A human please',
  page: '',
  told: [{ name: 'Mail', value: 'a••@•••••••.•••••••e' }],
  mail: true,
  said: [{ asked: 'How much is a kayak?', said: '£6.50.', at: '2026-11-30T09:59:00Z' }],
  lines: [],
}
const prepared = {
  id: 'e9',
  reply: 'A kayak costs £6.50.',
  refused: false,
  cited: [
    { sentence: 0, title: 'Fares', link: 'https://tolmouth.example/fares', audience: 'public' },
    { sentence: 0, title: 'Crew handbook', link: 'crew.pdf', audience: 'staff' },
  ],
  trail: { reply: [{ text: 'A kayak costs £6.50.' }], pins: { model: '' } },
}
let calls: Call[]
let taken = false

async function show(component: typeof StaffView | typeof PageLook) {
  const router = createRouter({
    history: createWebHistory(),
    routes: [{ path: '/:rest(.*)*', component: { template: '<i />' } }],
  })
  useCorpus().name = 'c'
  const w = mount(component, { global: { plugins: [router] }, attachTo: document.body })
  await settle()
  return w
}

beforeEach(() => {
  document.body.innerHTML = ''
  setActivePinia(createPinia())
  taken = false
  calls = answering((c) => {
    const state = { ...waiting, state: taken ? 'taken' : 'waiting', takenBy: taken ? 'Morgan' : '', mine: taken }
    if (c.path.endsWith('/take')) {
      taken = true
      return {
        ...state,
        state: 'taken',
        takenBy: 'Morgan',
        mine: true,
        told: [{ name: 'Mail', value: 'ada@quayle.example' }],
      }
    }
    if (c.path.endsWith('/prepared')) return prepared
    if (c.path.endsWith('/look'))
      return {
        address: 'https://a.example/',
        shows: false,
        points: [
          { name: 'page', good: true, says: 'The page is there' },
          { name: 'domain', good: false, says: 'a.example is not among the allowed hosts', cure: 'Add a.example.' },
        ],
      }
    if (c.path.endsWith('/found-by-details')) return refusal(422, 'two different details are needed')
    return c.path.endsWith('/handovers') ? [state] : state
  })
})

describe('the staff view', () => {
  it('takes a conversation, prepares a reply that says who may read each source, and sends it', async () => {
    const w = await show(StaffView)
    await w.find('.queue button').trigger('click')
    await settle()
    expect(w.text()).toContain('Details show once somebody has taken it.')
    const button = (text: string) => w.findAll('button').find((b) => b.text() === text)
    await button('Take it')?.trigger('click')
    await settle()
    expect(w.text()).toContain('ada@quayle.example')
    expect(button('Take it')).toBeUndefined()
    await w.findAll('.right form')[0]?.trigger('submit')
    await settle()
    expect(w.findAll('.passages li').map((l) => l.find('.mark').text())).toEqual(['public', 'staff only'])
    expect(w.find('.passages a').attributes('href')).toBe('https://tolmouth.example/fares')
    await button('Send the answer')?.trigger('click')
    await settle()
    const sent = calls.find((c) => c.path.endsWith('/answer'))
    expect(sent?.body).toEqual({ text: 'A kayak costs £6.50.', prepared: 'e9', mail: false })
  })

  it('says why a person is not found', async () => {
    const w = await show(StaffView)
    await w.find('input[aria-label="First detail"]').setValue('Ada')
    await w.find('input[aria-label="Second detail"]').setValue('Ada')
    await w.find('form[aria-label="Find a person\'s conversation"]').trigger('submit')
    await settle()
    expect(w.find('[role=alert]').text()).toBe('two different details are needed')
  })
})

describe('the check of a page', () => {
  it('tells each point, and what to do about what is wrong', async () => {
    const w = await show(PageLook)
    await w.find('input').setValue(' https://a.example ')
    await w.find('form').trigger('submit')
    await settle()
    expect(calls.at(-1)?.body).toEqual({ address: 'https://a.example' })
    expect(w.text()).toContain('The assistant does not show on this page.')
    expect(w.findAll('.points li').map((l) => l.find('span').text())).toEqual(['Right', 'Wrong'])
    expect(w.text()).toContain('Add a.example.')
  })
})
