import { computed, ref } from 'vue'
import { api, ok, type Field, type Method } from '@/api/client'
import { useCorpus } from './corpus'
import { useTried, type Part } from './tried'

type Stage = 'chunk' | 'embed' | 'query' | 'find' | 'answer'

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a ?? null) === JSON.stringify(b ?? null)

/**
 * A corpus's method as it is applied, and as it is being tried. `parts` are those parts of it that a stage tries out; what is tried
 * is kept until it is applied or undone.
 */
export function useDraft(parts: Part[]) {
  const corpus = useCorpus()
  const kept = useTried()
  const fields = ref<Field[]>([])
  const applied = ref<Method>()
  const tried = ref<Method>()
  const problem = ref('')
  const changed = computed(
    () => tried.value !== undefined && parts.some((p) => !same(tried.value?.[p], applied.value?.[p])),
  )

  async function load(): Promise<void> {
    try {
      fields.value = await ok(api.GET('/api/settings'))
      const m = await ok(api.GET('/api/corpora/{corpus}/method', { params: { path: { corpus: corpus.name } } }))
      applied.value = m
      tried.value = { ...m, ...Object.fromEntries(parts.filter((p) => p in kept.here).map((p) => [p, kept.here[p]])) }
      keep()
      problem.value = ''
    } catch (e) {
      problem.value = (e as Error).message
    }
  }

  /** Keeps those parts that differ from what is applied. */
  function keep(): void {
    kept.keep(
      Object.fromEntries(
        parts.map((p) => [p, same(tried.value?.[p], applied.value?.[p]) ? undefined : tried.value?.[p]]),
      ),
    )
  }

  function set(stage: Stage, key: string, v: string | number | boolean): void {
    if (tried.value === undefined) return
    tried.value = { ...tried.value, [stage]: { ...tried.value[stage], [key]: v } }
    keep()
  }

  function put(change: Partial<Method>): void {
    if (tried.value === undefined) return
    tried.value = { ...tried.value, ...change }
    keep()
  }

  function reset(): void {
    tried.value = applied.value
    keep()
  }

  async function apply(): Promise<void> {
    if (tried.value === undefined) return
    corpus.saving++
    try {
      const path = { corpus: corpus.name }
      const saved = await ok(api.PUT('/api/corpora/{corpus}/method', { params: { path }, body: tried.value }))
      applied.value = saved.method
      tried.value = saved.method
      keep()
      problem.value = ''
    } catch (e) {
      problem.value = (e as Error).message
    }
    corpus.saving--
  }

  return { fields, applied, tried, problem, changed, load, set, put, reset, apply }
}
