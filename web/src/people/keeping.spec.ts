import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { expect, it } from 'vitest'
import { createRouter, createWebHistory } from 'vue-router'
import { useCorpus } from '@/stores/corpus'
import { useSelf } from '@/stores/self'
import { answering, byEnd, refusal, settle } from '../../tests/network'
import KeepingView from './KeepingView.vue'

const router = () =>
  createRouter({ history: createWebHistory(), routes: [{ path: '/', component: { template: '<i />' } }] })

it('says for how long things are kept, and deletes a corpus only by its name', async () => {
  setActivePinia(createPinia())
  let refuses = false
  const calls = answering((c) => {
    if (refuses && c.method === 'DELETE') return refusal(403, 'only an owner deletes a corpus')
    return byEnd({ '/retention': { conversations: 0, runs: 30, versions: 0 } }, c)
  })
  useCorpus().name = 'ferries'
  useSelf().self = { name: 'Ada', owner: true, roles: {}, signsIn: false } as never
  const w = mount(KeepingView, { global: { plugins: [router()] } })
  await settle()
  const save = () => w.findAll('button').find((b) => b.text() === 'Save')
  expect(save()?.attributes('disabled')).toBeDefined()
  const days = w.findAll('input')[0]
  await days?.setValue('90')
  await days?.trigger('change')
  await w.find('form').trigger('submit')
  await settle()
  expect(calls.find((c) => c.method === 'PUT')?.body).toEqual({ conversations: 90, runs: 30, versions: 0 })

  const end = () => w.find('form[aria-label="Delete the corpus"] button')
  expect(end().attributes('disabled')).toBeDefined()
  await w.find('form[aria-label="Delete the corpus"] input').setValue('Ferries')
  expect(end().attributes('disabled')).toBeDefined()
  await w.find('form[aria-label="Delete the corpus"] input').setValue('ferries')
  expect(end().attributes('disabled')).toBeUndefined()
  refuses = true
  await w.find('form[aria-label="Delete the corpus"]').trigger('submit')
  await settle()
  expect(w.find('[role=alert]').text()).toContain('only an owner deletes a corpus')
})
