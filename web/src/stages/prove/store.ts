import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, ok, type Run, type Schema } from '@/api/client'
import { useCorpus } from '@/stores/corpus'

export type Question = Schema['QuestionsQuestion']
export type Expectation = Schema['QuestionsExpectation']

/** What the first set of a corpus is called when nobody has named it. */
export const firstSet = 'Questions'

/** The question sets of the corpus, the chosen one, and the runs. */
export const useProve = defineStore('prove', () => {
  const corpus = useCorpus()
  const sets = ref<Schema['QuestionSet'][]>([])
  const runs = ref<Run[]>([])
  const set = ref('')
  const problem = ref('')
  /** Sheets that were left with changes that could not be saved, by corpus and set. */
  const drafts = ref<Record<string, { list: Question[]; version: string; why: string }>>({})
  /** The runs of the chosen set, the newest first. */
  const own = computed(() => {
    const id = sets.value.find((s) => s.name === set.value)?.id
    return runs.value.filter((r) => r.set === id)
  })
  const running = computed(() => corpus.active.filter((j) => j.kind === 'run'))

  async function load(): Promise<void> {
    try {
      const path = { corpus: corpus.name }
      const [all, made] = await Promise.all([
        ok(api.GET('/api/corpora/{corpus}/sets', { params: { path } })),
        ok(api.GET('/api/corpora/{corpus}/runs', { params: { path } })),
      ])
      sets.value = all // at once: a set that is shown is a set that is chosen
      runs.value = made
      if (!sets.value.some((s) => s.name === set.value)) {
        const last = sets.value.find((s) => s.id === made[0]?.set) ?? sets.value[0] // the one that was run last
        set.value = last?.name ?? ''
      }
      problem.value = ''
    } catch (e) {
      problem.value = (e as Error).message
    }
  }

  /** Runs a call of the API and keeps what goes wrong. */
  async function attempt<T>(call: () => Promise<T>): Promise<T | undefined> {
    try {
      const got = await call()
      problem.value = ''
      return got
    } catch (e) {
      problem.value = (e as Error).message
      return undefined
    }
  }

  /** The chosen set; in a corpus without one, the set that its first question makes. */
  const inSet = () => ({ corpus: corpus.name, set: set.value || firstSet })

  const add = (questions: Question[], why: string) =>
    attempt(async () => {
      const got = await ok(
        api.POST('/api/corpora/{corpus}/sets/{set}/questions', {
          params: { path: inSet() },
          body: { questions, why },
        }),
      )
      await load()
      return got
    })

  return { sets, runs, own, set, problem, drafts, running, load, attempt, inSet, add }
})

/** The verdict of one question in words, and the colour that goes with them. */
export function verdictOf(r: Schema['Result']): { text: string; tone: string } {
  if (r.failed !== '') return { text: 'not judged', tone: 'caution' }
  if (r.verdict.passed) return { text: 'passed', tone: 'good' }
  return { text: r.verdict.accident === true ? 'by accident' : 'failed', tone: 'bad' }
}
