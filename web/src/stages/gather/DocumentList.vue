<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type DocumentRow } from '@/api/client'
import { count, shortAddress } from '@/api/words'
import VirtualTable, { type Column } from '@/components/VirtualTable.vue'
import { useCorpus } from '@/stores/corpus'
import { audienceName, nameOf, useSources } from './store'

const corpus = useCorpus()
const sources = useSources()
const route = useRoute()
const router = useRouter()
const documents = ref<DocumentRow[]>([])
const total = ref(0)
const picked = ref(new Set<string>())
const sort = ref({ key: 'address', down: false })
const columns: Column[] = [
  { key: 'state', label: 'State', width: '92px', sortable: true },
  { key: 'title', label: 'Document', width: '27%', sortable: true },
  { key: 'address', label: 'Address', width: '25%', sortable: true },
  { key: 'words', label: 'Words', width: '76px', sortable: true, align: 'right' },
  { key: 'about', label: 'Notes', width: '30%', sortable: true },
]

const states = ['indexed', 'unchanged', 'found', 'failed', 'left out', 'waiting', 'fetched'] as const
const inAddress = (key: string, none: string) =>
  computed({
    get: () => String(route.query[key] ?? none),
    set: (s) => void router.replace({ query: { ...route.query, [key]: s === none ? undefined : s } }),
  })
const filter = inAddress('state', 'all')
const from = inAddress('source', 'all')
const search = inAddress('q', '')

async function load(): Promise<void> {
  const only = (v: string): string => (v === 'all' ? '' : v)
  try {
    const list = await ok(
      api.GET('/api/corpora/{corpus}/documents', {
        params: {
          path: { corpus: corpus.name },
          query: { state: only(filter.value), source: only(from.value), text: search.value, limit: 10_000 },
        },
      }),
    )
    documents.value = list.documents
    total.value = list.total
  } catch (e) {
    sources.problem = (e as Error).message
  }
}
const loadSoon = useDebounceFn(load, 500, { maxWait: 1500 })

function arrived(d: DocumentRow): void {
  const i = documents.value.findIndex((x) => x.id === d.id)
  if (i >= 0) documents.value.splice(i, 1, d)
  void loadSoon()
}

async function retry(ids: string[]): Promise<void> {
  await sources.attempt(async () => {
    const path = { corpus: corpus.name }
    const r = await ok(
      api.POST('/api/corpora/{corpus}/documents/retry', { params: { path }, body: { documents: ids } }),
    )
    return `${count(r.documents)} tried again`
  })
  await load()
}

async function leaveOut(back: boolean): Promise<void> {
  const ids = chosen.value.map((d) => d.id)
  await sources.attempt(async () => {
    const path = { corpus: corpus.name }
    await ok(
      api.POST('/api/corpora/{corpus}/documents/leave-out', { params: { path }, body: { documents: ids, back } }),
    )
    return `${count(ids.length)} ${back ? 'taken in' : 'left out'}`
  })
  await load()
}

const tones: Record<string, string> = {
  indexed: 'good',
  unchanged: 'good',
  failed: 'bad',
  'left out': 'muted',
  found: 'caution',
  waiting: 'caution',
  fetched: 'caution',
}
const failed = computed(() => corpus.current?.failed ?? 0)

function toneOf(state: string): string {
  return tones[state] ?? ''
}

function linkTo(id: string) {
  return { name: 'document', params: { corpus: corpus.name, document: id } }
}

function showAll(): void {
  void router.replace({ query: {} })
}

function about(d: DocumentRow): string {
  const out = [d.reason]
  if (d.state !== 'left out' && d.clutter.length > 0) out.push(`looks like: ${d.clutter.join(', ')}`)
  if (d.audience !== 'public') out.push(audienceName(d.audience))
  return out.filter((s) => s !== '').join(' · ')
}

const sorted = computed(() => {
  const value = (d: DocumentRow): string | number => {
    switch (sort.value.key) {
      case 'state':
        return d.state
      case 'title':
        return d.title.toLowerCase()
      case 'words':
        return d.words
      case 'about':
        return about(d)
    }
    return d.address
  }
  const keyed = documents.value.map((d) => ({ d, k: value(d) }))
  keyed.sort((a, b) => (a.k < b.k ? -1 : a.k > b.k ? 1 : a.d.id < b.d.id ? -1 : 1) * (sort.value.down ? -1 : 1))
  return keyed.map((x) => x.d)
})
const chosen = computed(() => documents.value.filter((d) => picked.value.has(d.id)))
const canRetry = computed(() => chosen.value.filter((d) => d.state === 'failed' || d.state === 'left out'))
const canLeave = computed(() => chosen.value.length > 0 && chosen.value.every((d) => d.choice !== 'out'))
const canTake = computed(() => chosen.value.length > 0 && chosen.value.every((d) => d.choice === 'out'))
const exportAt = computed(
  () =>
    `/api/corpora/${encodeURIComponent(corpus.name)}/documents/export?${new URLSearchParams({
      state: filter.value === 'all' ? '' : filter.value,
      source: from.value === 'all' ? '' : from.value,
      text: search.value,
    }).toString()}`,
)

watch([filter, search, from, () => corpus.name], () => void load())
let stops: (() => void)[] = []
onMounted(() => {
  void load()
  stops = [
    corpus.on('document', arrived),
    corpus.onJobEnd(() => void loadSoon()),
    corpus.on('source', () => void loadSoon()),
  ]
})
onUnmounted(() => stops.forEach((s) => s()))
</script>

<template>
  <div class="row">
    <h1 class="sr">Documents</h1>
    <span class="muted figure">{{ count(total) }} documents</span>
    <ElSelect v-model="from" class="sources" aria-label="Source">
      <ElOption value="all" label="All sources" />
      <ElOption v-for="s in sources.all" :key="s.id" :value="s.id" :label="nameOf(s)" />
    </ElSelect>
    <ElSelect v-model="filter" class="states" aria-label="State">
      <ElOption value="all" label="All states" />
      <ElOption v-for="s in states" :key="s" :value="s" :label="s" />
    </ElSelect>
    <ElInput
      v-model="search"
      class="search"
      clearable
      placeholder="Part of an address or title"
      aria-label="Search documents"
    />
  </div>
  <div class="row">
    <ElButton size="small" :disabled="canRetry.length === 0" @click="retry(canRetry.map((d) => d.id))"
      >Try selected again</ElButton
    >
    <ElButton size="small" :disabled="failed === 0" @click="retry([])">Try all failed again</ElButton>
    <ElButton size="small" :disabled="!canLeave" @click="leaveOut(false)">Exclude selected</ElButton>
    <ElButton size="small" :disabled="!canTake" @click="leaveOut(true)">Include selected</ElButton>
    <span v-if="chosen.length > 0" class="muted figure">{{ count(chosen.length) }} selected</span>
    <a :href="exportAt" download>Save list as CSV</a>
  </div>
  <div v-if="documents.length === 0" class="notice">
    <template v-if="filter === 'all' && search === '' && from === 'all'">
      No documents yet. The assistant answers from what is listed here.
      <RouterLink :to="{ name: 'add', params: { corpus: corpus.name } }">Add a source</RouterLink>
    </template>
    <template v-else>No document matches. <button class="linkish" @click="showAll">Show all</button></template>
  </div>
  <VirtualTable
    v-else
    v-model:picked="picked"
    v-model:sort="sort"
    class="list"
    label="Documents"
    :rows="sorted"
    :columns="columns"
  >
    <template #state="{ row }"
      ><span :class="toneOf(row.state)">{{ row.state }}</span></template
    >
    <template #title="{ row }">
      <RouterLink :to="linkTo(row.id)" :title="row.title">{{
        row.title === '' ? shortAddress(row.address) : row.title
      }}</RouterLink>
    </template>
    <template #address="{ row }"
      ><span class="mono" :title="row.address">{{
        row.address === row.title ? '' : shortAddress(row.address)
      }}</span></template
    >
    <template #words="{ row }"
      ><span class="figure">{{ row.words > 0 ? count(row.words) : '' }}</span></template
    >
    <template #about="{ row }"
      ><span :title="about(row)">{{ about(row) }}</span></template
    >
  </VirtualTable>
</template>

<style scoped>
.states {
  width: 120px;
}
.sources {
  width: 190px;
}
.search {
  width: 230px;
}
.list {
  height: calc(100vh - 262px);
  min-height: 260px;
}
</style>
