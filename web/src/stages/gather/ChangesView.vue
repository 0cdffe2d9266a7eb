<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import { count, moment, shortAddress } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { useSources } from './store'

const corpus = useCorpus()
const sources = useSources()
const route = useRoute()
const router = useRouter()
const list = ref<Schema['ChangeList']>()
const spans: Record<string, { words: string; hours: number }> = {
  hour: { words: 'the last hour', hours: 1 },
  day: { words: 'the last day', hours: 24 },
  week: { words: 'the last week', hours: 168 },
  month: { words: 'the last four weeks', hours: 672 },
  release: { words: 'the time since the last release', hours: Infinity },
}
const span = computed({
  get: () => String(route.query.since ?? 'day'),
  set: (s) => void router.replace({ query: s === 'day' ? {} : { since: s } }),
})

async function load(): Promise<void> {
  // As long as there is no release, everything is new since the last one.
  const past = new Date(Math.max(0, Date.now() - (spans[span.value]?.hours ?? 24) * 3600_000)).toISOString()
  const since = (span.value === 'release' ? corpus.current?.release?.at : undefined) ?? past
  try {
    list.value = await ok(
      api.GET('/api/corpora/{corpus}/changes', { params: { path: { corpus: corpus.name }, query: { since } } }),
    )
  } catch (e) {
    sources.problem = (e as Error).message
  }
}

function linkTo(id: string, query: Record<string, string> = {}) {
  return { name: 'document', params: { corpus: corpus.name, document: id }, query }
}

const label = (d: { title: string; address: string }): string => (d.title === '' ? shortAddress(d.address) : d.title)
watch([span, () => corpus.name], () => void load())
let stops: (() => void)[] = []
onMounted(() => {
  void load()
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
  <template v-if="list !== undefined">
    <p v-if="list.added.length + list.changed.length + list.gone.length === 0" class="notice">
      Nothing changed in that time.
    </p>
    <section v-if="list.changed.length > 0">
      <h2>
        Changed <span class="muted figure">{{ count(list.changed.length) }}</span>
      </h2>
      <ul>
        <li v-for="d in list.changed" :key="d.id">
          <RouterLink :to="linkTo(d.id, { compare: d.before })">{{ label(d) }}</RouterLink>
          <span v-if="d.title !== d.address" class="mono muted where">{{ shortAddress(d.address) }}</span>
        </li>
      </ul>
    </section>
    <section v-if="list.gone.length > 0">
      <h2>
        Gone <span class="muted figure">{{ count(list.gone.length) }}</span>
      </h2>
      <ul>
        <li v-for="d in list.gone" :key="d.id">
          <RouterLink :to="linkTo(d.id)">{{ label(d) }}</RouterLink>
          <span v-if="d.title !== d.address" class="mono muted where">{{ shortAddress(d.address) }}</span> ·
          {{ d.reason }}
        </li>
      </ul>
    </section>
    <section v-if="list.added.length > 0">
      <h2>
        Came in <span class="muted figure">{{ count(list.added.length) }}</span>
      </h2>
      <ul>
        <li v-for="d in list.added" :key="d.id">
          <RouterLink :to="linkTo(d.id)">{{ label(d) }}</RouterLink>
          <span v-if="d.title !== d.address" class="mono muted where">{{ shortAddress(d.address) }}</span>
          <span class="muted" :title="moment(d.changedAt).zone"> · {{ moment(d.changedAt).text }}</span>
        </li>
      </ul>
    </section>
  </template>
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
