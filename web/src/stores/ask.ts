import { computed, onUnmounted, ref, shallowRef, toValue, watch, type MaybeRefOrGetter } from 'vue'
import { useCorpus } from './corpus'

/** How a question to the server stands: never two of these at once. */
export type AskState = 'loading' | 'failed' | 'there'

/**
 * The one way to ask the server for what a view shows. The latest call wins; what was there stays while it is asked for again; a
 * failure heals by itself when the connection is back. `when` holds what the question depends on: it is asked anew when that changes.
 */
export function useAsk<T>(ask: () => Promise<T>, when: MaybeRefOrGetter<unknown>[] = []) {
  const corpus = useCorpus()
  const value = shallowRef<T>()
  const problem = ref('')
  const busy = ref(false)
  let round = 0

  const state = computed<AskState>(() =>
    problem.value !== '' ? 'failed' : value.value === undefined ? 'loading' : 'there',
  )

  async function load(): Promise<void> {
    const mine = ++round
    busy.value = true
    try {
      const got = await ask()
      if (mine !== round) return
      value.value = got
      problem.value = ''
    } catch (e) {
      if (mine !== round) return
      problem.value = (e as Error).message
    }
    busy.value = false
  }

  watch([() => corpus.name, ...when.map((w) => () => toValue(w))], () => {
    value.value = undefined // of another corpus, or of another question
    void load()
  })
  watch(
    () => corpus.missed,
    () => void load(),
  )
  watch(
    () => corpus.connected,
    (yes) => {
      if (yes && problem.value !== '') void load()
    },
  )
  onUnmounted(() => round++)
  void load()
  return { value, problem, busy, state, load }
}
