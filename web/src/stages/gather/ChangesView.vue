<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok } from '@/api/client'
import { count, moment, shortAddress } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'

const corpus = useCorpus()
const route = useRoute()
const router = useRouter()
const spans: Record<string, { words: string; hours: number }> = {
  hour: { words: 'the last hour', hours: 1 },
  day: { words: 'the last day', hours: 24 },
  week: { words: 'the last week', hours: 168 },
  month: { words: 'the last four weeks', hours: 672 },
  release: { words: 'the time since the last release', hours: Infinity },
}
const span = computed({
  get: () => String(route.query.since ?? 'day'),
  set: (s) => void router.push({ query: s === 'day' ? {} : { since: s } }),
})

const {
  value: list,
  problem,
  state,
  load,
} = useAsk(() => {
  // As long as there is no release, everything is new since the last one.
  const past = new Date(Math.max(0, Date.now() - (spans[span.value]?.hours ?? 24) * 3600_000)).toISOString()
  const since = (span.value === 'release' ? corpus.current?.release?.at : undefined) ?? past
  return ok(api.GET('/api/corpora/{corpus}/changes', { params: { path: { corpus: corpus.name }, query: { since } } }))
}, [span])
/** Of each kind so many are drawn; the others are asked for. */
const page = 200
const drawn = ref<Record<string, number>>({})
const kinds = [
  { key: 'changed', label: 'Changed' },
  { key: 'gone', label: 'Gone' },
  { key: 'added', label: 'Came in' },
] as const
const some = (key: 'changed' | 'gone' | 'added') => (list.value?.[key] ?? []).slice(0, drawn.value[key] ?? page)

function linkTo(id: string, query: Record<string, string> = {}) {
  return { name: 'document', params: { corpus: corpus.name, document: id }, query }
}

const label = (d: { title: string; address: string }): string => (d.title === '' ? shortAddress(d.address) : d.title)
let stops: (() => void)[] = []
onMounted(() => {
  stops = [corpus.onJobEnd(() => void load()), corpus.on('source', () => void load())]
})
onUnmounted(() => stops.forEach((s) => s()))
</script>

<template>
  <div class="row">
    <h1 class="sr">Changes</h1>
    <span>What came, changed and went in</span>
    <ElSelect v-model="span" class="spans" aria-label="Time">
      <ElOption v-for="(s, k) in spans" :key="k" :value="k" :label="s.words" />
    </ElSelect>
  </div>
  <p v-if="span === 'release' && corpus.current?.release === undefined" class="notice">
    There is no release yet: everything is new since the last one.
  </p>
  <AskState :state="state" what="the changes" :problem="problem" @again="load">
    <p v-if="list && list.added.length + list.changed.length + list.gone.length === 0" class="notice">
      Nothing changed in that time.
    </p>
    <template v-for="k in kinds" :key="k.key">
      <section v-if="list && list[k.key].length > 0">
        <h2>
          {{ k.label }} <span class="muted figure">{{ count(list[k.key].length) }}</span>
        </h2>
        <ul>
          <li v-for="d in some(k.key)" :key="d.id">
            <RouterLink :to="linkTo(d.id, 'before' in d ? { compare: String(d.before) } : {})">{{
              label(d)
            }}</RouterLink>
            <span v-if="d.title !== d.address" class="mono muted where">{{ shortAddress(d.address) }}</span>
            <template v-if="k.key === 'gone'"> · {{ d.reason }}</template>
            <span v-if="k.key === 'added'" class="muted" :title="moment(d.changedAt).zone">
              · {{ moment(d.changedAt).text }}</span
            >
          </li>
        </ul>
        <button
          v-if="list[k.key].length > some(k.key).length"
          class="linkish"
          @click="drawn = { ...drawn, [k.key]: some(k.key).length + page }"
        >
          Show {{ count(Math.min(page, list[k.key].length - some(k.key).length)) }} more
        </button>
      </section>
    </template>
  </AskState>
</template>

<style scoped>
.spans {
  width: 250px;
}
ul {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
  background: var(--raised);
  border: 1px solid var(--line);
}
.where {
  margin: 0 8px;
}
li {
  padding: 5px 10px;
  border-bottom: 1px solid var(--line);
  overflow-wrap: anywhere;
}
li:last-child {
  border-bottom: 0;
}
</style>
