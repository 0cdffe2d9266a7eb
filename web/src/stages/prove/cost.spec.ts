import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { answering, settle, type Call } from '../../../tests/network'
import RunCost from './RunCost.vue'
import type { Schema } from '@/api/client'

const none: Schema['Cost'] = { in: 0, out: 0, price: 0 }
const unmeasured: Schema['Forecast'] = {
  model: 'faithful',
  priced: true,
  measured: 0,
  from: '',
  each: none,
  questions: 80,
  run: none,
  month: none,
  spent: 0,
  cap: 0,
}
const reckoned: Schema['Forecast'] = {
  ...unmeasured,
  measured: 80,
  from: 'set',
  each: { in: 900, out: 100, price: 0.0011 },
  run: { in: 72_000, out: 8_000, price: 0.088 },
  month: { in: 900_000, out: 100_000, price: 1.1 },
  spent: 0.5,
  cap: 20,
}
let calls: Call[]
let answer: (sample: boolean) => Schema['Forecast']

beforeEach(() => {
  setActivePinia(createPinia())
  calls = answering((c) => answer(c.method === 'POST'))
})

async function shown(): Promise<ReturnType<typeof mount>> {
  const w = mount(RunCost, { props: { repeats: 1, cap: 0 } })
  await settle()
  return w
}

describe('what a run costs', () => {
  it('is told with its month, its spending and its basis', async () => {
    answer = () => reckoned
    const w = await shown()
    expect(w.find('summary').text()).toBe('Cost of this run: about 80,000 tokens, 0.088')
    expect(w.text()).toContain('Reckoned from 80 replies of this set.')
    expect(w.text()).toContain('about 1,000,000 tokens, 1.1')
    expect(w.text()).toContain('Spent this month: 0.5 of at most 20')
    expect(w.text()).toContain('(price; 0 for no limit)')
    expect(w.emitted('priced')).toEqual([[true]])
  })

  it('asks for leave before it measures', async () => {
    answer = (sample) => (sample ? { ...reckoned, from: 'sample', measured: 8 } : unmeasured)
    const w = await shown()
    expect(w.find('summary').text()).toContain('not measured yet')
    expect(calls.some((c) => c.method === 'POST')).toBe(false)
    await w.find('button.linkish').trigger('click')
    await settle()
    expect(w.text()).toContain('Reckoned from 8 replies asked just now.')
  })

  it('is left out where no model is asked', async () => {
    answer = () => ({ ...unmeasured, model: '' })
    expect((await shown()).find('details').exists()).toBe(false)
  })

  it('counts in tokens where no price is set', async () => {
    answer = () => ({ ...reckoned, priced: false })
    const w = await shown()
    expect(w.find('summary').text()).toBe('Cost of this run: about 80,000 tokens')
    expect(w.text()).toContain('tokens (0 for no limit)')
    expect(w.text()).not.toContain('Spent this month')
  })
})
