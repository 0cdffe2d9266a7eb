<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import {
  api,
  ok,
  type ChunkSettings,
  type DocumentRow,
  type Figures,
  type Method,
  type Preview,
  type Source,
} from '@/api/client'
import { ByteText } from '@/api/bytes'
import { count, shortAddress } from '@/api/words'
import JobBar from '@/components/JobBar.vue'
import SettingsForm from '@/components/SettingsForm.vue'
import StrataView from '@/components/StrataView.vue'
import { useCorpus } from '@/stores/corpus'
import { useDraft } from '@/stores/draft'
import { nameOf } from '../gather/store'
import CutText from './CutText.vue'
import SizeBars from './SizeBars.vue'

const corpus = useCorpus()
const route = useRoute()
const router = useRouter()
const documents = ref<DocumentRow[]>([])
const sources = ref<Source[]>([])
const draft = useDraft(['chunk', 'sources'])
const { fields, applied, changed, tried: method, problem } = draft
const preview = ref<Preview>()
const figures = ref<Figures>()
const figuresBefore = ref<Figures>()
const counting = ref(false)
const chosen = ref<number>()
const lit = ref<number>()
const frozen = ref<ChunkSettings>()

const inQuery = (key: string, none: string) =>
  computed({
    get: () => String(route.query[key] ?? none),
    set: (v) => void router.replace({ query: { ...route.query, [key]: v === none ? undefined : v } }),
  })
const sides = inQuery('sides', '')
const scope = inQuery('for', '')
const chosenScope = computed({ get: () => scope.value || 'all', set: (v) => (scope.value = v === 'all' ? '' : v) })

/** The longest document shows most of what a setting does: the one to start with. */
const able = computed(() => documents.value.filter((d) => scope.value === '' || d.source === scope.value))
const longest = computed(() => able.value.reduce((a, b) => (b.words > (a?.words ?? -1) ? b : a), able.value[0]))
const documentId = computed({
  get: () => {
    const asked = String(route.query.document ?? '')
    return able.value.some((d) => d.id === asked) ? asked : (longest.value?.id ?? '')
  },
  set: (id) => void router.replace({ query: { ...route.query, document: id } }),
})
/** Of many documents the first that match are offered, and the open one: a list of thousands is for nobody. */
const sought = ref('')
const mostOffered = 50
const offered = computed(() => {
  const words = sought.value.trim().toLowerCase()
  const some = able.value
    .filter((d) => words === '' || d.title.toLowerCase().includes(words) || d.address.toLowerCase().includes(words))
    .slice(0, mostOffered)
  const shown = openDocument.value
  return shown === undefined || some.includes(shown) ? some : [shown, ...some]
})
const openDocument = computed(() => documents.value.find((d) => d.id === documentId.value))
const chunkFields = computed(() => fields.value.filter((f) => f.key.startsWith('chunk.')))
const own = computed(() => scope.value !== '' && method.value?.sources?.[scope.value] !== undefined)

function settingsOf(m: Method | undefined, source: string): ChunkSettings | undefined {
  return m?.sources?.[source] ?? m?.chunk
}
/** What is being edited: the corpus's settings, or a source's own. */
const edited = computed(() => settingsOf(method.value, scope.value))
/** How the open document would be cut, and how it is cut now. */
const cutting = computed(() => settingsOf(method.value, openDocument.value?.source ?? ''))
const before = computed(() => settingsOf(applied.value, openDocument.value?.source ?? ''))
const other = computed(() => frozen.value ?? before.value)
const rebuilding = computed(() => corpus.active.filter((j) => j.kind === 'rebuild'))
const text = computed(() => new ByteText(preview.value?.document.text ?? ''))
const passages = computed(() => [...(preview.value?.passages ?? [])].sort((a, b) => a.span.start - b.span.start))
const cutPassages = computed(() => passages.value.filter((p) => p.cut))

function put(s: ChunkSettings): void {
  draft.put(scope.value === '' ? { chunk: s } : { sources: { ...method.value?.sources, [scope.value]: s } })
}

function set(key: string, v: string | number | boolean): void {
  if (edited.value !== undefined) put({ ...edited.value, [key]: v })
}

function setOwn(yes: boolean): void {
  if (method.value === undefined || scope.value === '') return
  if (yes) {
    put({ ...method.value.chunk })
    return
  }
  const left = { ...method.value.sources }
  // eslint-disable-next-line @typescript-eslint/no-dynamic-delete -- the key is a source's id
  delete left[scope.value]
  draft.put({ sources: left })
}

let drawing = 0
async function redraw(): Promise<void> {
  if (cutting.value === undefined || documentId.value === '') return
  const mine = ++drawing
  try {
    const p = await ok(
      api.POST('/api/corpora/{corpus}/documents/{document}/preview', {
        params: { path: { corpus: corpus.name, document: documentId.value } },
        body: { settings: cutting.value, other: sides.value === '' ? undefined : other.value },
      }),
    )
    if (mine !== drawing) return // a later one is under way
    preview.value = p
    problem.value = ''
  } catch (e) {
    if (mine === drawing) problem.value = (e as Error).message
  }
}

let counted = 0
/** First as many documents as a moment allows, then all of them. */
async function measure(m: Method, into: typeof figures): Promise<void> {
  const mine = ++counted
  const ask = (all: boolean) =>
    ok(
      api.POST('/api/corpora/{corpus}/cutting', {
        params: { path: { corpus: corpus.name } },
        body: { settings: m.chunk, sources: m.sources, all },
      }),
    )
  try {
    counting.value = true
    into.value = await ask(false)
    if (mine === counted && into.value.stats.documents < into.value.total) {
      const whole = await ask(true)
      if (mine === counted) into.value = whole
    }
  } catch (e) {
    if (mine === counted) problem.value = (e as Error).message
  }
  if (mine === counted) counting.value = false
}
let due: ReturnType<typeof setTimeout> | undefined
function measureSoon(): void {
  clearTimeout(due)
  due = setTimeout(() => method.value !== undefined && void measure(method.value, figures), 120)
}

async function apply(): Promise<void> {
  await draft.apply()
  if (problem.value === '') figuresBefore.value = figures.value
}

function show(ordinal: number, id = 'cut'): void {
  chosen.value = ordinal
  document.getElementById(`${id}-${ordinal}`)?.scrollIntoView({ block: 'nearest' })
}

/** The chunk that holds a passage's start, to go to. */
function goTo(start: number): void {
  const c = (preview.value?.chunks ?? []).find((x) => x.span.start <= start && start < x.span.end)
  if (c !== undefined) show(c.ordinal)
}

const tells = computed(() => {
  const now = figures.value?.stats
  const was = figuresBefore.value?.stats
  if (now === undefined) return []
  const one = (label: string, key: 'chunks' | 'cutSentences' | 'cutTables' | 'loneHeadings' | 'duplicates') => ({
    label,
    now: count(now[key]),
    was: was !== undefined && was[key] !== now[key] ? count(was[key]) : '',
    bad: key !== 'chunks' && now[key] > 0,
  })
  return [
    one('chunks', 'chunks'),
    {
      label: 'tokens, mean',
      now: now.mean.toFixed(0),
      was: was && was.mean.toFixed(0) !== now.mean.toFixed(0) ? was.mean.toFixed(0) : '',
      bad: false,
    },
    one('cut sentences', 'cutSentences'),
    one('cut tables', 'cutTables'),
    one('headings without text', 'loneHeadings'),
    one('duplicates', 'duplicates'),
    {
      label: `of ${count(now.passages)} expected passages cut`,
      now: count(now.cutPassages),
      was: was && was.cutPassages !== now.cutPassages ? count(was.cutPassages) : '',
      bad: now.cutPassages > 0,
    },
  ]
})

watch([cutting, documentId, sides, other], () => void redraw(), { deep: true })
watch(() => [method.value?.chunk, method.value?.sources], measureSoon, { deep: true })
onMounted(async () => {
  try {
    const path = { corpus: corpus.name }
    await draft.load()
    sources.value = await ok(api.GET('/api/corpora/{corpus}/sources', { params: { path } }))
    const list = await ok(api.GET('/api/corpora/{corpus}/documents', { params: { path, query: { limit: 10000 } } }))
    documents.value = list.documents.filter((d) => d.state === 'indexed' || d.state === 'unchanged')
    if (applied.value !== undefined) await measure(applied.value, figuresBefore)
    figures.value = figuresBefore.value
    if (changed.value) measureSoon()
  } catch (e) {
    problem.value = (e as Error).message
  }
})
onUnmounted(() => clearTimeout(due))
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <h1>Chunking</h1>
      <template v-if="edited !== undefined">
        <ElSelect v-model="chosenScope" aria-label="What the settings are for">
          <ElOption value="all" label="The whole corpus" />
          <ElOption
            v-for="s in sources"
            :key="s.id"
            :value="s.id"
            :label="`Only ${nameOf(s)}${method?.sources?.[s.id] ? ' (own settings)' : ''}`"
          />
        </ElSelect>
        <label v-if="scope !== ''" class="row own">
          <input type="checkbox" :checked="own" @change="(e) => setOwn((e.target as HTMLInputElement).checked)" />
          <span>Separate settings for this source</span>
        </label>
        <p v-if="scope !== '' && !own" class="muted">This source is cut as the corpus is.</p>
        <SettingsForm
          v-if="scope === '' || own"
          :fields="chunkFields"
          :values="edited"
          :before="settingsOf(applied, scope)"
          @change="set"
        />
        <div v-if="changed" class="notice caution row" role="status">
          <span>The preview shows settings that are not applied.</span>
          <ElButton type="primary" @click="apply">Apply and rebuild</ElButton>
          <ElButton @click="draft.reset">Undo</ElButton>
        </div>
        <JobBar v-for="j in rebuilding" :key="j.id" :job="j" />
      </template>
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    </div>
    <div class="right stack">
      <p v-if="documents.length === 0" class="notice">
        There is nothing to cut yet.
        <RouterLink :to="{ name: 'gather', params: { corpus: corpus.name } }">Gather a site or files first.</RouterLink>
      </p>
      <template v-else>
        <section v-if="figures" class="whole" aria-label="The whole corpus">
          <p class="muted figure about" role="status">
            The whole corpus,<br />{{ count(figures.stats.documents) }} of {{ count(figures.total) }}<br />documents{{
              counting ? ', counting' : ''
            }}
          </p>
          <SizeBars :sizes="figures.stats.sizes" :before="changed ? figuresBefore?.stats.sizes : undefined" />
          <dl class="figure">
            <div v-for="t in tells" :key="t.label">
              <dt class="muted">{{ t.label }}</dt>
              <dd>
                <b :class="{ caution: t.bad }">{{ t.now }}</b><span v-if="t.was !== ''" class="muted">
                  was {{ t.was }}</span
                >
              </dd>
            </div>
          </dl>
        </section>
        <div class="row">
          <ElSelect
            v-model="documentId"
            filterable
            remote
            remote-show-suffix
            :remote-method="(words: string) => (sought = words)"
            class="choose"
            aria-label="Document"
            @visible-change="sought = ''"
          >
            <ElOption
              v-for="d in offered"
              :key="d.id"
              :value="d.id"
              :label="`${d.title} — ${shortAddress(d.address)}`"
            />
            <ElOption
              v-if="offered.length >= mostOffered"
              value=""
              disabled
              label="Type to find the others by title or address"
            />
          </ElSelect>
          <label class="row"
            ><input
              type="checkbox"
              :checked="sides !== ''"
              @change="(e) => (sides = (e.target as HTMLInputElement).checked ? 'yes' : '')"
            /><span>Side by side</span></label
          >
          <template v-if="sides !== ''">
            <ElButton size="small" @click="frozen = cutting">Keep for comparison</ElButton>
            <ElButton v-if="frozen" size="small" @click="frozen = undefined"
              >Compare with the applied settings</ElButton
            >
          </template>
          <span v-if="preview" class="muted figure">
            {{ count(preview.stats.chunks) }} chunks of {{ preview.stats.smallest }} to
            {{ preview.stats.largest }} tokens ·
            <span :class="{ caution: preview.stats.cutSentences > 0 }"
              >{{ preview.stats.cutSentences }} cut sentences</span
            >
            · <span :class="{ caution: preview.stats.cutTables > 0 }">{{ preview.stats.cutTables }} cut tables</span>
          </span>
        </div>
        <p v-if="cutPassages.length > 0" class="notice caution">
          A cut runs through what is expected for
          <template v-for="(p, i) in cutPassages.slice(0, 4)" :key="p.question + p.span.start"
            ><template v-if="i > 0">, </template
            ><button class="linkish" @click="goTo(p.span.start)">“{{ p.text }}”</button></template
          ><template v-if="cutPassages.length > 4"> and {{ cutPassages.length - 4 }} more</template>.
        </p>
        <div v-if="preview" class="cut-panes" :class="{ two: preview.other }">
          <StrataView
            :chunks="preview.chunks"
            :chosen="chosen"
            :compare="preview.other !== undefined"
            label="Strata as edited: one layer for each chunk"
            @choose="show"
            @hover="(o) => (lit = o)"
          />
          <div>
            <p v-if="preview.other" class="side figure"><b>As edited</b> · {{ preview.stats.chunks }} chunks</p>
            <CutText
              id="cut"
              :text="text"
              :chunks="preview.chunks"
              :passages="passages"
              :chosen="chosen"
              :lit="lit"
              :compare="preview.other !== undefined"
              @choose="(o) => (chosen = o)"
            />
          </div>
          <template v-if="preview.other">
            <div>
              <p class="side figure">
                <b>{{ frozen ? 'Held beside' : 'As applied' }}</b> · {{ preview.other.stats.chunks }} chunks,
                {{ preview.other.stats.cutSentences }} cut sentences
              </p>
              <CutText id="was" :text="text" :chunks="preview.other.chunks" :passages="passages" compare />
            </div>
            <StrataView
              :chunks="preview.other.chunks"
              compare
              label="Strata of the other settings"
              @choose="(o) => show(o, 'was')"
            />
          </template>
        </div>
      </template>
    </div>
  </div>
</template>

<style scoped>
.choose {
  width: 300px;
}
.own input,
label.row input {
  width: 16px;
  height: 16px;
  accent-color: var(--accent);
}
.whole {
  display: flex;
  gap: 22px;
  align-items: flex-start;
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 8px 12px;
}
.about {
  margin: 0;
  white-space: nowrap;
  font-size: 12.5px;
}
dl {
  margin: 0;
  display: grid;
  grid-template-columns: repeat(4, auto);
  gap: 4px 20px;
  font-size: 12.5px;
}
dl div {
  display: flex;
  flex-direction: column;
}
dt {
  font-size: 11.5px;
}
dd {
  margin: 0;
}
.side {
  margin: 0 0 6px;
}
.cut-panes {
  display: grid;
  grid-template-columns: 72px minmax(0, 1fr);
  gap: 14px;
  align-items: start;
}
.cut-panes.two {
  grid-template-columns: 72px minmax(0, 1fr) minmax(0, 1fr) 72px;
}
.cut-panes > .strata {
  position: sticky;
  top: 0;
  max-height: calc(100vh - 190px);
  overflow: auto;
}
</style>
