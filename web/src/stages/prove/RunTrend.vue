<script setup lang="ts">
import { computed } from 'vue'
import type { Run } from '@/api/client'
import { moment, percent } from '@/api/words'

/** The pass rates of the runs of one set, in order of time, each with its interval. */
const props = defineProps<{ runs: Run[]; run: Run }>()

const shown = computed(() =>
  props.runs
    .filter((r) => r.set === props.run.set && r.summary && r.note === '')
    .slice(0, 24)
    .reverse(),
)
const width = 640
const height = 88
const x = (i: number): number => 44 + (shown.value.length < 2 ? 0 : (i * (width - 60)) / (shown.value.length - 1))
const y = (v: number): number => 8 + (1 - v) * (height - 26)
const line = computed(() =>
  shown.value.map((r, i) => `${i === 0 ? 'M' : 'L'}${x(i)},${y(r.summary?.passed.rate ?? 0)}`).join(''),
)
</script>

<template>
  <details v-if="shown.length > 1">
    <summary>Pass rate over {{ shown.length }} runs</summary>
    <svg :viewBox="`0 0 ${width} ${height}`" role="img" :aria-label="`Pass rates of ${shown.length} runs over time`">
      <g v-for="v in [0, 0.5, 1]" :key="v">
        <line x1="44" :x2="width - 8" :y1="y(v)" :y2="y(v)" class="rule" />
        <text x="38" :y="y(v) + 4" text-anchor="end">{{ 100 * v }} %</text>
      </g>
      <path :d="line" />
      <g v-for="(r, i) in shown" :key="r.id">
        <line
          :x1="x(i)"
          :x2="x(i)"
          :y1="y(r.summary?.passed.interval.low ?? 0)"
          :y2="y(r.summary?.passed.interval.high ?? 0)"
          class="within"
        />
        <RouterLink :to="{ query: { run: r.id } }">
          <circle :cx="x(i)" :cy="y(r.summary?.passed.rate ?? 0)" :r="r.id === run.id ? 5 : 3.5">
            <title>{{ moment(r.createdAt).text }}: {{ percent(r.summary?.passed.rate ?? 0) }}</title>
          </circle>
        </RouterLink>
      </g>
      <text :x="x(0)" :y="height - 2">{{ moment(shown[0]?.createdAt ?? '').text }}</text>
      <text :x="width - 8" :y="height - 2" text-anchor="end">{{ moment(shown.at(-1)?.createdAt ?? '').text }}</text>
    </svg>
  </details>
</template>

<style scoped>
summary {
  font-weight: 650;
  cursor: pointer;
}
svg {
  width: 100%;
  max-width: 760px;
  background: var(--raised);
  border: 1px solid var(--line);
  margin-top: 8px;
}
text {
  font-size: 10.5px;
  fill: var(--muted);
}
.rule {
  stroke: var(--line);
}
path {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.5;
}
.within {
  stroke: var(--control);
}
circle {
  fill: var(--accent);
}
</style>
