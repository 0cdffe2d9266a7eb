import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, ok, type Reply, type Schema, type Source, type Variant } from '@/api/client'
import { useCorpus } from '@/stores/corpus'
import { useDraft } from '@/stores/draft'

export type Rule = Schema['Rule']
export type Action = Schema['RuleAction']

/** One question of the sheet with its replies: under the draft as it is being tried, as it is applied, and under the last release. */
export interface Pinned {
  question: string
  tried?: Reply
  applied?: Reply
  released?: Reply
  problem?: string
}

/** How replies are made: as it is applied and as it is being tried, and the sheet on which both are read. */
export const useAnswer = defineStore('answer', () => {
  const corpus = useCorpus()
  const draft = useDraft(['answer', 'rules'])
  const sheet = ref<Pinned[]>([])
  const busy = ref(0)
  const sources = ref<Source[]>([])
  const path = () => ({ corpus: corpus.name })

  const variant = computed<Variant>(() => ({
    answer: draft.tried.value?.answer,
    rules: draft.tried.value?.rules ?? [],
  }))

  const ask = (question: string, v: Variant): Promise<Reply> =>
    ok(api.POST('/api/corpora/{corpus}/try', { params: { path: path() }, body: { question, ...v } }))

  const released = computed(() => corpus.current?.release?.number ?? 0)
  const askReleased = (question: string): Promise<Reply> =>
    ok(api.POST('/api/corpora/{corpus}/releases/last/ask', { params: { path: path() }, body: { question } }))

  let round = 0
  /** Answers the sheet anew, a question at a time; a later call takes over. */
  async function refresh(all = false): Promise<void> {
    const mine = ++round
    busy.value++
    for (const p of sheet.value) {
      if (mine !== round) break
      try {
        if (all || p.applied === undefined) p.applied = await ask(p.question, {})
        if (released.value > 0 && p.released === undefined) p.released = await askReleased(p.question)
        const now = draft.changed.value ? await ask(p.question, variant.value) : p.applied
        if (mine === round) {
          p.tried = now
          p.problem = undefined
        }
      } catch (e) {
        p.problem = (e as Error).message
      }
    }
    busy.value--
  }

  async function load(): Promise<void> {
    await draft.load()
    try {
      const questions = await ok(api.GET('/api/corpora/{corpus}/sheet', { params: { path: path() } }))
      sheet.value = questions.map((question) => ({ question }))
      sources.value = await ok(api.GET('/api/corpora/{corpus}/sources', { params: { path: path() } }))
    } catch (e) {
      draft.problem.value = (e as Error).message
    }
    void refresh(true)
  }

  async function pin(questions: string[]): Promise<void> {
    try {
      const kept = await ok(api.PUT('/api/corpora/{corpus}/sheet', { params: { path: path() }, body: questions }))
      sheet.value = kept.map((question) => sheet.value.find((p) => p.question === question) ?? { question })
      void refresh()
    } catch (e) {
      draft.problem.value = (e as Error).message
    }
  }

  async function apply(): Promise<void> {
    await draft.apply()
    await refresh(true)
  }

  return { ...draft, apply, sheet, busy, sources, variant, released, load, refresh, pin, ask }
})
