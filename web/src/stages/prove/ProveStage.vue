<script setup lang="ts">
import { computed, defineAsyncComponent, onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok } from '@/api/client'
import { count, moment, percent } from '@/api/words'
import JobBar from '@/components/JobBar.vue'
import { useCorpus } from '@/stores/corpus'
import ImportSet from './ImportSet.vue'
import RunCost from './RunCost.vue'
import RunReport from './RunReport.vue'
import { firstSet, useProve } from './store'

const QuestionGrid = defineAsyncComponent(() => import('./QuestionGrid.vue'))
const TrialView = defineAsyncComponent(() => import('./TrialView.vue'))
const ChartView = defineAsyncComponent(() => import('./ChartView.vue'))
const CoverageView = defineAsyncComponent(() => import('./CoverageView.vue'))

const corpus = useCorpus()
const prove = useProve()
const route = useRoute()
const router = useRouter()

const views = [
  { key: 'runs', label: 'Runs' },
  { key: 'questions', label: 'Questions' },
  { key: 'trials', label: 'Trials' },
  { key: 'coverage', label: 'Coverage' },
  { key: 'chart', label: 'Chart' },
] as const
const view = computed({
  get: () => String(route.query.view ?? 'runs'),
  set: (v) => void router.push({ query: v === 'runs' ? {} : { view: v } }),
})
const runId = computed(() => String(route.query.run ?? prove.own.find((r) => r.summary && r.note === '')?.id ?? ''))
/** Shows another set, and its last run. */
function choose(name: string): void {
  prove.set = name
  void router.replace({ query: view.value === 'runs' ? {} : { view: view.value } })
}
/** A run that is opened by its address brings its set along. */
function follow(): void {
  const of = prove.runs.find((r) => r.id === route.query.run)?.set
  const its = prove.sets.find((s) => s.id === of)
  if (its !== undefined) prove.set = its.name
}
watch(() => route.query.run, follow)
const repeats = ref(1)
const cap = ref(0)
const priced = ref(false)
const trials = computed(() => corpus.active.filter((j) => j.kind === 'study'))

async function start(): Promise<void> {
  const got = await prove.attempt(() =>
    ok(
      api.POST('/api/corpora/{corpus}/sets/{set}/runs', {
        params: {
          path: prove.inSet(),
          query: {
            repeats: repeats.value,
            capPrice: priced.value ? cap.value : 0,
            capTokens: priced.value ? 0 : Math.round(cap.value),
          },
        },
      }),
    ),
  )
  await prove.load()
  void router.replace({ query: got === undefined ? {} : { run: got.run.id } })
}

const exportOf = (form: string): string =>
  `/api/corpora/${encodeURIComponent(corpus.name)}/sets/${encodeURIComponent(prove.set)}/export?form=${form}`

let stop: (() => void) | undefined
onMounted(async () => {
  stop = corpus.onJobEnd((j) => {
    if (j.kind === 'run') void prove.load()
  })
  await prove.load()
  follow()
})
onUnmounted(() => stop?.())
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <h1>Prove</h1>
      <p v-if="prove.sets.length === 0" class="notice">
        A question set holds expected questions, each with what must hold of its reply. Import one, or take proposals
        from your own documents under Questions, to see how often the answers are right.
      </p>
      <template v-else>
        <ElSelect :model-value="prove.set" aria-label="Question set" @update:model-value="choose">
          <ElOption v-for="s in prove.sets" :key="s.id" :value="s.name" :label="`${s.name} (${count(s.count)})`" />
        </ElSelect>
        <div class="row">
          <ElButton type="primary" :disabled="prove.running.length > 0" @click="start">Run the set</ElButton>
          <span class="muted">
            Export:
            <a :href="exportOf('jsonl')" download>JSONL</a>, <a :href="exportOf('csv')" download>CSV</a>,
            <a :href="exportOf('qrels')" download>qrels</a>, <a :href="exportOf('beir')" download>BEIR</a>,
            <a :href="exportOf('squad')" download>SQuAD</a>
          </span>
        </div>
        <RunCost v-model:repeats="repeats" v-model:cap="cap" @priced="(p) => (priced = p)" />
      </template>
      <JobBar v-for="j in [...prove.running, ...trials]" :key="j.id" :job="j" />
      <ImportSet />
      <p v-if="prove.problem !== ''" class="notice bad" role="alert">{{ prove.problem }}</p>
      <h2>Runs</h2>
      <p v-if="prove.own.length === 0" class="muted">None of this set yet.</p>
      <ol class="runs">
        <li v-for="r in prove.own" :key="r.id">
          <RouterLink :to="{ query: { run: r.id } }" :class="{ here: r.id === runId && view === 'runs' }">
            <span :title="moment(r.createdAt).zone">{{ moment(r.createdAt).text }}</span>
            <b class="figure">{{ r.summary ? percent(r.summary.passed.rate) : 'not finished' }}</b>
          </RouterLink>
          <span v-if="r.note !== ''" class="muted">tried: {{ r.note }}</span>
        </li>
      </ol>
    </div>
    <div class="right stack">
      <div class="tabs" role="tablist" aria-label="What is shown">
        <button v-for="v in views" :key="v.key" role="tab" :aria-selected="view === v.key" @click="view = v.key">
          {{ v.label }}
        </button>
      </div>
      <QuestionGrid v-if="view === 'questions'" :key="prove.set || firstSet" />
      <TrialView v-else-if="view === 'trials'" />
      <CoverageView v-else-if="view === 'coverage'" :key="prove.set || firstSet" />
      <ChartView v-else-if="view === 'chart'" :key="`chart ${prove.set}`" />
      <RunReport v-else :run="runId" />
    </div>
  </div>
</template>

<style scoped>
.runs {
  list-style: none;
  margin: 0;
  padding: 0;
}
.runs li {
  border-top: 1px solid var(--line);
  padding: 6px 0;
}
.runs a {
  display: flex;
  justify-content: space-between;
}
.runs a.here {
  color: var(--ink);
  font-weight: 600;
}
</style>
