import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { createRouter, createWebHistory } from 'vue-router'
import { useCorpus } from '@/stores/corpus'
import { answering, byEnd, refusal, settle, type Call } from '../../../tests/network'
import NotifyView from './NotifyView.vue'
import SettledForm from './SettledForm.vue'
import SnagView from './SnagView.vue'

const snag = {
  id: 's1',
  kind: 'unanswered',
  title: 'Can I bring a canoe?',
  state: 'open',
  owner: '',
  note: '',
  due: '',
  reason: '',
  how: '',
  fact: '',
  document: '',
  asked: 3,
  visitors: 2,
  refused: 3,
  first: '2026-11-28T10:00:00Z',
  last: '2026-11-30T10:00:00Z',
  cause: '',
  why: '',
  before: [] as unknown[],
  after: [] as unknown[],
  createdAt: '2026-11-28T10:00:00Z',
  changedAt: '2026-11-28T10:00:00Z',
  endedAt: '',
  version: 4,
  items: [{ ref: 'run/r1/q/7', question: 'Is a canoe allowed?' }],
  lines: Array.from({ length: 8 }, (_, i) => ({
    id: `e${i}`,
    at: '2026-11-30T10:00:00Z',
    question: i === 0 ? 'Can I bring a canoe?' : `canoe ${i}`,
    outcome: 'refused',
    word: i === 1 ? '<b>no help</b>' : '',
  })),
}
let calls: Call[]
let now: typeof snag
let refuses = ''

function router() {
  return createRouter({
    history: createWebHistory(),
    routes: [
      { path: '/', component: { template: '<i />' } },
      { path: '/prove', name: 'prove', component: { template: '<i />' } },
    ],
  })
}

async function open() {
  const w = mount(SnagView, {
    props: { snag: 's1', all: [{ ...snag, id: 's2', title: 'Kayaks' }, snag] as never },
    global: { plugins: [router()] },
    attachTo: document.body,
  })
  await settle()
  return w
}

beforeEach(() => {
  document.body.innerHTML = ''
  setActivePinia(createPinia())
  useCorpus().name = 'c'
  now = { ...snag }
  refuses = ''
  calls = answering((c) => {
    if (refuses !== '' && c.method !== 'GET') return refusal(409, refuses)
    return byEnd(
      {
        '/snags/s1': now,
        '/s1/cause': now,
        '/s1/settle': now,
        '/s1/mail': { mails: 2 },
        '/snags/split': now,
        '/settled/catch': {
          caught: [
            { question: 'canoe fee', how: 0.9, meant: true, count: 3, set: '' },
            { question: 'How much is a kayak?', how: 0.7, meant: false, count: 5, set: '' },
          ],
          meant: 1,
          over: 1,
          of: 240,
          everything: false,
        },
      },
      c,
    )
  })
})

describe('a snag', () => {
  const button = (w: Awaited<ReturnType<typeof open>>, text: string) =>
    w.findAll('button').find((b) => b.text() === text)

  it('tells how often it was asked, and shows what users said as text', async () => {
    const w = await open()
    expect(w.text()).toContain('asked 3 times in 2 conversations')
    expect(w.findAll('.lines input')).toHaveLength(6)
    expect(w.find('q').text()).toBe('<b>no help</b>')
    await button(w, 'All 8')?.trigger('click')
    expect(w.findAll('.lines input')).toHaveLength(8)
    expect(w.find('.lines a[href*="question=q/7"], .lines a[href*="q%2F7"]').exists()).toBe(true)
  })

  it('changes over the version that was read, and says when another was faster', async () => {
    const w = await open()
    await w.find('textarea[aria-label="What is true"]').setValue('A canoe costs £6.50.')
    await w.find('textarea[aria-label="What is true"]').trigger('change')
    await w.find('textarea[aria-label="What is true"]').trigger('blur')
    await settle()
    const sent = calls.find((c) => c.method === 'PATCH')
    expect(sent?.body).toEqual({ fact: 'A canoe costs £6.50.', version: 4 })
    refuses = 'somebody changed it meanwhile'
    await button(w, 'Dismiss')?.trigger('click')
    await w.find('input[aria-label="Why it needs no mending"]').setValue('A joke')
    await button(w, 'Dismiss')?.trigger('click')
    await settle()
    expect(w.find('[role=alert]').text()).toBe('somebody changed it meanwhile')
    expect(w.find('input[aria-label="Why it needs no mending"]').exists()).toBe(true) // what was typed stays
  })

  it('makes a snag of its own of those that were selected', async () => {
    const w = await open()
    await w.findAll('.lines input')[1]?.trigger('change')
    await w.findAll('.lines input')[2]?.trigger('change')
    await w.findAll('.lines input')[2]?.trigger('change') // and not this one after all
    await button(w, 'Make a snag of its own of the 1 selected')?.trigger('click')
    await settle()
    expect(calls.find((c) => c.path.endsWith('/split'))?.body).toEqual({ exchanges: ['e1'] })
  })

  it('asks for what is true before it becomes an expected question', async () => {
    const w = await open()
    await button(w, 'Expect it in a question set')?.trigger('click')
    expect(button(w, 'Add to the set')?.attributes('disabled')).toBeDefined()
    now.fact = 'A canoe costs £6.50.'
    now.version = 5
    const v = await open()
    await button(v, 'Expect it in a question set')?.trigger('click')
    await button(v, 'Add to the set')?.trigger('click')
    await settle()
    expect(calls.find((c) => c.path.endsWith('/settle'))?.body).toEqual({ how: 'set', set: 'From users', version: 5 })
  })

  it('shows before and after, and mails the answer', async () => {
    Object.assign(now, {
      state: 'settled',
      how: 'answer',
      before: [
        { question: 'Can I bring a canoe?', reply: 'Our pages say nothing.', outcome: 'refused', passed: false },
      ],
      after: [{ question: 'Can I bring a canoe?', reply: 'Yes, for £6.50.', outcome: 'answered', passed: true }],
    })
    const w = await open()
    expect(w.findAll('.pairs tbody td').map((c) => c.find('b').exists() && c.find('b').text())).toEqual([
      false,
      '✗',
      '✓',
    ])
    await button(w, 'Mail the answer to those who left an address')?.trigger('click')
    await settle()
    expect(w.find('span[role=status]').text()).toBe('2 mails on the way')
  })
})

describe('a settled answer in the making', () => {
  it('shows which past questions it takes, and which it would take over', async () => {
    const answer = { question: 'Can I bring a canoe?', answer: 'Yes.', wordings: ['canoe'], owner: 'Ada', expires: '' }
    const w = mount(SettledForm, { props: { answer: answer as never, snag: 's1', save: 'Settle' } })
    await settle()
    expect(calls.at(-1)?.body).toEqual({ question: 'Can I bring a canoe?', wordings: ['canoe'], snag: 's1' })
    expect(w.text()).toContain('It will answer 1 past question')
    expect(w.text()).toContain('It would take over 1 question')
    expect(w.text()).toContain('Held against 240 questions.')
    vi.useFakeTimers()
    await w.find('input').setValue('canoe on the ferry')
    await w.findAll('textarea')[1]?.setValue(' canoe \n\n kayak ')
    await vi.advanceTimersByTimeAsync(500)
    vi.useRealTimers()
    await settle()
    expect(calls.at(-1)?.body).toEqual({ question: 'canoe on the ferry', wordings: ['canoe', 'kayak'], snag: 's1' })
    await w.find('form').trigger('submit')
    expect(w.emitted('save')?.[0]?.[0]).toMatchObject({
      question: 'canoe on the ferry',
      wordings: ['canoe', 'kayak'],
      owner: 'Ada',
    })
  })
})

describe('who is told', () => {
  const told = {
    id: 't1',
    recipient: 'desk@tolmouth.example',
    kinds: ['unanswered', 'handovers'],
    pace: 'day',
    hour: 8,
    quietFrom: 20,
    quietTo: 7,
    zone: 'Europe/London',
    most: 20,
  }
  const message = {
    id: 'm1',
    recipient: 'https://a.example/hook',
    subject: '2 questions',
    body: '{"a":1}',
    createdAt: '2026-11-30T10:00:00Z',
  }

  async function show() {
    calls = answering((c) => {
      if (c.method === 'PUT') return { ...told, secret: 'whsec_abc' }
      return byEnd(
        {
          '/subscriptions': [told],
          '/deliveries': [{ ...message, state: 'failed', problem: 'answered 500' }],
          '/retry': {},
          '/subscriptions/t1': {},
        },
        c,
      )
    })
    const w = mount(NotifyView, { attachTo: document.body })
    await settle()
    return w
  }

  it('says of what and when, and sends again what did not go out', async () => {
    const w = await show()
    expect(w.text()).toContain('conversations waiting for a person')
    expect(w.text()).toContain('daily at 08:00; quiet 20:00 to 07:00')
    expect(w.text()).toContain('answered 500')
    await w
      .findAll('button')
      .find((b) => b.text() === 'Send again')
      ?.trigger('click')
    await settle()
    expect(calls.some((c) => c.path.endsWith('/deliveries/m1/retry') && c.method === 'POST')).toBe(true)
    await w
      .findAll('button')
      .find((b) => b.text() === '2 questions')
      ?.trigger('click')
    expect(w.find('pre').text()).toBe('{"a":1}')
  })

  it('shows the secret of a webhook once', async () => {
    const w = await show()
    await w
      .findAll('button')
      .find((b) => b.text() === 'Tell somebody')
      ?.trigger('click')
    await w.find('form input').setValue('https://a.example/hook')
    await w.find('form').trigger('submit')
    await settle()
    const sent = calls.find((c) => c.method === 'PUT')
    expect(sent?.body).toMatchObject({
      recipient: 'https://a.example/hook',
      kinds: ['unanswered', 'digest'],
      pace: 'hour',
    })
    expect(w.text()).toContain('whsec_abc')
    await w
      .findAll('button')
      .find((b) => b.text() === 'I have kept it')
      ?.trigger('click')
    expect(w.text()).not.toContain('whsec_abc')
  })
})
