import { defineStore } from 'pinia'
import { ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { useCorpus } from '@/stores/corpus'

export type Source = Schema['Source']

/** What kinds of source are called, and what each starts from. */
export const kinds: Record<Source['kind'], { name: string; starts: string; visited: boolean }> = {
  site: { name: 'Site', starts: 'Start address', visited: true },
  sitemap: { name: 'Sitemap', starts: 'Address of the sitemap', visited: true },
  list: { name: 'Address list', starts: 'Addresses', visited: true },
  feed: { name: 'Feed', starts: 'Address of the feed', visited: true },
  folder: { name: 'Watched folder', starts: 'Path on this machine', visited: true },
  upload: { name: 'Files', starts: '', visited: false },
  text: { name: 'Pasted texts', starts: '', visited: false },
  pairs: { name: 'Questions and answers', starts: '', visited: false },
}

export const schedules: Record<Source['schedule'], string> = {
  hand: 'manually',
  hour: 'every hour',
  day: 'every day',
  week: 'every week',
}

export const markWords: Record<string, { name: string; help: string }> = {
  unquotable: { name: 'Not to be quoted', help: 'may be found and pointed to; no sentence of it stands in a reply' },
  volatile: { name: 'Changes from day to day', help: 'replies point to the page instead of quoting it' },
  given: { name: 'May be handed out', help: 'may be given as a file to whoever asks for it' },
  settled: { name: 'Settled', help: 'a person signed these answers off; each ranks first when its question is asked' },
}

/** The marks that a source of a kind, and its documents, can have. */
export function marksFor(kind: Source['kind'] | undefined): string[] {
  return Object.keys(markWords).filter((m) => m !== 'settled' || kind === 'pairs')
}

export function nameOf(s: Source): string {
  if (s.name !== '') return s.name
  return kinds[s.kind].visited ? s.address.replace(/^https?:\/\//, '') : kinds[s.kind].name
}

export function audienceName(a: string): string {
  if (a === 'public') return 'everyone'
  if (a === 'staff') return 'staff only'
  return a.replace(/^group:/, 'group ')
}

/** The sources of the corpus in view. */
export const useSources = defineStore('sources', () => {
  const corpus = useCorpus()
  const all = ref<Source[]>([])
  const problem = ref('')
  const told = ref('')

  async function attempt(what: () => Promise<string | undefined>): Promise<boolean> {
    problem.value = ''
    try {
      told.value = (await what()) ?? ''
      await load()
      return true
    } catch (e) {
      problem.value = (e as Error).message
      return false
    }
  }

  async function load(): Promise<void> {
    const path = { corpus: corpus.name }
    all.value = await ok(api.GET('/api/corpora/{corpus}/sources', { params: { path } }))
  }

  function change(s: Source, body: Schema['SourceChange']): Promise<boolean> {
    return attempt(async () => {
      const path = { corpus: corpus.name, source: s.id }
      await ok(api.PATCH('/api/corpora/{corpus}/sources/{source}', { params: { path }, body }))
      return `${nameOf(s)}: saved`
    })
  }

  function visit(s: Source): Promise<boolean> {
    return attempt(async () => {
      const path = { corpus: corpus.name, source: s.id }
      await ok(api.POST('/api/corpora/{corpus}/sources/{source}/visit', { params: { path } }))
      return undefined
    })
  }

  /** Settles what the guard against loss holds back. */
  function decide(s: Source, decision: 'keep' | 'take'): Promise<boolean> {
    return attempt(async () => {
      const path = { corpus: corpus.name, source: s.id }
      await ok(api.POST('/api/corpora/{corpus}/sources/{source}/held', { params: { path }, body: { decision } }))
      return undefined
    })
  }

  function remove(s: Source): Promise<boolean> {
    return attempt(async () => {
      const path = { corpus: corpus.name, source: s.id }
      await ok(api.DELETE('/api/corpora/{corpus}/sources/{source}', { params: { path } }))
      return `${nameOf(s)} is removed`
    })
  }

  return { all, problem, told, attempt, load, change, visit, decide, remove }
})
