import { mount } from '@vue/test-utils'
import { createPinia } from 'pinia'
import { describe, expect, it } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import type { Layer, Reply } from '@/api/client'
import EvidenceTrail from './EvidenceTrail.vue'
import LitText from './LitText.vue'
import StrataView from './StrataView.vue'

const chunk = (ordinal: number, tokens: number, overlap?: Layer['overlap']): Layer =>
  ({ ordinal, tokens, span: { start: 0, end: 100 }, overlap, path: ['Fares'], seen: ordinal, same: false }) as Layer

describe('StrataView', () => {
  it('draws a layer for each chunk, taller for more tokens, hatched where it repeats', async () => {
    const w = mount(StrataView, {
      props: { chunks: [chunk(0, 50), chunk(1, 300, { start: 0, end: 25 })], chosen: 1 },
    })
    const layers = w.findAll('button')
    expect(layers).toHaveLength(2)
    const height = (i: number) => parseFloat((layers[i]?.element as HTMLElement).style.height)
    expect(height(1)).toBeGreaterThan(height(0))
    expect((layers[1]?.element as HTMLElement).style.getPropertyValue('--hatch')).toBe('25%')
    expect(layers[1]?.classes()).toContain('chosen')
    expect(layers[0]?.attributes('aria-label')).toContain('50 tokens')
    await layers[0]?.trigger('click')
    expect(w.emitted('choose')).toEqual([[0]])
  })
})

describe('LitText', () => {
  it('marks what is lit and shows markup as text', () => {
    const w = mount(LitText, { props: { text: '<b>dog</b> on a lead', lit: [{ start: 3, end: 6 }] } })
    expect(w.find('mark').text()).toBe('dog')
    expect(w.find('b').exists()).toBe(false)
    expect(w.text()).toContain('<b>dog</b>')
  })
})

describe('EvidenceTrail', () => {
  it('shows asked, searched, kept and said, with the way to the passage', () => {
    const span = { start: 4, end: 30 }
    const reply = {
      reply: 'Dogs travel for £2.00.',
      refused: false,
      support: 0.9,
      millis: 3,
      cited: [
        {
          sentence: 0,
          document: 'd',
          version: 'v',
          title: 'Animals',
          address: 'http://a/animals',
          path: [],
          span,
          passage: 'p',
        },
      ],
      evidence: [
        {
          document: 'd',
          version: 'v',
          title: 'Animals',
          address: 'http://a/animals',
          path: ['Dogs'],
          span,
          text: 'Dogs travel',
          lit: [],
          kept: true,
          score: 2,
          support: 0.9,
          signals: [
            { name: 'body', value: 2, points: 1.4, share: 0.7 },
            { name: 'meaning', value: 0.5, points: 0.6, share: 0.3 },
          ],
        },
        {
          document: 'e',
          version: 'w',
          title: 'Other',
          address: 'http://a/o',
          path: [],
          span,
          text: 'x',
          lit: [],
          score: 1,
          signals: [],
        },
      ],
      trail: {
        question: 'dog price',
        outcome: 'answered',
        why: 'the best evidence has a support of 0.90, the bar is 0.50',
        reading: {
          kind: 'question',
          wordings: [{ pass: 'asked', text: 'dog price' }],
          terms: [{ stem: 'dog', word: 'dog', weight: 1, pass: 'asked' }],
          wants: ['price'],
        },
        reply: [{ text: 'Dogs travel for £2.00.', candidate: 0, support: 0.9 }],
      },
    } as unknown as Reply
    const router = createRouter({
      history: createMemoryHistory(),
      routes: [
        { path: '/', component: { template: '<i/>' } },
        { path: '/c/:corpus/gather/:document', name: 'document', component: { template: '<i/>' } },
      ],
    })
    const w = mount(EvidenceTrail, {
      props: { reply, corpus: 'Ferries' },
      global: { plugins: [router, createPinia()] },
    })
    expect(w.findAll('section').map((s) => s.attributes('aria-label'))).toEqual(['Asked', 'Searched', 'Kept', 'Said'])
    expect(w.text()).toContain('asks for a price')
    expect(w.findAll('article')).toHaveLength(1)
    expect(w.find('.cite').attributes('href')).toBe('/c/Ferries/gather/d?version=v&from=4&to=30')
    expect(w.text()).toContain('bar is 0.50')
  })
})
