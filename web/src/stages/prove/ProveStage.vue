<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Reply, type Run, type RunReport, type Schema } from '@/api/client'
import { count, moment, percent } from '@/api/words'
import EvidenceTrail from '@/components/EvidenceTrail.vue'
import JobBar from '@/components/JobBar.vue'
import { useCorpus } from '@/stores/corpus'
import CompareRuns from './CompareRuns.vue'

const corpus = useCorpus()
const route = useRoute()
const router = useRouter()
const sets = ref<Schema['QuestionSet'][]>([])
const runs = ref<Run[]>([])
const report = ref<RunReport>()
const trail = ref<Reply>()
const problem = ref('')
const told = ref('')
const setName = ref('')

type Result = Schema['Result']
const runId = computed(() => String(route.query.run ?? runs.value.find((r) => r.summary)?.id ?? ''))
const openId = computed(() => String(route.query.question ?? ''))
const show = computed({
  get: () => String(route.query.show ?? 'all'),
  set: (s) => void router.replace({ query: { ...route.query, show: s === 'all' ? undefined : s } }),
})
const running = computed(() => corpus.active.filter((j) => j.kind === 'run'))
const summary = computed(() => report.value?.run.summary)
const list = computed(() =>
  (report.value?.results ?? []).filter((r) => {
    if (show.value === 'failed') return !r.verdict.passed
    if (show.value === 'changed') return r.change === 'fixed' || r.change === 'broken'
    if (show.value !== 'all') return (r.question.tags ?? []).includes(show.value)
    return true
  }),
)
const open = computed(() => report.value?.results.find((r) => r.question.id === openId.value))
const kinds: Record<string, string> = {
  mentions: 'mentions',
  notMentions: 'must not mention',
  gives: 'gives',
  cites: 'cites',
  refuses: 'refuses',
  reaches: 'reaches',
  asksBack: 'asks back',
  handsOver: 'hands over',
  follows: 'follows the house rule',
}

async function load(): Promise<void> {
  try {
    const path = { corpus: corpus.name }
    sets.value = await ok(api.GET('/api/corpora/{corpus}/sets', { params: { path } }))
    runs.value = await ok(api.GET('/api/corpora/{corpus}/runs', { params: { path } }))
    if (setName.value === '') setName.value = sets.value[0]?.name ?? ''
    problem.value = ''
  } catch (e) {
    problem.value = (e as Error).message
  }
}

async function loadRun(): Promise<void> {
  if (runId.value === '') return
  try {
    report.value = await ok(
      api.GET('/api/corpora/{corpus}/runs/{run}', { params: { path: { corpus: corpus.name, run: runId.value } } }),
    )
  } catch (e) {
    problem.value = (e as Error).message
  }
}

async function loadTrail(): Promise<void> {
  trail.value = undefined
  if (openId.value === '' || runId.value === '') return
  try {
    trail.value = await ok(
      api.GET('/api/corpora/{corpus}/runs/{run}/replies/{question}', {
        params: { path: { corpus: corpus.name, run: runId.value, question: openId.value } },
      }),
    )
  } catch (e) {
    problem.value = (e as Error).message
  }
}

async function start(): Promise<void> {
  try {
    await ok(
      api.POST('/api/corpora/{corpus}/sets/{set}/runs', {
        params: { path: { corpus: corpus.name, set: setName.value } },
      }),
    )
    void router.replace({ query: {} })
  } catch (e) {
    problem.value = (e as Error).message
  }
}

/** A file of questions as it was read, before anything is kept. */
const chosen = ref<{ name: string; file: File; read: Schema['ImportedSet'] }>()
const withDocuments = ref(true)

const send = (name: string, f: File, keep: boolean): Promise<Schema['ImportedSet']> =>
  ok(
    api.POST('/api/corpora/{corpus}/sets/{set}/import', {
      params: { path: { corpus: corpus.name, set: name }, query: { keep, documents: withDocuments.value } },
      body: f as never,
      bodySerializer: (b: unknown) => b as Blob,
      headers: { 'Content-Type': 'application/octet-stream' },
    }),
  )

async function chooseFile(e: Event): Promise<void> {
  const input = e.target as HTMLInputElement
  const f = input.files?.[0]
  if (f === undefined) return
  problem.value = told.value = ''
  const name = f.name.replace(/\.[^.]*$/, '')
  try {
    chosen.value = { name, file: f, read: await send(name, f, false) }
    if (chosen.value.read.problems.length === 0 && chosen.value.read.documents === 0) await keep()
  } catch (err) {
    chosen.value = undefined
    problem.value = (err as Error).message
  }
  input.value = ''
}

async function keep(): Promise<void> {
  if (chosen.value === undefined) return
  try {
    const got = await send(chosen.value.name, chosen.value.file, true)
    told.value = `${chosen.value.name}: ${count(got.questions)} questions`
    setName.value = chosen.value.name
    chosen.value = undefined
    await load()
  } catch (err) {
    problem.value = (err as Error).message
  }
}

function toggle(r: Result): void {
  const q = r.question.id === openId.value ? undefined : r.question.id
  void router.replace({ query: { ...route.query, question: q } })
}

function verdict(r: Result): { text: string; tone: string } {
  if (r.failed !== '') return { text: 'not judged', tone: 'caution' }
  return r.verdict.passed ? { text: 'passed', tone: 'good' } : { text: 'failed', tone: 'bad' }
}

watch(runId, loadRun)
watch([openId, runId], loadTrail)
let stop: (() => void) | undefined
onMounted(async () => {
  await load()
  await Promise.all([loadRun(), loadTrail()])
  stop = corpus.onJobEnd((j) => {
    if (j.kind === 'run') void load().then(loadRun)
  })
})
onUnmounted(() => stop?.())
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <h1>Question sets</h1>
      <p v-if="sets.length === 0" class="notice">
        A question set holds expected questions, each with what must hold of its reply. Import one to see how often the
        answers are right.
      </p>
      <template v-else>
        <ElSelect v-model="setName" aria-label="Question set">
          <ElOption v-for="s in sets" :key="s.id" :value="s.name" :label="`${s.name} (${count(s.count)})`" />
        </ElSelect>
        <ElButton type="primary" :disabled="running.length > 0" @click="start">Run the set</ElButton>
      </template>
      <JobBar v-for="j in running" :key="j.id" :job="j" />
      <label class="field">
        <span class="label">Import a set</span>
        <input type="file" accept=".jsonl,.json,.ndjson,.csv,.tsv,.zip" @change="chooseFile" />
        <p class="hint">
          JSON Lines (docs/question-sets.md), CSV with the columns question and answer, SQuAD, or a BEIR collection as
          zip.
        </p>
      </label>
      <div v-if="chosen !== undefined" class="notice stack" role="status">
        <p>
          {{ chosen.name }}: {{ count(chosen.read.questions) }} questions can go in<template
            v-if="chosen.read.columns.length > 0"
            >; {{ chosen.read.columns.join(', ') }}</template
          >.
        </p>
        <ElCheckbox v-if="chosen.read.documents > 0" v-model="withDocuments"
          >Take in the {{ count(chosen.read.documents) }} documents that come with them</ElCheckbox
        >
        <ul v-if="chosen.read.problems.length > 0" class="refused">
          <li v-for="p in chosen.read.problems" :key="p" class="caution">{{ p }}</li>
        </ul>
        <div class="row">
          <ElButton type="primary" :disabled="chosen.read.questions === 0" @click="keep">Keep them</ElButton>
          <ElButton @click="chosen = undefined">Leave it</ElButton>
        </div>
      </div>
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
      <p v-if="told !== ''" class="notice" role="status">{{ told }}</p>
      <h2>Runs</h2>
      <p v-if="runs.length === 0" class="muted">None yet.</p>
      <ol class="runs">
        <li v-for="r in runs" :key="r.id">
          <RouterLink :to="{ query: { run: r.id } }" :class="{ here: r.id === runId }">
            <span :title="moment(r.createdAt).zone">{{ moment(r.createdAt).text }}</span>
            <b class="figure">{{ r.summary ? percent(r.summary.passed.rate) : 'not ended' }}</b>
          </RouterLink>
          <span class="muted">{{ r.setName }}</span>
        </li>
      </ol>
    </div>
    <div class="right stack">
      <p v-if="report === undefined || !summary" class="notice">No run to show yet.</p>
      <template v-else>
        <dl class="figures figure">
          <div>
            <dt>Passed</dt>
            <dd>{{ percent(summary.passed.rate) }}</dd>
            <dd class="muted">
              {{ summary.passed.hits }} of {{ summary.passed.of }}, 95 % interval
              {{ percent(summary.passed.interval.low) }} to
              {{ percent(summary.passed.interval.high) }}
            </dd>
          </div>
          <div>
            <dt>hit@1 · hit@5 · MRR</dt>
            <dd>{{ summary.hit1.toFixed(2) }} · {{ summary.hit5.toFixed(2) }} · {{ summary.mrr.toFixed(2) }}</dd>
            <dd class="muted">over {{ summary.ranked }} questions that name a page</dd>
          </div>
          <div>
            <dt>Refusals</dt>
            <dd>{{ summary.rightRefusals }} right · {{ summary.wrongRefusals }} wrong</dd>
            <dd class="muted">{{ summary.missedRefusals }} answered that should be refused</dd>
          </div>
          <div>
            <dt>Since the run before</dt>
            <dd v-if="report.run.before !== ''">
              {{ report.run.fixed.length }} fixed · {{ report.run.broken.length }} broken
            </dd>
            <dd v-else>first run</dd>
            <dd class="muted">reply p95 {{ summary.millisP95.toFixed(0) }} ms</dd>
          </div>
        </dl>
        <CompareRuns :run="report.run" :runs="runs" />
        <div class="row">
          <ElRadioGroup v-model="show" size="small" aria-label="Show">
            <ElRadioButton value="all">all</ElRadioButton>
            <ElRadioButton value="failed">failed</ElRadioButton>
            <ElRadioButton value="changed">changed</ElRadioButton>
            <ElRadioButton v-for="(rate, tag) in summary.byTag" :key="tag" :value="String(tag)">
              {{ tag }} <span class="figure">{{ rate.hits }}/{{ rate.of }}</span>
            </ElRadioButton>
          </ElRadioGroup>
        </div>
        <p v-if="list.length === 0" class="notice">No question of that kind in this run.</p>
        <table v-else class="plain results">
          <thead>
            <tr>
              <th>Verdict</th>
              <th>Question</th>
              <th>Reply</th>
              <th class="num">Rank</th>
              <th class="num">ms</th>
            </tr>
          </thead>
          <tbody>
            <template v-for="r in list" :key="r.question.id">
              <tr :class="{ open: r.question.id === openId }">
                <td>
                  <span :class="verdict(r).tone">{{ verdict(r).text }}</span>
                  <b
                    v-if="r.change === 'fixed' || r.change === 'broken'"
                    :class="r.change === 'fixed' ? 'good' : 'bad'"
                  >
                    {{ r.change }}</b
                  >
                </td>
                <td>
                  <button class="linkish" :aria-expanded="r.question.id === openId" @click="toggle(r)">
                    {{ r.question.question }}
                  </button>
                </td>
                <td class="reply">{{ r.reply }}</td>
                <td class="num">{{ r.verdict.rank > 0 ? r.verdict.rank : r.verdict.rank === 0 ? 'none' : '' }}</td>
                <td class="num">{{ r.millis.toFixed(0) }}</td>
              </tr>
              <tr v-if="r.question.id === openId && open" class="detail">
                <td colspan="5">
                  <ul>
                    <li v-for="(f, k) in open.verdict.findings" :key="k">
                      <b :class="f.held ? 'good' : 'bad'">{{ f.held ? 'held' : 'not held' }}</b>
                      {{ kinds[f.expectation.kind] ?? f.expectation.kind }}
                      {{ (f.expectation.values ?? []).join(' or ') }}
                      <span class="muted">— {{ f.note }}</span>
                    </li>
                  </ul>
                  <EvidenceTrail v-if="trail" :reply="trail" :corpus="corpus.name" />
                </td>
              </tr>
            </template>
          </tbody>
        </table>
      </template>
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
.figures {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(190px, 1fr));
  margin: 0;
  background: var(--raised);
  border: 1px solid var(--line);
}
.figures > div {
  padding: 10px 14px;
}
.figures > div + div {
  border-left: 1px solid var(--line);
}
dt {
  color: var(--muted);
  font-size: 12.5px;
}
dd {
  margin: 0;
  font-size: 17px;
  font-weight: 600;
}
dd.muted {
  font-size: 12px;
  font-weight: 400;
}
.reply {
  max-width: 380px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  color: var(--muted);
}
tr.open td {
  background: var(--accent-soft);
}
.detail td {
  padding: 10px 0 16px;
}
.detail ul {
  margin: 0 0 12px;
  padding-left: 32px;
}
.refused {
  max-height: 160px;
  overflow: auto;
  margin: 0;
  padding-left: 18px;
}
</style>
