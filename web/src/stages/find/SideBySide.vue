<script setup lang="ts">
import { computed } from 'vue'
import type { Evidence, Reply } from '@/api/client'
import { useCorpus } from '@/stores/corpus'

/** One question under two methods: what rose, fell, appeared and went, each move drawn as a line. */
const props = defineProps<{ before: Reply; after: Reply }>()

const corpus = useCorpus()
const height = 58
const shown = 12

const key = (e: Evidence): string => `${e.version} ${e.span.start} ${e.span.end}`
const left = computed(() => props.before.evidence.slice(0, shown))
const right = computed(() => props.after.evidence.slice(0, shown))

const moves = computed(() => {
  const was = new Map(left.value.map((e, i) => [key(e), i]))
  return right.value.flatMap((e, i) => {
    const from = was.get(key(e))
    return from === undefined ? [] : [{ from, to: i, tone: i < from ? 'rose' : i > from ? 'fell' : 'stayed' }]
  })
})

function change(i: number): { text: string; tone: string } {
  const e = right.value[i]
  const was = e === undefined ? -1 : props.before.evidence.findIndex((x) => key(x) === key(e))
  if (was < 0) return { text: 'new', tone: 'good' }
  if (was === i) return { text: '=', tone: 'muted' }
  return was > i ? { text: `up ${was - i}`, tone: 'good' } : { text: `down ${i - was}`, tone: 'bad' }
}

function gone(e: Evidence): boolean {
  return !props.after.evidence.some((x) => key(x) === key(e))
}

const rows = computed(() => Math.max(left.value.length, right.value.length))
const y = (i: number): number => i * height + height / 2
const same = computed(
  () =>
    left.value.length === right.value.length &&
    moves.value.length === left.value.length &&
    moves.value.every((m) => m.from === m.to),
)

function link(e: Evidence) {
  return {
    name: 'document',
    params: { corpus: corpus.name, document: e.document },
    query: { version: e.version, from: String(e.span.start), to: String(e.span.end) },
  }
}
</script>

<template>
  <div>
    <p v-if="same" class="notice">
      Both rank the same chunks in the same order. Change a setting at the left to see what moves.
    </p>
    <div class="sides figure">
      <h2>As applied</h2>
      <span></span>
      <h2>As tried</h2>
    </div>
    <div class="sides">
      <ol aria-label="As applied">
        <li v-for="(e, i) in left" :key="i" :style="{ height: `${height}px` }" :class="{ gone: gone(e) }">
          <span class="figure place">{{ i + 1 }}</span>
          <RouterLink :to="link(e)">{{ [e.title, ...e.path].join(' › ') }}</RouterLink>
          <span class="muted figure">{{ e.score.toFixed(2) }}<template v-if="gone(e)"> · gone</template></span>
        </li>
      </ol>
      <svg
        :viewBox="`0 0 90 ${rows * height}`"
        :style="{ height: `${rows * height}px` }"
        preserveAspectRatio="none"
        aria-hidden="true"
      >
        <line v-for="m in moves" :key="m.from" x1="0" x2="90" :y1="y(m.from)" :y2="y(m.to)" :class="m.tone" />
      </svg>
      <ol aria-label="As tried">
        <li v-for="(e, i) in right" :key="i" :style="{ height: `${height}px` }">
          <span class="figure place">{{ i + 1 }}</span>
          <RouterLink :to="link(e)">{{ [e.title, ...e.path].join(' › ') }}</RouterLink>
          <span class="figure"
            ><span class="muted">{{ e.score.toFixed(2) }}</span>
            <b :class="change(i).tone">{{ change(i).text }}</b></span
          >
        </li>
      </ol>
    </div>
  </div>
</template>

<style scoped>
.sides {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 90px minmax(0, 1fr);
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 22px minmax(0, 1fr);
  align-content: center;
  gap: 0 8px;
  border-top: 1px solid var(--line);
  overflow: hidden;
}
li a {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
li > :last-child {
  grid-column: 2;
  font-size: 12.5px;
}
li b {
  margin-left: 8px;
}
.place {
  text-align: right;
  color: var(--accent);
  font-weight: 650;
  grid-row: 1 / 3;
}
li.gone a {
  text-decoration: line-through;
}
svg {
  width: 90px;
}
line {
  stroke: var(--control);
  stroke-width: 1;
  vector-effect: non-scaling-stroke;
}
line.rose {
  stroke: var(--good);
  stroke-width: 2.5;
}
line.fell {
  stroke: var(--bad);
  stroke-width: 2;
  stroke-dasharray: 5 3;
}
</style>
