import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { expect, it } from 'vitest'
import { createRouter, createWebHistory } from 'vue-router'
import { useCorpus } from '@/stores/corpus'
import { answering, byEnd, settle } from '../../../tests/network'
import ChannelsView from './ChannelsView.vue'

const figures = { waiting: 1, answered: 4, dropped: 2, failed: 1, unsent: 0, lost: 1, lastIn: '', problem: 'no answer' }
const settings = {
  address: 'ask@tolmouth.example',
  mode: 'draft',
  markup: 'plain',
  longest: 0,
  silence: 336,
  sources: true,
  paused: false,
}

it('shows how channels do, makes one whose secret is shown once, and tries one', async () => {
  setActivePinia(createPinia())
  const mail = { id: 'm', kind: 'mail', name: 'Office', settings, figures, in: 'http://x/c/m' }
  const calls = answering((c) => {
    if (c.path.endsWith('/try')) return { problem: 'the mail server did not take it' }
    if (c.method === 'PUT') return { ...mail, ...(c.body as object), id: 'n', secret: 'whsec_abc' }
    return byEnd({ '/channels': [mail], '/place': { visitors: 'http://x', live: 1 } }, c)
  })
  useCorpus().name = 'c'
  const router = createRouter({
    history: createWebHistory(),
    routes: [
      { path: '/', component: { template: '<i />' } },
      { path: '/c/:corpus/mend', component: { template: '<i />' } },
    ],
  })
  const w = mount(ChannelsView, { global: { plugins: [router] }, attachTo: document.body })
  await settle()
  expect(w.find('.queue').text()).toContain('4 answered · 1 waiting · 2 from machines')
  expect(w.find('.queue').text()).toContain('2 failed')
  await w.find('.queue button').trigger('click')
  await settle()
  expect(w.text()).toContain('Last problem: no answer')
  expect(w.text()).toContain('http://x/c/m')
  await w.find('input[aria-label="Your mail address"]').setValue('ada@tolmouth.example')
  await w
    .findAll('button')
    .find((b) => b.text() === 'Send a trial message')
    ?.trigger('click')
  await settle()
  expect(calls.find((c) => c.path.endsWith('/try'))?.body).toEqual({ to: 'ada@tolmouth.example' })
  expect(w.find('[role=alert]').text()).toBe('the mail server did not take it')

  await w
    .findAll('button')
    .find((b) => b.text() === 'Add a service')
    ?.trigger('click')
  const inputs = w.findAll('form input[maxlength]')
  await inputs[0]?.setValue('Chat')
  await inputs[1]?.setValue('https://chat.example/replies')
  await w.find('form').trigger('submit')
  await settle()
  expect(calls.find((c) => c.method === 'PUT')?.body).toMatchObject({
    kind: 'service',
    name: 'Chat',
    settings: { address: 'https://chat.example/replies', mode: 'answer', silence: 24 },
  })
  expect(w.text()).toContain('whsec_abc')
  await w
    .findAll('button')
    .find((b) => b.text() === 'I have kept it')
    ?.trigger('click')
  expect(w.text()).not.toContain('whsec_abc')
  w.unmount()
})
