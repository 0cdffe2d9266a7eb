import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, ok, type Field, type Method, type Schema, type Source, type Variant } from '@/api/client'
import { useCorpus } from '@/stores/corpus'

/** The settings of finding as they are applied and as they are being tried, and what both are tried on. */
export const useFind = defineStore('find', () => {
  const corpus = useCorpus()
  const fields = ref<Field[]>([])
  const applied = ref<Method>()
  const tried = ref<Method>()
  const filter = ref<Schema['IndexFilter']>({})
  const audience = ref('public')
  const sets = ref<Schema['QuestionSet'][]>([])
  const sources = ref<Source[]>([])
  const problem = ref('')

  const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)
  const changed = computed(
    () =>
      tried.value !== undefined &&
      !(
        same(tried.value.find, applied.value?.find) &&
        same(tried.value.query, applied.value?.query) &&
        same(tried.value.embed, applied.value?.embed) &&
        same(tried.value.priority ?? {}, applied.value?.priority ?? {})
      ),
  )
  /** What differs from the draft in a search with the settings being tried. */
  const variant = computed<Variant>(() => ({
    find: tried.value?.find,
    query: tried.value?.query,
    priority: tried.value?.priority ?? {},
    filter: filter.value,
  }))
  /** The draft as it is, under the same filter. */
  const asApplied = computed<Variant>(() => ({ filter: filter.value }))

  async function loadSets(): Promise<void> {
    sets.value = await ok(api.GET('/api/corpora/{corpus}/sets', { params: { path: { corpus: corpus.name } } }))
  }

  async function load(): Promise<void> {
    const path = { corpus: corpus.name }
    try {
      fields.value = await ok(api.GET('/api/settings'))
      const m = await ok(api.GET('/api/corpora/{corpus}/method', { params: { path } }))
      applied.value = m
      tried.value = m
      await loadSets()
      sources.value = await ok(api.GET('/api/corpora/{corpus}/sources', { params: { path } }))
      problem.value = ''
    } catch (e) {
      problem.value = (e as Error).message
    }
  }

  function set(stage: 'find' | 'query' | 'embed', key: string, v: string | number | boolean): void {
    if (tried.value !== undefined) tried.value = { ...tried.value, [stage]: { ...tried.value[stage], [key]: v } }
  }

  function prefer(source: string, steps: number): void {
    if (tried.value === undefined) return
    const priority = Object.fromEntries(
      Object.entries({ ...tried.value.priority, [source]: steps }).filter(([, n]) => n !== 0),
    )
    tried.value = { ...tried.value, priority }
  }

  function reset(): void {
    tried.value = applied.value
  }

  async function apply(): Promise<void> {
    if (tried.value === undefined) return
    corpus.saving++
    try {
      const saved = await ok(
        api.PUT('/api/corpora/{corpus}/method', { params: { path: { corpus: corpus.name } }, body: tried.value }),
      )
      applied.value = saved.method
      tried.value = saved.method
      problem.value = ''
    } catch (e) {
      problem.value = (e as Error).message
    }
    corpus.saving--
  }

  return {
    fields,
    applied,
    tried,
    filter,
    audience,
    sets,
    sources,
    problem,
    changed,
    variant,
    asApplied,
    load,
    loadSets,
    set,
    prefer,
    reset,
    apply,
  }
})
