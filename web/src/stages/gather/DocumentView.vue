<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, ok, type Layer, type OpenDocument, type Schema } from '@/api/client'
import { ByteText } from '@/api/bytes'
import { clock } from '@/api/words'
import StrataView from '@/components/StrataView.vue'
import DocumentDiff from './DocumentDiff.vue'
import DocumentFacts from './DocumentFacts.vue'
import { useCorpus } from '@/stores/corpus'

const corpus = useCorpus()
const route = useRoute()
const doc = ref<OpenDocument>()
const chunks = ref<Layer[]>([])
const chosen = ref<number>()
const problem = ref('')
const blocksShown = ref(false)

const from = computed(() => Number(route.query.from ?? -1))
const to = computed(() => Number(route.query.to ?? -1))
const bytes = computed(() => new ByteText(doc.value?.text ?? ''))
const isWeb = computed(() => /^https?:/.test(doc.value?.address ?? ''))

type Block = Schema['Block']
type Span = { start: number; end: number }

/** The cells of a record that a reply tells; none when a passage is cited as a whole. */
const told = computed<Span[]>(() =>
  String(route.query.cells ?? '')
    .split(',')
    .map((c) => c.split('-').map(Number))
    .filter((c) => c.length === 2 && c.every(Number.isFinite))
    .map(([start = 0, end = 0]) => ({ start, end })),
)

function lit(c: { span: Span }): boolean {
  return told.value.some((t) => c.span.start < t.end && t.start < c.span.end)
}

function cited(b: { span: { start: number; end: number } }): boolean {
  return from.value >= 0 && b.span.start < to.value && from.value < b.span.end
}

function parts(b: Block): { text: string; lit: boolean }[] {
  const s = b.span
  if (!cited(b)) return [{ text: bytes.value.slice(s.start, s.end), lit: false }]
  const marks = told.value.length > 0 ? told.value : [{ start: from.value, end: to.value }]
  const out: { text: string; lit: boolean }[] = []
  let at = s.start
  for (const m of [...marks].sort((x, y) => x.start - y.start)) {
    const a = Math.max(at, m.start)
    const z = Math.min(s.end, m.end)
    if (a >= z) continue
    out.push({ text: bytes.value.slice(at, a), lit: false }, { text: bytes.value.slice(a, z), lit: true })
    at = z
  }
  return [...out, { text: bytes.value.slice(at, s.end), lit: false }]
}

/** Whether a block is the first of its page. */
function pageStarts(i: number): boolean {
  const page = (k: number): number => doc.value?.blocks[k]?.place?.page ?? 0
  return page(i) > 0 && (i === 0 || page(i) !== page(i - 1))
}

function tagOf(b: Block): string {
  if (b.kind === 'heading') return `h${Math.min(6, (b.level ?? 1) + 1)}`
  return b.kind === 'code' ? 'pre' : 'p'
}

async function show(ordinal: number): Promise<void> {
  chosen.value = ordinal
  const c = chunks.value[ordinal]
  if (c === undefined || doc.value === undefined) return
  const i = doc.value.blocks.findIndex((b) => b.span.end > c.span.start)
  await nextTick()
  document.getElementById(`block-${i}`)?.scrollIntoView({ block: 'start' })
}

const findings = ref<Schema['Finding'][]>([])
const clip = ref<HTMLMediaElement>()
/** Where the clip of a transcript is played from: the web, or the file that was handed over. */
const clipAt = computed(() => {
  const d = doc.value
  if (d === undefined) return ''
  if (d.media !== '') return d.media
  return d.original && d.digest.seconds > 0 && !/\.(vtt|srt|ttml|dfxp)$/i.test(d.address)
    ? `/api/corpora/${encodeURIComponent(corpus.name)}/documents/${d.id}/media`
    : ''
})
const sound = computed(() =>
  /\.(mp3|m4a|wav|ogg|oga|opus|aac|flac)$/i.test(doc.value?.media || (doc.value?.address ?? '')),
)

/** Goes to a moment of the clip, once so much of it is there that it can. */
function seek(at: number): void {
  const c = clip.value
  if (c === undefined) return
  const go = (): void => {
    c.currentTime = at
  }
  if (c.readyState >= HTMLMediaElement.HAVE_CURRENT_DATA) go()
  else c.addEventListener('loadeddata', go, { once: true })
}

function play(at: number): void {
  seek(at)
  void clip.value?.play()
}

async function load(): Promise<void> {
  try {
    const path = { corpus: corpus.name, document: String(route.params.document) }
    doc.value = await ok(
      api.GET('/api/corpora/{corpus}/documents/{document}', {
        params: { path, query: { version: String(route.query.version ?? '') } },
      }),
    )
    const m = await ok(api.GET('/api/corpora/{corpus}/method', { params: { path } }))
    const p = await ok(
      api.POST('/api/corpora/{corpus}/documents/{document}/preview', {
        params: { path },
        body: { settings: m.sources?.[doc.value?.source ?? ''] ?? m.chunk },
      }),
    )
    chunks.value = p.chunks
    findings.value = await ok(
      api.GET('/api/corpora/{corpus}/findings', {
        params: { path, query: { document: String(route.params.document) } },
      }),
    )
    problem.value = ''
    await nextTick()
    document.querySelector('.reading mark')?.scrollIntoView({ block: 'center' })
    // A citation of what is said opens the clip at the moment.
    const said = doc.value.blocks.find((b) => b.kind === 'cue' && cited(b))?.place?.from
    if (said !== undefined) seek(said)
  } catch (e) {
    problem.value = (e as Error).message
  }
}

watch(() => [route.params.document, route.query.version, from.value], load, { immediate: true })
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <RouterLink :to="{ name: 'gather', params: { corpus: corpus.name } }">All documents</RouterLink>
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
      <template v-if="doc !== undefined">
        <h1>{{ doc.title === '' ? doc.address : doc.title }}</h1>
        <p>
          <a v-if="isWeb" :href="doc.address" target="_blank" rel="noreferrer" class="mono">{{ doc.address }}</a>
          <span v-else class="mono">{{ doc.address }}</span>
        </p>
        <DocumentFacts :doc="doc" :chunks="chunks.length" @changed="load" />
        <p v-if="doc.original">
          <a :href="`/api/corpora/${encodeURIComponent(corpus.name)}/documents/${doc.id}/original`">Save the file</a>
        </p>
        <p v-for="f in findings.filter((x) => !x.dismissed)" :key="f.id" class="notice caution">
          <b>{{ f.kind }}</b>: {{ f.detail }}
          <RouterLink
            v-if="f.at.document === doc.id && f.at.span.end > 0"
            :to="{ query: { from: f.at.span.start, to: f.at.span.end } }"
            >Show</RouterLink
          >
        </p>
        <p v-for="n in doc.notes" :key="n" class="notice caution">{{ n }}</p>
        <ElCheckbox v-model="blocksShown">Show each block with its heading path</ElCheckbox>
        <h2>Strata</h2>
        <StrataView :chunks="chunks" :chosen="chosen" @choose="show" />
      </template>
    </div>
    <div class="right" tabindex="0" role="region" aria-label="Text of the document">
      <component
        :is="sound ? 'audio' : 'video'"
        v-if="clipAt !== ''"
        ref="clip"
        :src="clipAt"
        controls
        preload="metadata"
        class="clip"
        aria-label="The clip"
      />
      <DocumentDiff
        v-if="doc !== undefined && typeof route.query.compare === 'string'"
        :document="doc.id"
        :from="route.query.compare"
        :to="String(route.query.version ?? '')"
      />
      <article v-else-if="doc !== undefined" class="reading">
        <p v-if="doc.blocks.length === 0" class="notice">
          There is no text. {{ doc.reason === '' ? 'It has not been fetched yet.' : `Reason: ${doc.reason}.` }}
        </p>
        <template v-for="(b, i) in doc.blocks" :key="i">
          <p v-if="blocksShown" class="muted about">{{ [b.kind, ...b.path].join(' › ') }}</p>
          <figure v-if="b.kind === 'table' && b.grid" :id="`block-${i}`">
            <figcaption v-if="b.grid.caption">{{ b.grid.caption }}</figcaption>
            <table class="plain">
              <thead v-if="(b.grid.header ?? []).length > 0">
                <tr>
                  <th v-for="(h, k) in b.grid.header" :key="k">{{ h }}</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="(r, k) in b.grid.rows" :key="k" :class="{ cited: cited(r) && told.length > 0 }">
                  <td v-for="(c, n) in r.cells" :key="n">
                    <mark v-if="told.length > 0 ? lit(c) : cited(r)">{{ c.text }}</mark><template v-else>{{
                      c.text
                    }}</template>
                  </td>
                </tr>
              </tbody>
            </table>
          </figure>
          <component :is="tagOf(b)" v-else :id="`block-${i}`" :class="[b.kind, `depth-${b.level ?? 0}`]">
            <button
              v-if="b.kind === 'cue'"
              class="linkish mono at"
              :disabled="clipAt === ''"
              :aria-label="`Play from ${clock(b.place?.from ?? 0)}`"
              @click="play(b.place?.from ?? 0)"
            >
              {{ clock(b.place?.from ?? 0) }}
            </button>
            <span v-if="pageStarts(i)" class="mono muted page">page {{ b.place?.page }}</span>
            <span v-if="b.kind === 'item'" class="bullet">{{ b.ordinal ? b.ordinal : '•' }}</span>
            <template v-for="(p, k) in parts(b)" :key="k"
              ><mark v-if="p.lit">{{ p.text }}</mark
              ><template v-else>{{ p.text }}</template></template
            >
          </component>
        </template>
      </article>
    </div>
  </div>
</template>

<style scoped>
tr.cited > td {
  background: var(--accent-soft);
}
.clip {
  display: block;
  width: 100%;
  max-width: 72ch;
  max-height: 300px;
  margin-bottom: 14px;
  background: var(--ink);
}
audio.clip {
  background: none;
}
.at {
  margin-right: 8px;
}
.page {
  float: right;
}
.reading {
  max-width: 72ch;
  font-size: 15px;
  line-height: 1.55;
}
.reading :is(h2, h3, h4, h5, h6) {
  margin: 1.1em 0 0.4em;
  font-size: 16px;
}
.reading h2 {
  font-size: 20px;
}
.reading h3 {
  font-size: 17px;
}
.reading p {
  margin: 0 0 0.7em;
}
.about {
  margin: 0.6em 0 0 !important;
  font-size: 12px;
  border-top: 1px solid var(--line);
}
.item {
  padding-left: 22px;
  position: relative;
  margin-bottom: 0.3em !important;
}
.depth-2 {
  margin-left: 22px;
}
.depth-3 {
  margin-left: 44px;
}
.bullet {
  position: absolute;
  left: 2px;
  color: var(--muted);
}
figure {
  margin: 0 0 1em;
}
figcaption {
  font-weight: 600;
  margin-bottom: 4px;
}
pre {
  background: var(--sunk);
  padding: 10px;
  overflow: auto;
  font: 12.5px/1.5 var(--mono);
}
</style>
