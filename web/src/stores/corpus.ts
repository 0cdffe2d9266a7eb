import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, ok, type Corpus, type DocumentRow, type Job } from '@/api/client'
import { follow, type StreamEvent } from '@/api/stream'

/** The corpus in view, its figures, its jobs, and the one stream of what happens. */
export const useCorpus = defineStore('corpus', () => {
  const all = ref<Corpus[]>([])
  const name = ref('')
  const jobs = ref<Record<string, Job>>({})
  const loaded = ref(false)
  const problem = ref('')
  const connected = ref(false)
  const saving = ref(0)
  const unapplied = ref('')
  const documentListeners = new Set<(d: DocumentRow) => void>()
  const endListeners = new Set<(j: Job) => void>()
  const sourceListeners = new Set<() => void>()
  const findingListeners = new Set<() => void>()
  const noticeListeners = new Set<() => void>()
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
    const list = await ok(api.GET('/api/corpora/{corpus}/jobs', { params: { path: { corpus: n } } }))
    for (const j of list) jobs.value[j.id] = j
  }

  async function create(n: string): Promise<void> {
    await ok(api.POST('/api/corpora', { body: { name: n } }))
    await load()
  }

  function take(e: StreamEvent): void {
    if (e.kind === 'corpus' || e.kind === 'index' || e.kind === 'method') reloadSoon()
    if (e.corpus !== current.value?.id) return
    if (e.kind === 'job') {
      const j = e.body as Job
      jobs.value[j.id] = j
      if (!['running', 'queued', 'paused'].includes(j.state)) {
        reloadSoon()
        for (const f of endListeners) f(j)
      }
    }
    if (e.kind === 'source') {
      reloadSoon()
      for (const f of sourceListeners) f()
    }
    if (e.kind === 'findings') {
      reloadSoon()
      for (const f of findingListeners) f()
    }
    if (e.kind === 'notice') for (const f of noticeListeners) f()
    if (e.kind === 'document') {
      reloadSoon()
      for (const f of documentListeners) f(e.body as DocumentRow)
    }
  }

  function watch(): void {
    if (watching || typeof EventSource === 'undefined') return
    watching = true
    follow({
      event: take,
      connected: (yes) => {
        if (yes && !connected.value) reloadSoon()
        connected.value = yes
      },
    })
  }

  function onSource(f: () => void): () => void {
    sourceListeners.add(f)
    return () => sourceListeners.delete(f)
  }

  function onFindings(f: () => void): () => void {
    findingListeners.add(f)
    return () => findingListeners.delete(f)
  }

  function onNotice(f: () => void): () => void {
    noticeListeners.add(f)
    return () => noticeListeners.delete(f)
  }

  function onDocument(f: (d: DocumentRow) => void): () => void {
    documentListeners.add(f)
    return () => documentListeners.delete(f)
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
    problem,
    connected,
    saving,
    unapplied,
    load,
    open,
    create,
    watch,
    onDocument,
    onSource,
    onFindings,
    onNotice,
    onJobEnd,
  }
})
