import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { endOf } from './store'
import HourStrip from './HourStrip.vue'
import { barsOf, rangeOf } from './range'

describe('endOf', () => {
  it('words how an exchange ended', () => {
    expect(endOf({ outcome: 'refused' })).toEqual({ text: 'refused', tone: 'caution' })
    expect(endOf({ outcome: '' })).toEqual({ text: 'not known', tone: 'muted' })
    expect(endOf({ outcome: 'answered', waiting: true }).text).toBe('waits')
  })
})

describe('HourStrip', () => {
  beforeEach(() => setActivePinia(createPinia()))
  const now = new Date(2026, 2, 15, 12)
  const bucket = (day: number, outcome: string, count: number, wrong = 0) => ({
    start: new Date(2026, 2, day, 10).toISOString(),
    outcome,
    count,
    wrong,
  })
  it('tells the sums, and opens a day', async () => {
    const bars = barsOf([bucket(14, 'answered', 3, 1), bucket(15, 'refused', 2)], rangeOf('7', now))
    const w = mount(HourStrip, { props: { bars, byHour: false } })
    expect(w.text()).toContain('5 questions · 2 refused · 1 wrong or thumb down')
    await w.findAll('button.slot')[5]?.trigger('click')
    expect((w.emitted('open')?.[0]?.[0] as Date).getDate()).toBe(14)
  })
  it('has no buttons for hours, and says what each holds', () => {
    const bars = barsOf([bucket(15, 'answered', 1)], rangeOf('today', now))
    const w = mount(HourStrip, { props: { bars, byHour: true } })
    expect(w.findAll('button')).toHaveLength(0)
    expect(w.findAll('[role=img]')[10]?.attributes('aria-label')).toContain('1 question, 0 refused')
  })
})
