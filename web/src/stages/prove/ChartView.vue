<script setup lang="ts">
import { useElementSize, usePreferredDark } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, useTemplateRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import { count, counted, shortAddress } from '@/api/words'
import AskState from '@/components/AskState.vue'
import JobBar from '@/components/JobBar.vue'
import VirtualTable, { type Column } from '@/components/VirtualTable.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import { contours, gapWords, next, onScreen, reach, thingsOf, under, whole, type Sight, type Thing } from './chart'
import { useProve } from './store'

/** The corpus as a chart: documents by meaning on one plane, the questions of the set on it by how they ended, and what is missing. */
const corpus = useCorpus()
const prove = useProve()
const router = useRouter()
const {
  value: got,
  problem,
  state,
  load,
} = useAsk(
  async () =>
    prove.set === ''
      ? undefined
      : ok(api.GET('/api/corpora/{corpus}/sets/{set}/chart', { params: { path: prove.inSet() } })),
  [() => prove.set],
)
const chart = computed(() => got.value?.chart)
const drawing = computed(() => corpus.active.find((j) => j.kind === 'chart'))
const failed = ref('')

async function draw(): Promise<void> {
  failed.value = ''
  await prove.attempt(() => ok(api.POST('/api/corpora/{corpus}/sets/{set}/chart', { params: { path: prove.inSet() } })))
}
watch(got, (g) => {
  if (g !== undefined && g.chart === undefined && drawing.value === undefined && failed.value === '') void draw()
})

const words = ref('')
const marks = ref(['passed', 'failed', 'refused', 'unjudged'])
const asTable = ref(false)
const sight = ref<Sight>({ ...whole })
const chosen = ref<Thing>()
const hovered = ref<Thing>()
const things = computed(() =>
  chart.value === undefined
    ? []
    : thingsOf(chart.value, words.value).filter(
        (t) => t.kind === 'document' || marks.value.includes(chart.value?.questions[t.index]?.mark ?? ''),
      ),
)
const lines = computed(() =>
  chart.value === undefined
    ? []
    : contours(
        chart.value.documents.map((d) => d.at),
        [0.06, 0.25, 0.55],
      ),
)
const most = computed(() => Math.max(1, ...(chart.value?.documents ?? []).map((d) => d.cited)))
const gaps = computed(() => (chart.value?.gaps ?? []).slice(0, 10))
const missing = ref(new Set<number>())

const paper = useTemplateRef<HTMLCanvasElement>('paper')
const frame = useTemplateRef<HTMLElement>('frame')
const { width } = useElementSize(frame)
const height = 470
const dark = usePreferredDark()

function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim()
}

function paint(): void {
  const canvas = paper.value
  const c = chart.value
  const g = canvas?.getContext('2d')
  if (canvas === null || canvas === undefined || c === undefined || !g || width.value === 0) return
  const ratio = window.devicePixelRatio || 1
  canvas.width = width.value * ratio
  canvas.height = height * ratio
  g.setTransform(ratio, 0, 0, ratio, 0, 0)
  g.clearRect(0, 0, width.value, height)
  const size: [number, number] = [width.value, height]
  const at = (p: { x: number; y: number }): [number, number] => onScreen(p, sight.value, ...size)
  const ink = { good: colour('--good'), bad: colour('--bad'), caution: colour('--caution'), muted: colour('--muted') }
  g.strokeStyle = colour('--line')
  for (const [level, segments] of lines.value.entries()) {
    g.lineWidth = level === 0 ? 1.6 : 1
    g.beginPath()
    for (const [ax, ay, bx, by] of segments) {
      g.moveTo(...at({ x: ax, y: ay }))
      g.lineTo(...at({ x: bx, y: by }))
    }
    g.stroke()
  }
  const mix = (share: number): string =>
    `color-mix(in srgb, ${colour('--strata-9')} ${Math.round(100 * share)}%, ${colour('--strata-0')})`
  const shades = Array.from({ length: 11 }, (_, i) => mix(i / 10))
  g.lineWidth = 1
  for (const t of things.value) {
    const [x, y] = at(t)
    if (x < -20 || y < -20 || x > width.value + 20 || y > height + 20) continue
    if (t.kind === 'document') {
      const d = c.documents[t.index]
      if (d === undefined) continue
      const r = reach(d.words)
      g.fillStyle = shades[d.cited === 0 ? 0 : Math.max(2, Math.round(10 * Math.sqrt(d.cited / most.value)))] ?? ''
      g.strokeStyle = colour('--control')
      g.beginPath()
      g.arc(x, y, r, 0, 2 * Math.PI)
      g.fill()
      g.stroke()
      continue
    }
    const mark = c.questions[t.index]?.mark
    g.lineWidth = missing.value.has(t.index) ? 2.6 : 1.6
    g.strokeStyle =
      mark === 'passed' ? ink.good : mark === 'failed' ? ink.bad : mark === 'refused' ? ink.caution : ink.muted
    g.beginPath()
    if (mark === 'failed') {
      g.moveTo(x - 4, y - 4)
      g.lineTo(x + 4, y + 4)
      g.moveTo(x + 4, y - 4)
      g.lineTo(x - 4, y + 4)
    } else if (mark === 'refused') g.rect(x - 4, y - 4, 8, 8)
    else if (mark === 'passed') {
      g.moveTo(x - 4, y)
      g.lineTo(x - 1, y + 3)
      g.lineTo(x + 5, y - 4)
    } else g.arc(x, y, 2, 0, 2 * Math.PI)
    g.stroke()
    g.lineWidth = 1
  }
  g.font = '600 12px "Atkinson Hyperlegible Next Variable", sans-serif'
  g.textAlign = 'center'
  g.lineJoin = 'round'
  const taken: [number, number, number][] = []
  for (const r of [...c.regions].sort((a, b) => b.documents - a.documents)) {
    const [x, y] = at(r.at)
    const half = g.measureText(r.name).width / 2
    const free = !taken.some(([tx, ty, th]) => Math.abs(ty - y) < 16 && Math.abs(tx - x) < th + half + 6)
    if (!free || r.name === '') continue
    taken.push([x, y, half])
    g.lineWidth = 4
    g.strokeStyle = colour('--raised')
    g.strokeText(r.name, x, y)
    g.fillStyle = colour('--ink')
    g.fillText(r.name, x, y)
  }
  const shown = chosen.value ?? hovered.value
  if (shown !== undefined) {
    const [x, y] = at(shown)
    g.strokeStyle = colour('--accent')
    g.lineWidth = 2
    g.beginPath()
    g.arc(x, y, 12, 0, 2 * Math.PI)
    g.stroke()
  }
}
watch([things, lines, sight, chosen, hovered, width, missing, dark, asTable], () => requestAnimationFrame(paint), {
  deep: true,
  flush: 'post',
})

const spot = (e: MouseEvent): [number, number] => {
  const box = paper.value?.getBoundingClientRect()
  return [e.clientX - (box?.left ?? 0), e.clientY - (box?.top ?? 0)]
}
let dragged: { from: [number, number]; sight: Sight; moved: boolean } | undefined

function half(): number {
  return (Math.min(width.value, height) / 2) * 0.92 * sight.value.zoom
}

function down(e: PointerEvent): void {
  dragged = { from: spot(e), sight: { ...sight.value }, moved: false }
}

function over(e: PointerEvent): void {
  const at = spot(e)
  if (dragged !== undefined && e.buttons === 1) {
    const [dx, dy] = [at[0] - dragged.from[0], at[1] - dragged.from[1]]
    dragged.moved = dragged.moved || Math.hypot(dx, dy) > 4
    sight.value = { ...sight.value, x: dragged.sight.x - dx / half(), y: dragged.sight.y - dy / half() }
    return
  }
  if (chart.value !== undefined)
    hovered.value = under(things.value, chart.value, sight.value, [width.value, height], at)
}

function up(e: PointerEvent): void {
  const moved = dragged?.moved === true
  dragged = undefined
  if (moved || chart.value === undefined) return
  chosen.value = under(things.value, chart.value, sight.value, [width.value, height], spot(e))
}

function zoom(by: number): void {
  sight.value = { ...sight.value, zoom: Math.min(24, Math.max(1, sight.value.zoom * by)) }
}

function wheel(e: WheelEvent): void {
  zoom(e.deltaY < 0 ? 1.25 : 0.8)
}

function keys(e: KeyboardEvent): void {
  const ways: Record<string, [number, number]> = {
    ArrowLeft: [-1, 0],
    ArrowRight: [1, 0],
    ArrowUp: [0, -1],
    ArrowDown: [0, 1],
  }
  const way = ways[e.key]
  if (way !== undefined) {
    chosen.value = next(things.value, chosen.value, ...way) ?? chosen.value
    const c = chosen.value
    if (c !== undefined && sight.value.zoom > 1) sight.value = { ...sight.value, x: c.x, y: c.y }
  } else if (e.key === 'Enter') open(chosen.value)
  else if (e.key === '+' || e.key === '=') zoom(1.25)
  else if (e.key === '-') zoom(0.8)
  else if (e.key === '0') sight.value = { ...whole }
  else if (e.key === 'Escape') chosen.value = undefined
  else return
  e.preventDefault()
  e.stopPropagation()
}

function open(t: Thing | undefined): void {
  const c = chart.value
  if (t === undefined || c === undefined) return
  const document = c.documents[t.index]?.id
  if (t.kind === 'document' && document !== undefined)
    void router.push({ name: 'document', params: { corpus: corpus.name, document } })
  else if (t.kind === 'question' && c.run !== '')
    void router.push({ query: { run: c.run, question: c.questions[t.index]?.id } })
}

const told = computed(() => {
  const t = chosen.value ?? hovered.value
  const c = chart.value
  if (t === undefined || c === undefined) return 'Point at a sign, or move with the arrow keys.'
  if (t.kind === 'question') return `Question, ${c.questions[t.index]?.mark ?? ''}: ${t.label}`
  const d = c.documents[t.index]
  return `${t.label} · ${counted(d?.words ?? 0, 'word')}, cited ${counted(d?.cited ?? 0, 'time')}, expected by ${counted(d?.tested ?? 0, 'question')}`
})

function showGap(at: number[]): void {
  missing.value = new Set(at)
  const first = things.value.find((t) => t.kind === 'question' && t.index === at[0])
  if (first === undefined) return
  chosen.value = first
  sight.value = { x: first.x, y: first.y, zoom: Math.max(2, sight.value.zoom) }
}

const columns: Column[] = [
  { key: 'what', label: 'Kind', width: '14%', sortable: true },
  { key: 'name', label: 'Document or question', width: '50%', sortable: true },
  { key: 'state', label: 'Outcome', width: '12%', sortable: true },
  { key: 'words', label: 'Words', width: '12%', sortable: true, align: 'right' },
  { key: 'cited', label: 'Cited', width: '12%', sortable: true, align: 'right' },
]
const sort = ref({ key: 'cited', down: true })
const rows = computed(() => {
  const by = sort.value.key as 'what' | 'name' | 'state' | 'words' | 'cited'
  const out = things.value.map((t) => {
    const d = t.kind === 'document' ? chart.value?.documents[t.index] : undefined
    const q = t.kind === 'question' ? chart.value?.questions[t.index] : undefined
    return {
      id: `${t.kind} ${t.index}`,
      what: t.kind,
      name: t.label,
      state: q?.mark ?? '',
      words: d?.words ?? 0,
      cited: d?.cited ?? 0,
      thing: t,
      address: d === undefined ? '' : shortAddress(d.address),
    }
  })
  out.sort((a, b) =>
    typeof a[by] === 'number' ? Number(a[by]) - Number(b[by]) : String(a[by]).localeCompare(String(b[by])),
  )
  return sort.value.down ? out.reverse() : out
})

let stop = (): void => undefined
onMounted(() => {
  stop = corpus.onJobEnd((j: Schema['Job']) => {
    if (j.kind !== 'chart') return
    if (j.state === 'failed') failed.value = j.error
    void load()
  })
})
onUnmounted(() => stop())
</script>

<template>
  <p v-if="prove.set === ''" class="notice">The chart shows the questions of a set. Import one, or take proposals.</p>
  <AskState
    v-else-if="got === undefined || state === 'failed'"
    :state="state"
    what="the chart"
    :problem="problem"
    @again="load"
  />
  <template v-else>
    <JobBar v-if="drawing" :job="drawing" />
    <p v-if="failed !== ''" class="notice bad" role="alert">
      The chart was not drawn: {{ failed }}. <button class="linkish" @click="draw">Try again</button>
    </p>
    <p v-if="chart && got.stale && !drawing" class="notice caution">
      The corpus, the set or its last run have changed since this was drawn.
      <button class="linkish" @click="draw">Draw it anew</button>
    </p>
    <template v-if="chart">
      <div class="row">
        <ElInput v-model="words" class="find" placeholder="Only those with these words" aria-label="Filter" clearable />
        <ElCheckboxGroup v-model="marks" size="small" aria-label="Questions">
          <ElCheckbox value="passed"><span class="good">✓</span> passed</ElCheckbox>
          <ElCheckbox value="failed"><span class="bad">✗</span> failed</ElCheckbox>
          <ElCheckbox value="refused"><span class="caution">□</span> refused</ElCheckbox>
          <ElCheckbox value="unjudged"><span class="muted">·</span> not judged</ElCheckbox>
        </ElCheckboxGroup>
        <ElButton size="small" @click="zoom(1.25)">Closer</ElButton>
        <ElButton size="small" @click="zoom(0.8)">Further</ElButton>
        <ElButton size="small" :disabled="sight.zoom === 1" @click="sight = { ...whole }">Whole chart</ElButton>
        <ElButton size="small" :aria-pressed="asTable" @click="asTable = !asTable">{{
          asTable ? 'As a chart' : 'As a table'
        }}</ElButton>
      </div>
      <VirtualTable v-if="asTable" v-model:sort="sort" class="things" :rows="rows" :columns="columns" label="Chart">
        <template #name="{ row }">
          <button class="linkish" :title="row.address" @click="open(row.thing)">{{ row.name }}</button>
        </template>
      </VirtualTable>
      <div v-else class="sea">
        <div ref="frame" class="frame">
          <canvas
            ref="paper"
            tabindex="0"
            role="application"
            aria-roledescription="chart"
            :aria-label="`${chart.documents.length} documents and ${chart.questions.length} questions by meaning`"
            aria-describedby="chart-told"
            :style="{ width: '100%', height: `${height}px` }"
            @pointerdown="down"
            @pointermove="over"
            @pointerup="up"
            @pointerleave="hovered = undefined"
            @dblclick="open(chosen)"
            @wheel.prevent="wheel"
            @keydown="keys"
          />
          <p id="chart-told" class="told" aria-live="polite">
            {{ told }}
            <button v-if="chosen" class="linkish" @click="open(chosen)">Open</button>
          </p>
        </div>
        <aside class="missing" aria-label="What is missing">
          <h3>What is missing</h3>
          <p v-if="gaps.length === 0" class="muted">
            Near every question that was not answered well there is a document: nothing seems to be missing.
          </p>
          <template v-else>
            <p class="muted">No document lies near these questions:</p>
            <ul>
              <li v-for="g in gaps" :key="g.questions.join()">
                <button class="linkish" @click="showGap(g.questions)">{{ gapWords(g, chart.questions) }}</button>
              </li>
              <li v-if="chart.gaps.length > gaps.length" class="muted">
                and {{ count(chart.gaps.length - gaps.length) }} more
              </li>
            </ul>
          </template>
          <p class="muted">
            A sign is a document: the larger, the more words; the darker, the more often it is cited. Near each other
            lies what means much the same.
            <span
              v-if="chart.documents.length >= 25"
              title="Share of neighbourhoods that the plane keeps (Venna and Kaski 2001): trustworthiness, continuity, each 1 at best"
              >How well the picture keeps neighbours together: {{ chart.trustworthiness.toFixed(2) }} and
              {{ chart.continuity.toFixed(2) }} of 1.</span
            >
          </p>
        </aside>
      </div>
    </template>
  </template>
</template>

<style scoped>
.find {
  width: 220px;
}
.things {
  height: 60vh;
}
.sea {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 230px;
  gap: 16px;
  align-items: start;
}
.frame {
  background: var(--raised);
  border: 1px solid var(--line);
}
canvas {
  display: block;
  cursor: crosshair;
  touch-action: none;
}
canvas:focus-visible {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
.told {
  margin: 0;
  padding: 6px 10px;
  border-top: 1px solid var(--line);
  min-height: 32px;
}
.missing h3 {
  font-size: 12.5px;
  color: var(--muted);
}
.missing ul {
  margin: 4px 0 12px;
  padding: 0;
  list-style: none;
}
.missing button {
  text-align: left;
}
.missing li {
  margin-bottom: 6px;
}
</style>
