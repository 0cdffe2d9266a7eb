import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { createRouter, createWebHistory } from 'vue-router'
import { useCorpus } from '@/stores/corpus'
import { roleLabel, roles, useSelf } from '@/stores/self'
import { answering, byEnd, refusal, settle, type Call } from '../../tests/network'
import AuditView from './AuditView.vue'
import MembersView from './MembersView.vue'
import SignIn from './SignIn.vue'

const nobody = { signsIn: true, begun: true, openId: false, in: false, owner: false, roles: {} }
const olive = { ...nobody, in: true, person: 'p1', name: 'Olive', owner: true }
const wilf = { ...nobody, in: true, person: 'p2', name: 'Wilf', roles: { harbour: 'judge' } }
const members = {
  people: [
    { id: 'p1', name: 'Olive', mail: 'olive@x.example', owner: true, roles: {}, password: true, createdAt: '' },
    {
      id: 'p2',
      name: 'Wilf',
      mail: 'w@x.example',
      owner: false,
      roles: { harbour: 'judge' },
      password: true,
      createdAt: '',
    },
  ],
  invitations: [
    {
      id: 'i1',
      mail: 'ada@x.example',
      owner: false,
      corpus: 'harbour',
      role: 'see',
      invitedBy: 'Olive',
      expiresAt: '2030-01-01T00:00:00Z',
    },
  ],
}
const trail = [
  {
    seq: 2,
    at: '2026-11-30T10:00:00Z',
    who: 'Wilf',
    via: 'session',
    address: '10.0.0.7',
    corpus: 'harbour',
    operation: 'saveMethod',
    what: 'Save the draft’s settings',
    target: '',
    changes: [{ path: '/answer/bar', before: '0.5', after: '0.4' }],
    outcome: 'refused',
    prev: 'a',
    hash: 'b',
  },
]
let calls: Call[]
let wrong = false

async function show(view: object) {
  const router = createRouter({
    history: createWebHistory(),
    routes: [
      { path: '/', name: 'home', component: { template: '<i />' } },
      { path: '/people', name: 'people', component: { template: '<i />' } },
    ],
  })
  await router.push('/')
  useCorpus().name = 'harbour'
  const w = mount(view, { global: { plugins: [router] }, attachTo: document.body })
  await settle()
  return w
}

beforeEach(() => {
  setActivePinia(createPinia())
  wrong = false
  calls = answering((c) => {
    if (c.path === '/api/sign-in') return wrong ? refusal(401, 'they do not belong together') : olive
    if (c.path === '/api/self') return nobody
    return byEnd({ '/people': members, '/audit/check': { entries: 2, head: 'b' }, '/audit': trail }, c)
  })
})

describe('who may do what', () => {
  it('is a ladder, an owner stands above it, and nobody below', () => {
    const self = useSelf()
    self.take(wilf)
    expect(roles.map((r) => self.may('harbour', r.name))).toEqual([true, true, false, false, false])
    expect(self.may('elsewhere', 'see')).toBe(false)
    self.take(olive)
    expect(self.may('elsewhere', 'own')).toBe(true)
    expect(roleLabel('judge')).toBe('Review')
  })
})

describe('the door', () => {
  it('lets in, and says when it does not', async () => {
    const self = useSelf()
    self.take(nobody)
    const w = await show(SignIn)
    wrong = true
    await w.find('input[name=mail]').setValue('olive@x.example')
    await w.find('input[name=password]').setValue('a wrong password')
    await w.find('form').trigger('submit')
    await settle()
    expect(w.find('[role=alert]').text()).toBe('they do not belong together')
    expect(self.self?.in).toBe(false)
    wrong = false
    await w.find('form').trigger('submit')
    await settle()
    expect(self.self?.name).toBe('Olive')
    w.unmount()
  })
})

describe('the people of a corpus', () => {
  it('can be invited, and their links withdrawn, by who owns it', async () => {
    useSelf().take(olive)
    const w = await show(MembersView)
    expect(w.text()).toContain('Owner of the installation')
    expect(w.text()).toContain('ada@x.example')
    await w
      .findAll('button')
      .find((b) => b.text() === 'Withdraw')
      ?.trigger('click')
    await settle()
    expect(calls.find((c) => c.method === 'DELETE')?.path).toBe('/api/corpora/harbour/invitations/i1')
    w.unmount()
  })

  it('are only shown to others', async () => {
    useSelf().take(wilf)
    const w = await show(MembersView)
    expect(w.find('form').exists()).toBe(false)
    expect(w.findAll('tbody tr')[1]?.text()).toContain('Review')
    w.unmount()
  })
})

describe('the audit trail', () => {
  it('tells who did what, with what was before and after, and whether it is whole', async () => {
    useSelf().take(olive)
    const w = await show(AuditView)
    const row = w.find('tbody tr')
    expect(row.text()).toContain('Wilf')
    expect(row.text()).toContain('refused')
    expect(row.find('del').text()).toBe('0.5')
    expect(row.find('ins').text()).toBe('0.4')
    await w
      .findAll('button')
      .find((b) => b.text() === 'Check that nothing was changed')
      ?.trigger('click')
    await settle()
    expect(w.find('[role=status]').text()).toContain('All 2 entries follow from each other')
    w.unmount()
  })
})
