import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed } from 'vue'
import type { Method } from '@/api/client'
import { useCorpus } from './corpus'

export type Part = keyof Method

/** In which stage each part of a method is tried. */
const stageOf: Partial<Record<Part, { name: string; label: string }>> = {
  chunk: { name: 'shape', label: 'Shape' },
  sources: { name: 'shape', label: 'Shape' },
  find: { name: 'find', label: 'Find' },
  query: { name: 'find', label: 'Find' },
  embed: { name: 'find', label: 'Find' },
  priority: { name: 'find', label: 'Find' },
  glossary: { name: 'find', label: 'Find' },
  answer: { name: 'answer', label: 'Answer' },
  rules: { name: 'answer', label: 'Answer' },
}

/**
 * Settings that are being tried, by corpus: those parts of a method that differ from what is applied. They outlive a change of
 * stage and a reload, and end when they are applied or undone on purpose.
 */
export const useTried = defineStore('tried', () => {
  const corpus = useCorpus()
  const all = useLocalStorage<Record<string, Partial<Method>>>('jolvex-tried', {})

  const here = computed<Partial<Method>>(() => all.value[corpus.name] ?? {})
  /** The stages in which something is tried and not applied. */
  const stages = computed(() => {
    const out = new Map<string, string>()
    for (const p of Object.keys(here.value) as Part[]) {
      const s = stageOf[p]
      if (s !== undefined) out.set(s.name, s.label)
    }
    return [...out].map(([name, label]) => ({ name, label }))
  })

  /** Keeps what a stage tries; a part that is undefined is no longer tried. */
  function keep(parts: Partial<Record<Part, unknown>>): void {
    const next: Record<string, unknown> = { ...here.value }
    for (const [p, v] of Object.entries(parts)) {
      if (v === undefined) Reflect.deleteProperty(next, p)
      else next[p] = v
    }
    const rest = { ...all.value }
    if (Object.keys(next).length === 0) Reflect.deleteProperty(rest, corpus.name)
    else rest[corpus.name] = next as Partial<Method>
    all.value = rest
  }

  return { here, stages, keep }
})
