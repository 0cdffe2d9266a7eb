import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, ok, type Corpus, type Job } from '@/api/client'
import { follow, type EventKind, type Events, type StreamEvent } from '@/api/stream'

/** What is done with events of one kind. */
interface Heard<K extends EventKind> {
  figures: boolean
  listeners: Set<(body: Events[K]) => void>
}

/** The corpus in view, its figures, its jobs, and the one stream of what happens. */
export const useCorpus = defineStore('corpus', () => {
  const all = ref<Corpus[]>([])
  const name = ref('')
  const jobs = ref<Record<string, Job>>({})
  const loaded = ref(false)
  const problem = ref('')
  const connected = ref(false)
  /** How often so much was missed that what is shown has to be asked for anew. */
  const missed = ref(0)
  const saving = ref(0)
  const unapplied = ref('')
  const endListeners = new Set<(j: Job) => void>()
  // Every kind of event that the server declares has a place here, or this does not compile: whether it moves the figures of
  // the stage line, and who listens to it.
  const heard: { [K in EventKind]: Heard<K> } = {
    corpus: { figures: true, listeners: new Set() },
    source: { figures: true, listeners: new Set() },
    document: { figures: true, listeners: new Set() },
    findings: { figures: true, listeners: new Set() },
    index: { figures: true, listeners: new Set() },
    method: { figures: true, listeners: new Set() },
    job: { figures: false, listeners: new Set() },
    questions: { figures: false, listeners: new Set() },
    notice: { figures: false, listeners: new Set() },
    talk: { figures: true, listeners: new Set() },
    handover: { figures: false, listeners: new Set() },
  }
  let watching = false
  let due: ReturnType<typeof setTimeout> | undefined

  const current = computed(() => all.value.find((c) => c.name === name.value))
  const active = computed(() =>
    Object.values(jobs.value).filter((j) => ['running', 'queued', 'paused'].includes(j.state)),
  )

  async function load(): Promise<void> {
    try {
      all.value = await ok(api.GET('/api/corpora'))
      problem.value = ''
    } catch (e) {
      problem.value = (e as Error).message
    }
    loaded.value = true
  }

  function reloadSoon(): void {
    if (due !== undefined) return
    due = setTimeout(() => {
      due = undefined
      void load()
    }, 400)
  }

  async function open(n: string): Promise<void> {
    if (name.value === n) return
    name.value = n
    jobs.value = {}
    unapplied.value = ''
    if (n === '') return
    await jobsOf(n)
  }

  async function jobsOf(n: string): Promise<void> {
    const list = await ok(api.GET('/api/corpora/{corpus}/jobs', { params: { path: { corpus: n } } }))
    for (const j of list) jobs.value[j.id] = j
  }

  async function create(n: string): Promise<void> {
    await ok(api.POST('/api/corpora', { body: { name: n } }))
    await load()
  }

  /** Events of other corpora move figures alone. */
  function take(e: StreamEvent): void {
    const here = heard[e.kind] as Heard<EventKind> | undefined // a newer server may tell of more
    if (here === undefined) return
    if (here.figures) reloadSoon()
    if (e.corpus !== current.value?.id) return
    if (e.kind === 'job') follows(e.body as Job)
    for (const f of here.listeners) f(e.body as Events[EventKind])
  }

  function follows(j: Job): void {
    jobs.value[j.id] = j
    if (['running', 'queued', 'paused'].includes(j.state)) return
    reloadSoon()
    for (const f of endListeners) f(j)
  }

  function watch(): void {
    if (watching || typeof EventSource === 'undefined') return
    watching = true
    follow({
      event: take,
      missed: () => {
        reloadSoon()
        missed.value++
        if (name.value !== '') void jobsOf(name.value)
      },
      connected: (yes) => {
        if (yes && !connected.value) reloadSoon()
        connected.value = yes
      },
    })
  }

  /** Calls f at every event of a kind in the corpus in view; the function that is returned ends that. */
  function on<K extends EventKind>(kind: K, f: (body: Events[K]) => void): () => void {
    const { listeners } = heard[kind]
    listeners.add(f)
    return () => listeners.delete(f)
  }

  function onJobEnd(f: (j: Job) => void): () => void {
    endListeners.add(f)
    return () => endListeners.delete(f)
  }

  return {
    all,
    name,
    current,
    jobs,
    active,
    loaded,
    missed,
    problem,
    connected,
    saving,
    unapplied,
    load,
    open,
    create,
    watch,
    on,
    onJobEnd,
  }
})
