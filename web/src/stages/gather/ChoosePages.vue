<script setup lang="ts">
import { useDebounceFn, useElementSize } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import { counted, count } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { nameOf, useSources } from './store'
import { startsTaken, openAtFirst, treeOf, type Node } from './tree'

type Page = Schema['Page']

const corpus = useCorpus()
const sources = useSources()
const route = useRoute()
const router = useRouter()
const pages = ref<Page[]>([])
const caught = ref({ include: 0, exclude: 0 })
const include = ref('')
const exclude = ref('')
const newPages = ref<'ask' | 'take' | 'leave'>('ask')
const search = ref('')
const chosen = ref(new Set<string>())
const touched = ref(new Set<string>()) // pages that a person decided on: what comes in later does not undo it
const saving = ref(false)
const room = useTemplateRef<HTMLElement>('room')
const { height } = useElementSize(room)

const source = computed(() => sources.all.find((s) => s.id === route.params.source))
const finding = computed(() => corpus.active.some((j) => j.kind === 'gather' && j.target === route.params.source))
const nodes = computed(() => treeOf(pages.value, search.value))
const counts = computed(() => {
  const out = new Map<string, number>()
  for (const p of pages.value) for (const c of p.clutter) out.set(c, (out.get(c) ?? 0) + 1)
  return [...out].sort((a, b) => b[1] - a[1])
})
const ready = computed(() => pages.value.filter((p) => !['left out', 'failed'].includes(p.state)).length)
const lines = (s: string): string[] => s.split('\n').filter((l) => l.trim() !== '')

async function load(): Promise<void> {
  try {
    const path = { corpus: corpus.name, source: String(route.params.source) }
    const query = { include: lines(include.value), exclude: lines(exclude.value) }
    const list = await ok(api.GET('/api/corpora/{corpus}/sources/{source}/pages', { params: { path, query } }))
    pages.value = list.pages
    caught.value = { include: list.include, exclude: list.exclude }
    const restricted = query.include.length > 0
    for (const p of list.pages) {
      if (touched.value.has(p.id)) continue
      const take = startsTaken(p) && p.caught !== 'exclude' && (!restricted || p.caught === 'include')
      if (take) chosen.value.add(p.id)
      else chosen.value.delete(p.id)
    }
  } catch (e) {
    sources.problem = (e as Error).message
  }
}
const loadSoon = useDebounceFn(load, 600, { maxWait: 1500 })

function decide(ids: string[], take: boolean): void {
  for (const id of ids) {
    touched.value.add(id)
    if (take) chosen.value.add(id)
    else chosen.value.delete(id)
  }
}

/** How many of the pages below each node are ticked. */
const ticked = computed(() => {
  const out = new Map<string, number>()
  const sum = (n: Node): number => {
    const k =
      n.page !== undefined ? Number(chosen.value.has(n.id)) : (n.children ?? []).reduce((total, c) => total + sum(c), 0)
    out.set(n.id, k)
    return k
  }
  nodes.value.forEach(sum)
  return out
})

/** A tick on a page or a folder decides on all pages below it that are shown. */
function toggle(node: Node): void {
  const below: string[] = []
  const walk = (n: Node): void => {
    if (n.page !== undefined) below.push(n.id)
    n.children?.forEach(walk)
  }
  walk(node)
  decide(below, ticked.value.get(node.id) !== node.count)
}

function clutter(word: string, take: boolean): void {
  decide(
    pages.value.filter((p) => p.clutter.includes(word)).map((p) => p.id),
    take,
  )
}

async function save(): Promise<void> {
  saving.value = true
  const path = { corpus: corpus.name, source: String(route.params.source) }
  const done = await sources.attempt(async () => {
    const r = await ok(
      api.PUT('/api/corpora/{corpus}/sources/{source}/choice', {
        params: { path },
        body: {
          taken: [...chosen.value],
          include: lines(include.value),
          exclude: lines(exclude.value),
          newPages: newPages.value,
        },
      }),
    )
    return `${count(r.in)} pages are taken in, ${count(r.out)} left out`
  })
  saving.value = false
  if (done) void router.push({ name: 'gather', params: { corpus: corpus.name } })
}

watch([include, exclude], () => {
  touched.value.clear()
  void loadSoon()
})
watch(
  source,
  (s) => {
    if (s === undefined || include.value !== '' || exclude.value !== '') return
    include.value = (s.settings.include ?? []).join('\n')
    exclude.value = (s.settings.exclude ?? []).join('\n')
    newPages.value = (s.settings.newPages || 'ask') as 'ask'
  },
  { immediate: true },
)
watch(
  () => route.params.source,
  () => {
    chosen.value.clear()
    touched.value.clear()
    void load()
  },
)
let stops: (() => void)[] = []
onMounted(() => {
  void load()
  stops = [corpus.on('document', () => void loadSoon()), corpus.onJobEnd(() => void loadSoon())]
})
onUnmounted(() => stops.forEach((s) => s()))

const marks = (n: Node): string => n.page?.clutter.join(', ') ?? ''
const why = (n: Node): string => {
  const p = n.page
  if (p === undefined) return ''
  if (p.state === 'left out' || p.state === 'failed') return `${p.state}: ${p.reason}`
  return p.state === 'waiting' ? 'not fetched yet' : ''
}
</script>

<template>
  <section class="choose" aria-label="Choose pages">
    <div class="row">
      <h1>Choose from {{ source === undefined ? '' : nameOf(source) }}</h1>
      <span class="figure muted" role="status"
        >{{ count(pages.length) }} found{{ finding ? ', still looking' : '' }} · {{ count(ready) }} with text</span
      >
    </div>
    <div class="tools">
      <label class="field">
        <span class="label"
          >Include only
          <span class="figure muted">{{ include === '' ? '' : `${count(caught.include)} matched` }}</span></span
        >
        <ElInput v-model="include" type="textarea" :rows="2" class="mono" placeholder="/travel/*" />
      </label>
      <label class="field">
        <span class="label"
          >Exclude
          <span class="figure muted">{{ exclude === '' ? '' : `${count(caught.exclude)} matched` }}</span></span
        >
        <ElInput v-model="exclude" type="textarea" :rows="2" class="mono" placeholder="/news/*" />
      </label>
      <label class="field">
        <span class="label">Pages found later</span>
        <ElSelect v-model="newPages" aria-label="Pages found later">
          <ElOption value="ask" label="wait for a decision" />
          <ElOption value="take" label="are taken in" />
          <ElOption value="leave" label="are left out" />
        </ElSelect>
      </label>
    </div>
    <div v-if="counts.length > 0" class="row likely">
      <span class="muted">Likely clutter:</span>
      <span v-for="[word, n] in counts" :key="word" class="chip"
        >{{ word }} <b class="figure">{{ count(n) }}</b>
        <button class="linkish" :aria-label="`exclude all: ${word}`" @click="clutter(word, false)">exclude</button>
        <button class="linkish" :aria-label="`include all: ${word}`" @click="clutter(word, true)">include</button></span
      >
    </div>
    <div class="row">
      <ElInput
        v-model="search"
        class="search"
        clearable
        placeholder="Part of an address or title"
        aria-label="Search pages"
      />
      <button
        class="linkish"
        @click="
          decide(
            pages.map((p) => p.id),
            true,
          )
        "
      >
        All
      </button>
      <button
        class="linkish"
        @click="
          decide(
            pages.map((p) => p.id),
            false,
          )
        "
      >
        None
      </button>
      <span class="grow" />
      <span class="figure"
        ><b>{{ count(chosen.size) }}</b> of {{ count(pages.length) }}</span
      >
      <ElButton type="primary" :loading="saving" :disabled="pages.length === 0" @click="save"
        >Include {{ counted(chosen.size, 'page') }}</ElButton
      >
    </div>
    <div ref="room" class="room">
      <ElTreeV2
        :data="nodes"
        :props="{ value: 'id', label: 'label', children: 'children' }"
        :height="Math.max(200, height)"
        :item-size="28"
        :default-expanded-keys="openAtFirst(nodes)"
        :expand-on-click-node="true"
      >
        <template #default="{ data }">
          <span class="node">
            <input
              type="checkbox"
              :aria-label="`Include ${data.label}`"
              :checked="ticked.get(data.id) === data.count"
              :indeterminate="(ticked.get(data.id) ?? 0) > 0 && ticked.get(data.id) !== data.count"
              @click.stop
              @change="toggle(data)"
            />
            <span :class="{ mono: data.page === undefined }">{{ data.label }}</span>
            <span v-if="data.page === undefined" class="figure muted">{{ count(data.count) }}</span>
            <template v-else>
              <span class="mono muted path">{{ data.path }}</span>
              <span v-if="marks(data) !== ''" class="caution">{{ marks(data) }}</span>
              <span v-if="why(data) !== ''" class="muted">{{ why(data) }}</span>
              <span v-else class="figure muted">{{ count(data.page.words) }} words</span>
            </template>
          </span>
        </template>
      </ElTreeV2>
    </div>
  </section>
</template>

<style scoped>
.choose {
  display: flex;
  flex-direction: column;
  gap: 12px;
  height: calc(100vh - 222px);
  min-height: 420px;
}
.tools {
  display: grid;
  grid-template-columns: 1fr 1fr 190px;
  gap: 14px;
}
.likely {
  row-gap: 4px;
}
.chip {
  border: 1px solid var(--line);
  background: var(--raised);
  padding: 1px 8px;
  display: inline-flex;
  gap: 6px;
}
.search {
  width: 240px;
}
.grow {
  flex: 1;
}
.room {
  flex: 1;
  min-height: 0;
  background: var(--raised);
  border: 1px solid var(--line);
}
.node {
  display: inline-flex;
  gap: 10px;
  align-items: baseline;
  white-space: nowrap;
  overflow: hidden;
}
.node input {
  align-self: center;
  margin: 0;
  width: 15px;
  height: 15px;
  accent-color: var(--accent);
}
.path {
  max-width: 26ch;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
