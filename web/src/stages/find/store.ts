import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, ok, type Schema, type Source, type Variant } from '@/api/client'
import { useCorpus } from '@/stores/corpus'
import { useDraft } from '@/stores/draft'

/** The settings of finding as they are applied and as they are being tried, and what both are tried on. */
export const useFind = defineStore('find', () => {
  const corpus = useCorpus()
  const draft = useDraft(['find', 'query', 'embed', 'priority', 'glossary'])
  const { fields, applied, tried, problem, changed, set, reset, apply } = draft
  const filter = ref<Schema['IndexFilter']>({})
  const audience = ref('public')
  const sets = ref<Schema['QuestionSet'][]>([])
  const sources = ref<Source[]>([])

  /** What differs from the draft in a search with the settings being tried. */
  const variant = computed<Variant>(() => ({
    find: tried.value?.find,
    query: tried.value?.query,
    priority: tried.value?.priority ?? {},
    glossary: tried.value?.glossary ?? [],
    filter: filter.value,
  }))
  /** The draft as it is, under the same filter. */
  const asApplied = computed<Variant>(() => ({ filter: filter.value }))

  async function loadSets(): Promise<void> {
    sets.value = await ok(api.GET('/api/corpora/{corpus}/sets', { params: { path: { corpus: corpus.name } } }))
  }

  async function load(): Promise<void> {
    await draft.load()
    try {
      await loadSets()
      sources.value = await ok(api.GET('/api/corpora/{corpus}/sources', { params: { path: { corpus: corpus.name } } }))
    } catch (e) {
      problem.value = (e as Error).message
    }
  }

  function prefer(source: string, steps: number): void {
    if (tried.value === undefined) return
    const priority = Object.fromEntries(
      Object.entries({ ...tried.value.priority, [source]: steps }).filter(([, n]) => n !== 0),
    )
    draft.put({ priority })
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
    put: draft.put,
    prefer,
    reset,
    apply,
  }
})
