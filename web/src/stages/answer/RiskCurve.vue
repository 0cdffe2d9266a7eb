<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { useCorpus } from '@/stores/corpus'
import { useAnswer } from './store'

type Weighed = Schema['ProveWeighed']

/** How many questions are answered, and how many of those wrongly, at each height of the evidence bar; the bar is moved on it. */
const corpus = useCorpus()
const answer = useAnswer()
const sets = ref<Schema['QuestionSet'][]>([])
const set = ref('')
const weighed = ref<Weighed[]>([])
const curve = ref<Schema['Curve']>()
const heights = computed(() => curve.value?.heights ?? [])
const cost = ref(3)
const of = ref(0)
const running = ref(false)
const problem = ref('')
const table = ref(false)
let stopped = false

const bar = computed(() => Number(answer.tried?.answer.bar ?? 0.5))
const before = computed(() => Number(answer.applied?.answer.bar ?? 0.5))

/** What the curve says at a height: the last step that is not above it. */
const at = (b: number) => heights.value.reduce((last, h) => (h.bar <= b ? h : last), heights.value[0])
const now = computed(() => at(bar.value))
const moved = computed(() => {
  const [low, high] = [Math.min(bar.value, before.value), Math.max(bar.value, before.value)]
  return weighed.value.filter((w) => !w.fixed && w.support >= low && w.support < high)
})

const width = 640
const height = 200
const pad = { left: 44, right: 12, top: 12, bottom: 34 }
const x = (b: number): number => pad.left + b * (width - pad.left - pad.right)
const y = (v: number): number => height - pad.bottom - v * (height - pad.top - pad.bottom)

/** A curve that stays level between the heights at which something changes. */
function steps(key: 'answered' | 'wrong' | 'refused'): string {
  let out = ''
  heights.value.forEach((h, i) => {
    const px = x(Math.min(1, h.bar))
    out += i === 0 ? `M${px},${y(h[key])}` : `H${px}V${y(h[key])}`
  })
  return out === '' ? '' : `${out}H${x(1)}`
}

async function run(): Promise<void> {
  running.value = true
  stopped = false
  problem.value = ''
  weighed.value = []
  curve.value = undefined
  try {
    const path = { corpus: corpus.name, set: set.value }
    do {
      const got = await ok(
        api.POST('/api/corpora/{corpus}/sets/{set}/weigh', {
          params: { path },
          body: { from: weighed.value.length, variant: answer.variant },
        }),
      )
      of.value = got.of
      weighed.value = [...weighed.value, ...got.weighed]
      if (got.weighed.length === 0) break
    } while (weighed.value.length < of.value && !stopped)
    await draw()
  } catch (e) {
    problem.value = (e as Error).message
  }
  running.value = false
}

async function draw(): Promise<void> {
  curve.value = await ok(api.POST('/api/curve', { body: { weighed: weighed.value, cost: cost.value || 3 } }))
}

function place(): void {
  if (curve.value !== undefined) answer.set('answer', 'bar', Math.round(100 * curve.value.placing.bar) / 100)
}

function drag(e: PointerEvent): void {
  if (e.buttons !== 1) return
  const box = (e.currentTarget as SVGElement).getBoundingClientRect()
  const px = ((e.clientX - box.left) / box.width) * width
  const b = (px - pad.left) / (width - pad.left - pad.right)
  answer.set('answer', 'bar', Math.round(100 * Math.min(1, Math.max(0, b))) / 100)
}

const percent = (v: number | undefined): string => `${Math.round(100 * (v ?? 0))} %`

onMounted(async () => {
  try {
    sets.value = await ok(api.GET('/api/corpora/{corpus}/sets', { params: { path: { corpus: corpus.name } } }))
    set.value = sets.value[0]?.name ?? ''
    if (set.value !== '') await run()
  } catch (e) {
    problem.value = (e as Error).message
  }
})
</script>

<template>
  <section class="stack" aria-label="Risk and coverage">
    <div class="row">
      <h2>What the bar does</h2>
      <label class="sr" for="curve-set">Question set</label>
      <select id="curve-set" v-model="set" class="plain-select" @change="run">
        <option v-for="s in sets" :key="s.id" :value="s.name">{{ s.name }}</option>
      </select>
      <ElButton v-if="!running" :disabled="set === ''" @click="run">Measure again</ElButton>
      <template v-else>
        <progress :value="weighed.length" :max="Math.max(1, of)" /> {{ weighed.length }} of {{ of }}
        <ElButton @click="stopped = true">Stop</ElButton>
      </template>
      <button v-if="heights.length > 0" class="linkish" :aria-pressed="table" @click="table = !table">
        {{ table ? 'As a curve' : 'As a table' }}
      </button>
    </div>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <p v-if="sets.length === 0" class="notice">
      A question set is needed to see what a height of the bar does. Prove keeps them.
    </p>
    <template v-if="heights.length > 0">
      <svg
        v-if="!table"
        class="curve"
        :viewBox="`0 0 ${width} ${height}`"
        role="img"
        aria-label="Share of questions answered, answered wrongly, and rightly refused, by height of the evidence bar"
        @pointermove="drag"
        @pointerdown="drag"
      >
        <g v-for="v in [0, 0.25, 0.5, 0.75, 1]" :key="v">
          <line :x1="pad.left" :x2="width - pad.right" :y1="y(v)" :y2="y(v)" class="rule" />
          <text :x="pad.left - 6" :y="y(v) + 4" text-anchor="end">{{ 100 * v }} %</text>
          <text :x="x(v)" :y="height - pad.bottom + 16" text-anchor="middle">{{ v }}</text>
        </g>
        <text :x="x(0.5)" :y="height - 3" text-anchor="middle">height of the evidence bar (support)</text>
        <path :d="steps('answered')" class="answered" />
        <path :d="steps('refused')" class="refused" />
        <path :d="steps('wrong')" class="wrong" />
        <line :x1="x(before)" :x2="x(before)" :y1="pad.top" :y2="height - pad.bottom" class="before" />
        <line :x1="x(bar)" :x2="x(bar)" :y1="pad.top" :y2="height - pad.bottom" class="bar" />
        <rect :x="x(bar) - 5" :y="pad.top - 4" width="10" height="12" class="grip" />
      </svg>
      <table v-else class="plain">
        <thead>
          <tr>
            <th class="num">Bar</th>
            <th class="num">Answered</th>
            <th class="num">Of those wrong</th>
            <th class="num">Rightly refused</th>
            <th class="num">Right ones lost</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="h in heights" :key="h.bar" :class="{ here: h === now }">
            <td class="num figure">{{ h.bar.toFixed(3) }}</td>
            <td class="num figure">{{ percent(h.answered) }}</td>
            <td class="num figure">{{ percent(h.wrong) }}</td>
            <td class="num figure">{{ percent(h.refused) }}</td>
            <td class="num figure">{{ percent(h.lost) }}</td>
          </tr>
        </tbody>
      </table>
      <p class="legend">
        <span class="key answered">answered {{ percent(now?.answered) }}</span>
        <span class="key wrong">of those wrong {{ percent(now?.wrong) }}</span>
        <span class="key refused">rightly refused {{ percent(now?.refused) }}</span>
        <span class="muted">at {{ bar.toFixed(2) }}; right ones lost {{ percent(now?.lost) }}. Drag the bar.</span>
      </p>
      <p class="row">
        <label for="cost">If one wrong answer costs as much as</label>
        <ElInputNumber
          id="cost"
          v-model="cost"
          size="small"
          :min="0.1"
          :max="100"
          :controls="false"
          aria-label="Weight of a wrong answer"
          @change="draw"
        />
        <span>
          refused right ones, the best bar is <b class="figure">{{ curve?.placing.bar.toFixed(2) }}</b>: on questions
          that it was not chosen on, {{ percent(curve?.placing.unseen.answered) }} answered,
          {{ percent(curve?.placing.unseen.wrong) }} of those wrong; it moves by
          {{ curve?.placing.spread.toFixed(2) }} between folds.
        </span>
        <ElButton size="small" @click="place">Set it there</ElButton>
      </p>
      <ul v-if="moved.length > 0" class="moved">
        <li v-for="w in moved" :key="w.id">
          <b :class="bar < before === w.right ? 'good' : 'bad'">{{ bar < before ? 'answered' : 'refused' }}</b>
          {{ w.question }}
          <span class="muted"
            >support {{ w.support.toFixed(2) }},
            {{ w.refusal ? 'should be refused' : w.right ? 'right when answered' : 'wrong when answered' }}</span
          >
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.curve {
  width: 100%;
  max-width: 760px;
  background: var(--raised);
  border: 1px solid var(--line);
  cursor: ew-resize;
  touch-action: none;
}
.curve text {
  font-size: 10.5px;
  fill: var(--muted);
}
.rule {
  stroke: var(--line);
}
path {
  fill: none;
  stroke-width: 2;
}
path.answered {
  stroke: var(--accent);
}
path.wrong {
  stroke: var(--bad);
  stroke-dasharray: 2 3;
}
path.refused {
  stroke: var(--good);
  stroke-dasharray: 7 3;
}
.before {
  stroke: var(--control);
  stroke-dasharray: 3 3;
}
.bar {
  stroke: var(--ink);
  stroke-width: 2;
}
.grip {
  fill: var(--ink);
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 16px;
  margin: 6px 0 0;
}
.key::before {
  content: '';
  display: inline-block;
  width: 22px;
  margin-right: 6px;
  border-top: 2px solid;
  vertical-align: middle;
}
.key.answered::before {
  border-color: var(--accent);
}
.key.wrong::before {
  border-top: 2px dotted var(--bad);
}
.key.refused::before {
  border-top: 2px dashed var(--good);
}
.moved {
  margin: 0;
  padding-left: 18px;
}
.plain-select {
  border: 1px solid var(--control);
  border-radius: var(--radius);
  padding: 5px 4px;
  color: var(--ink);
  background: var(--raised);
}
tr.here td {
  background: var(--accent-soft);
}
</style>
