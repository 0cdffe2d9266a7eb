<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, ok, type Field, type Schema, type Study } from '@/api/client'
import { duration, percent } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { useProve } from './store'

/** What came of a trial: every method by pass rate and time, what each setting is worth, and which to take. */
const props = defineProps<{ study: Study; trial: Schema['TrialOutcome']; fields: Field[] }>()

type Arm = Schema['ProveArm']
const corpus = useCorpus()
const prove = useProve()
const told = ref('')
const hovered = ref(-1)
const byCost = ref(false)

const arms = computed(() => props.trial.arms.map((a, i) => ({ ...a, i })))
const sorted = computed(() =>
  [...arms.value].sort((a, b) => b.passed.rate - a.passed.rate || a.millisP95 - b.millisP95),
)
const sums = computed(() => props.trial.sums)
const priced = computed(() => arms.value.some((a) => a.price > 0))
const label = (key: string): string => props.fields.find((f) => f.key === key)?.label ?? key
const named = (a: Arm): string =>
  Object.keys(a.settings).length === 0
    ? 'the draft as it is'
    : Object.entries(a.settings)
        .map(([k, v]) => `${label(k)} ${v}`)
        .join(', ')

const width = 640
const height = 260
const pad = { left: 52, right: 14, top: 12, bottom: 40 }
const across = (a: Arm): number => (byCost.value ? a.price : a.millisP95)
const range = (xs: number[]): [number, number] => {
  const [low, high] = [Math.min(...xs), Math.max(...xs)]
  const spare = (high - low || Math.abs(high) || 1) * 0.06
  return [Math.max(0, low - spare), high + spare]
}
const xs = computed(() => range(arms.value.map(across)))
const ys = computed(() => range(arms.value.map((a) => a.passed.rate)))
const x = (v: number): number =>
  pad.left + ((v - xs.value[0]) / (xs.value[1] - xs.value[0])) * (width - pad.left - pad.right)
const y = (v: number): number =>
  height - pad.bottom - ((v - ys.value[0]) / (ys.value[1] - ys.value[0])) * (height - pad.top - pad.bottom)
const ticks = ([low, high]: [number, number]): number[] => [0, 0.25, 0.5, 0.75, 1].map((t) => low + t * (high - low))
const frontier = computed(() => {
  const on = arms.value.filter((a) => a.frontier).sort((a, b) => across(a) - across(b))
  return on.map((a, k) => `${k === 0 ? 'M' : 'L'}${x(across(a))},${y(a.passed.rate)}`).join('')
})

async function apply(a: Arm): Promise<void> {
  const got = await prove.attempt(() =>
    ok(
      api.POST('/api/corpora/{corpus}/method/changes', {
        params: { path: { corpus: corpus.name } },
        body: { change: { settings: a.settings }, note: `out of a trial: ${named(a)}`, trial: props.study.id },
      }),
    ),
  )
  if (got !== undefined)
    told.value = `Applied: ${named(a)}. What the trial measured goes with it: see the changes of the draft in Serve.`
}

const interval = (f: Schema['ProveFigure'] | undefined, share: boolean): string => {
  if (f === undefined) return ''
  const told = (v: number): string => (share ? percent(v) : v.toFixed(0))
  return `95 % interval ${told(f.interval.low)} to ${told(f.interval.high)}`
}
</script>

<template>
  <section v-if="arms.length > 0" class="stack" aria-label="Outcome of the trial">
    <div class="notice stack">
      <p>
        <b>{{ sums.sure ? 'Take' : 'Stay with' }}: {{ named(arms[sums.pick] as Arm) }}</b> – {{ sums.why }}.
      </p>
      <p class="muted">
        On unseen questions the chosen method passes {{ percent(sums.honest.rate) }} ({{
          percent(sums.honest.interval.low)
        }}
        to {{ percent(sums.honest.interval.high) }}): {{ (100 * sums.gain).toFixed(1) }} points against the draft ({{
          (100 * sums.within.low).toFixed(1)
        }}
        to {{ (100 * sums.within.high).toFixed(1) }}). A difference of {{ (100 * sums.smallest).toFixed(1) }} points
        would have shown beyond chance, one comparison at a time. {{ trial.arms.length }} of {{ trial.of }} methods,
        {{ duration(trial.took) }}.
      </p>
      <ElButton v-if="sums.sure" type="primary" @click="apply(arms[sums.pick] as Arm)">Apply it to the draft</ElButton>
      <p v-if="told !== ''" role="status">{{ told }}</p>
    </div>
    <div class="row">
      <h2>Pass rate against {{ byCost ? 'price' : 'time' }}</h2>
      <button v-if="priced" class="linkish" @click="byCost = !byCost">against {{ byCost ? 'time' : 'price' }}</button>
    </div>
    <svg
      :viewBox="`0 0 ${width} ${height}`"
      role="img"
      :aria-label="`${arms.length} methods by pass rate and time; the table below has the same figures`"
    >
      <g v-for="v in ticks(ys)" :key="`y${v}`">
        <line :x1="pad.left" :x2="width - pad.right" :y1="y(v)" :y2="y(v)" class="rule" />
        <text :x="pad.left - 6" :y="y(v) + 4" text-anchor="end">{{ (100 * v).toFixed(1) }} %</text>
      </g>
      <text v-for="v in ticks(xs)" :key="`x${v}`" :x="x(v)" :y="height - pad.bottom + 16" text-anchor="middle">
        {{ byCost ? v.toFixed(4) : v.toFixed(0) }}
      </text>
      <text :x="width / 2" :y="height - 6" text-anchor="middle">
        {{ byCost ? 'price of the run' : 'reply p95, milliseconds' }}
      </text>
      <path :d="frontier" class="frontier" />
      <g v-for="a in arms" :key="a.i">
        <rect
          v-if="a.i === 0"
          :x="x(across(a)) - 5"
          :y="y(a.passed.rate) - 5"
          width="10"
          height="10"
          class="draft"
          @mouseenter="hovered = 0"
        />
        <circle
          v-else
          :cx="x(across(a))"
          :cy="y(a.passed.rate)"
          :r="a.i === sums.pick ? 7 : hovered === a.i ? 6 : 4"
          :class="{ level: a.level, pick: a.i === sums.pick, partial: !a.whole }"
          @mouseenter="hovered = a.i"
        >
          <title>{{ named(a) }}: {{ percent(a.passed.rate) }}, {{ a.millisP95.toFixed(0) }} ms</title>
        </circle>
      </g>
    </svg>
    <p class="muted">
      Square: the draft. Filled: cannot be told from the best. Line: no other passes as many in less time. Pale: given
      up on the way.
    </p>
    <div class="row">
      <h2>What each setting is worth</h2>
    </div>
    <table class="plain">
      <thead>
        <tr>
          <th>Setting</th>
          <th class="num">Share of the spread</th>
          <th>Mean pass rate by value</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="f in sums.factors" :key="f.key">
          <td>{{ label(f.key) }}</td>
          <td class="num figure">{{ percent(f.share) }}</td>
          <td class="figure">
            <span v-for="(v, k) in f.values" :key="k" class="value">{{ k }}: {{ percent(v) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <table class="plain">
      <thead>
        <tr>
          <th>Method</th>
          <th class="num">Passed</th>
          <th class="num">Facts</th>
          <th class="num">hit@5</th>
          <th class="num" title="Sentences that carry what is expected, or belong with one that does">To the point</th>
          <th class="num">Words</th>
          <th class="num">p95 ms</th>
          <th class="num" title="against the draft">Fixed, broken</th>
          <th class="num" title="McNemar's exact test against the draft, Holm's correction">p</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <tr v-for="a in sorted.slice(0, 100)" :key="a.i" :class="{ on: hovered === a.i }" @mouseenter="hovered = a.i">
          <td>
            {{ named(a) }}<b v-if="a.i === sums.pick"> · take</b><span v-if="!a.whole" class="muted"> · given up</span>
          </td>
          <td class="num figure">{{ percent(a.passed.rate) }}</td>
          <td class="num figure">{{ percent(a.facts.rate) }}</td>
          <td class="num figure">{{ a.hit5.toFixed(2) }}</td>
          <td class="num figure" :title="interval(a.pointed, true)">{{ a.pointed ? percent(a.pointed.value) : '' }}</td>
          <td class="num figure" :title="interval(a.words, false)">{{ a.words?.value.toFixed(0) }}</td>
          <td class="num figure">{{ a.millisP95.toFixed(0) }}</td>
          <td class="num figure">{{ a.fixed }}, {{ a.broken }}</td>
          <td class="num figure">{{ a.i === 0 ? '' : a.p.toFixed(3) }}</td>
          <td><button v-if="a.i !== 0 && a.whole" class="linkish" @click="apply(a)">apply</button></td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
svg {
  width: 100%;
  max-width: 760px;
  background: var(--raised);
  border: 1px solid var(--line);
}
text {
  font-size: 10.5px;
  fill: var(--muted);
}
.rule {
  stroke: var(--line);
}
.frontier {
  fill: none;
  stroke: var(--control);
  stroke-dasharray: 4 3;
}
circle {
  fill: var(--raised);
  stroke: var(--accent);
  stroke-width: 1.5;
}
circle.level {
  fill: var(--accent);
}
circle.pick {
  stroke: var(--good);
  stroke-width: 3;
}
circle.partial {
  opacity: 0.35;
}
.draft {
  fill: var(--ink);
}
.value + .value {
  margin-left: 14px;
}
tr.on td {
  background: var(--accent-soft);
}
</style>
