<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type DocumentRow, type Schema } from '@/api/client'
import { count, shortAddress } from '@/api/words'
import JobBar from '@/components/JobBar.vue'
import { useCorpus } from '@/stores/corpus'

const corpus = useCorpus()
const route = useRoute()
const router = useRouter()
const sources = ref<Schema['Source'][]>([])
const documents = ref<DocumentRow[]>([])
const total = ref(0)
const problem = ref('')
const told = ref('')
const adding = ref(false)
const address = ref('')
const allowPrivate = ref(false)
const picked = ref<DocumentRow[]>([])

const states = ['indexed', 'unchanged', 'failed', 'left out', 'waiting', 'fetched'] as const
const filter = computed({
  get: () => String(route.query.state ?? 'all'),
  set: (s) => void router.replace({ query: { ...route.query, state: s === 'all' ? undefined : s } }),
})
const search = computed({
  get: () => String(route.query.q ?? ''),
  set: (s) => void router.replace({ query: { ...route.query, q: s === '' ? undefined : s } }),
})
const gathering = computed(() => corpus.active.filter((j) => j.kind !== 'run'))

async function load(): Promise<void> {
  try {
    const path = { corpus: corpus.name }
    sources.value = await ok(api.GET('/api/corpora/{corpus}/sources', { params: { path } }))
    const list = await ok(
      api.GET('/api/corpora/{corpus}/documents', {
        params: { path, query: { state: filter.value === 'all' ? '' : filter.value, text: search.value, limit: 2500 } },
      }),
    )
    documents.value = list.documents
    total.value = list.total
    problem.value = ''
  } catch (e) {
    problem.value = (e as Error).message
  }
}
const loadSoon = useDebounceFn(load, 500, { maxWait: 1500 })

function arrived(d: DocumentRow): void {
  const i = documents.value.findIndex((x) => x.id === d.id)
  if (i >= 0) documents.value.splice(i, 1, d)
  else if (filter.value === 'all' && search.value === '') {
    documents.value.push(d)
    total.value++
  }
  void loadSoon()
}

async function add(): Promise<void> {
  adding.value = true
  problem.value = ''
  try {
    await ok(
      api.POST('/api/corpora/{corpus}/sites', {
        params: { path: { corpus: corpus.name } },
        body: { address: address.value.trim(), settings: { allowPrivate: allowPrivate.value } },
      }),
    )
    address.value = ''
    await load()
  } catch (e) {
    problem.value = (e as Error).message
  }
  adding.value = false
}

async function again(s: Schema['Source']): Promise<void> {
  try {
    await ok(
      api.POST('/api/corpora/{corpus}/sites', {
        params: { path: { corpus: corpus.name } },
        body: { address: s.address, settings: s.settings },
      }),
    )
    await load()
  } catch (e) {
    problem.value = (e as Error).message
  }
}

async function retry(ids: string[]): Promise<void> {
  try {
    const r = await ok(
      api.POST('/api/corpora/{corpus}/documents/retry', {
        params: { path: { corpus: corpus.name } },
        body: { documents: ids },
      }),
    )
    told.value = `${count(r.documents)} tried again`
    await load()
  } catch (e) {
    problem.value = (e as Error).message
  }
}

async function upload(e: Event): Promise<void> {
  const input = e.target as HTMLInputElement
  for (const f of input.files ?? []) {
    try {
      const d = await ok(
        api.PUT('/api/corpora/{corpus}/files', {
          params: { path: { corpus: corpus.name }, query: { name: f.name } },
          headers: { 'Content-Type': 'application/octet-stream' },
          body: f as unknown as string,
          bodySerializer: (b) => b as unknown as BodyInit,
        }),
      )
      told.value = `${f.name}: ${d.state}${d.reason === '' ? '' : `, ${d.reason}`}`
    } catch (err) {
      problem.value = `${f.name}: ${(err as Error).message}`
    }
  }
  input.value = ''
  await load()
}

const tones: Record<string, string> = {
  indexed: 'good',
  unchanged: 'good',
  failed: 'bad',
  'left out': 'muted',
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

function pick(rows: DocumentRow[]): void {
  picked.value = rows
}

const canRetry = computed(() => picked.value.filter((d) => d.state === 'failed' || d.state === 'left out'))

watch([filter, search], () => void load())
let stops: (() => void)[] = []
onMounted(() => {
  void load()
  stops = [corpus.onDocument(arrived), corpus.onJobEnd(() => void load())]
})
onUnmounted(() => stops.forEach((s) => s()))
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <h1>Sources</h1>
      <form class="stack" @submit.prevent="add">
        <label class="field">
          <span class="label">Add a site by its address</span>
          <ElInput v-model="address" placeholder="https://www.example.org/" name="address" />
        </label>
        <ElCheckbox v-model="allowPrivate">It is on this machine or a private network</ElCheckbox>
        <p class="hint">
          Every page that links and sitemaps lead to on this host, under this folder. robots.txt is obeyed.
        </p>
        <ElButton type="primary" native-type="submit" :loading="adding" :disabled="address.trim() === ''"
          >Gather site</ElButton
        >
      </form>
      <label class="field">
        <span class="label">Add files</span>
        <input
          type="file"
          multiple
          accept=".html,.htm,.md,.markdown,.txt,.csv,.tsv,.json,.jsonl,.docx,.odt,.pptx,.xlsx,.ods,.odp,.epub,.vtt,.srt,.ttml"
          @change="upload"
        />
        <p class="hint">
          HTML, Markdown, text, CSV, JSON, DOCX, ODT, PPTX, XLSX, EPUB and captions (VTT, SRT, TTML), up to 20 MB each.
        </p>
      </label>
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
      <p v-if="told !== ''" class="notice" role="status">{{ told }}</p>
      <article v-for="s in sources" :key="s.id" class="source">
        <b>{{ s.kind === 'site' ? s.address : 'Files' }}</b>
        <p class="muted figure">
          {{ count((s.states['indexed'] ?? 0) + (s.states['unchanged'] ?? 0)) }} in
          <template v-if="(s.states['failed'] ?? 0) > 0">
            · <span class="bad">{{ count(s.states['failed'] ?? 0) }} failed</span></template
          >
          <template v-if="(s.states['left out'] ?? 0) > 0"> · {{ count(s.states['left out'] ?? 0) }} left out</template>
          <template v-if="(s.states['waiting'] ?? 0) > 0"> · {{ count(s.states['waiting'] ?? 0) }} waiting</template>
        </p>
        <button v-if="s.kind === 'site'" class="linkish" :disabled="gathering.length > 0" @click="again(s)">
          Visit again for changes
        </button>
      </article>
    </div>
    <div class="right stack">
      <JobBar v-for="j in gathering" :key="j.id" :job="j" />
      <div class="row">
        <h1>Documents</h1>
        <span class="muted figure">{{ count(total) }}</span>
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
        <ElButton :disabled="canRetry.length === 0" @click="retry(canRetry.map((d) => d.id))"
          >Try selected again</ElButton
        >
        <ElButton :disabled="failed === 0" @click="retry([])">Try all failed again</ElButton>
      </div>
      <div v-if="documents.length === 0 && gathering.length === 0" class="notice">
        <template v-if="filter === 'all' && search === ''">
          Here stands what the assistant answers from. Add a site by its address, or files, at the left.
        </template>
        <template v-else>No document matches. <button class="linkish" @click="showAll">Show all</button></template>
      </div>
      <ElTable v-else :data="documents" row-key="id" size="small" class="list" @selection-change="pick">
        <ElTableColumn type="selection" width="38" reserve-selection />
        <ElTableColumn label="State" prop="state" width="92" sortable>
          <template #default="{ row }"
            ><span :class="toneOf(row.state)">{{ row.state }}</span></template
          >
        </ElTableColumn>
        <ElTableColumn label="Document" prop="title" min-width="200" sortable>
          <template #default="{ row }">
            <RouterLink :to="linkTo(row.id)">{{ row.title === '' ? shortAddress(row.address) : row.title }}</RouterLink>
          </template>
        </ElTableColumn>
        <ElTableColumn label="Address" prop="address" min-width="170" sortable>
          <template #default="{ row }"
            ><span class="mono">{{ shortAddress(row.address) }}</span></template
          >
        </ElTableColumn>
        <ElTableColumn label="Words" prop="words" width="80" align="right" sortable>
          <template #default="{ row }">{{ row.words > 0 ? count(row.words) : '' }}</template>
        </ElTableColumn>
        <ElTableColumn label="Reason" prop="reason" min-width="200" />
      </ElTable>
    </div>
  </div>
</template>

<style scoped>
.source {
  border-top: 1px solid var(--line);
  padding-top: 10px;
  overflow-wrap: anywhere;
}
.source p {
  margin: 2px 0 0;
}
.states {
  width: 130px;
}
.search {
  width: 220px;
}
.list {
  width: 100%;
}
</style>
