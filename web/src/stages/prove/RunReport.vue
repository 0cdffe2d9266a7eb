<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type RunReport, type Schema } from '@/api/client'
import { languageName, count, percent } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import ClusterList from './ClusterList.vue'
import CompareRuns from './CompareRuns.vue'
import ReviewBar from './ReviewBar.vue'
import RunTrend from './RunTrend.vue'
import VerdictView from './VerdictView.vue'
import { causeNames, kindNames } from '@/api/names'
import { useProve, verdictOf } from './store'

/** One run: its figures with their intervals, its causes, and every question with its verdict. */
const props = defineProps<{ run: string }>()

type Result = Schema['Result']
const corpus = useCorpus()
const prove = useProve()
const route = useRoute()
const router = useRouter()
const report = ref<RunReport>()

const openId = computed(() => String(route.query.question ?? ''))
const show = computed({
  get: () => String(route.query.show ?? 'all'),
  set: (s) => void router.replace({ query: { ...route.query, show: s === 'all' ? undefined : s } }),
})
/** What is said of the verdicts, by question, and the questions of one cluster that are shown alone. */
const reviews = ref<Record<string, Schema['Review']>>({})
const only = ref<string[]>([])
const reviewed = (r: Result): boolean => (reviews.value[r.question.id]?.mark ?? '') !== ''
/** What there is to review: failures first among what is shown. */
const due = computed(() => list.value.filter((r) => !reviewed(r)))

async function say(v: Schema['Review'], goOn: boolean): Promise<void> {
  const id = openId.value
  const path = { corpus: corpus.name, run: props.run, question: id }
  const done = await prove.attempt(async () => {
    await api.PUT('/api/corpora/{corpus}/runs/{run}/reviews/{question}', { params: { path }, body: v }).then((x) => {
      if (x.error !== undefined) throw new Error(x.error.detail ?? 'the review was not kept')
    })
    return true
  })
  if (done !== true) return
  reviews.value = { ...reviews.value, [id]: v }
  if (!goOn) return
  const at = list.value.findIndex((r) => r.question.id === id)
  const next = [...list.value.slice(at + 1), ...list.value.slice(0, at)].find((r) => !reviewed(r))
  if (next !== undefined) turn(next.question.id)
}

const summary = computed(() => report.value?.run.summary)
const failed = (r: Result): boolean => r.failed === '' && !r.verdict.passed
const list = computed(() =>
  (report.value?.results ?? []).filter((r) => {
    if (only.value.length > 0 && !only.value.includes(r.question.id)) return false
    if (show.value === 'to review') return !reviewed(r)
    if (show.value === 'failed') return failed(r)
    if (show.value === 'by accident') return r.verdict.accident === true
    if (show.value === 'changed') return r.change === 'fixed' || r.change === 'broken'
    if (show.value === 'not judged') return r.failed !== ''
    if (show.value.startsWith('cause:')) return `cause:${r.cause?.cause}` === show.value
    if (show.value !== 'all') return (r.question.tags ?? []).includes(show.value)
    return true
  }),
)
const causes = computed(() => {
  const n = new Map<Schema['DiagnoseDiagnosis']['cause'], number>()
  for (const r of report.value?.results ?? []) if (r.cause) n.set(r.cause.cause, (n.get(r.cause.cause) ?? 0) + 1)
  return [...n].sort((a, b) => b[1] - a[1])
})
const open = computed(() => list.value.find((r) => r.question.id === openId.value))
const interval = (f: { interval: { low: number; high: number } }): string =>
  `${f.interval.low.toFixed(2)} to ${f.interval.high.toFixed(2)}`

const exported = (form: string): string =>
  `/api/corpora/${encodeURIComponent(corpus.name)}/runs/${props.run}/export?form=${form}`

let asked = 0

async function load(): Promise<void> {
  const mine = ++asked
  if (props.run === '') return
  const got = await prove.attempt(() =>
    ok(api.GET('/api/corpora/{corpus}/runs/{run}', { params: { path: { corpus: corpus.name, run: props.run } } })),
  )
  if (mine !== asked) return // what was asked for later is newer
  report.value = got
  reviews.value =
    (await prove.attempt(() =>
      ok(
        api.GET('/api/corpora/{corpus}/runs/{run}/reviews', {
          params: { path: { corpus: corpus.name, run: props.run } },
        }),
      ),
    )) ?? {}
}

function turn(id: string): void {
  void router.replace({ query: { ...route.query, question: id === openId.value ? undefined : id } })
}

/** The question before or after the open one in the list. */
function step(by: number): void {
  const i = list.value.findIndex((r) => r.question.id === openId.value)
  const next = list.value[i + by]
  if (i >= 0 && next !== undefined) turn(next.question.id)
}

const under = computed(() => prove.running[0])
watch(() => props.run, load)
watch(
  () => under.value?.done, // live: what has come so far
  () => {
    if (report.value !== undefined && report.value.run.endedAt === '') void load()
  },
)
let stop: (() => void) | undefined
onMounted(() => {
  stop = corpus.onJobEnd((j) => {
    if (j.kind === 'run') void load()
  })
  void load()
})
onUnmounted(() => stop?.())
</script>

<template>
  <p v-if="report === undefined || !summary" class="notice">No run to show yet.</p>
  <template v-else-if="open">
    <ReviewBar
      :key="`review ${open.question.id}`"
      :review="reviews[open.question.id]"
      :done="report.results.filter(reviewed).length"
      :of="report.results.length"
      @say="say"
    />
    <VerdictView
      :key="open.question.id"
      :run="report.run"
      :result="open"
      @step="step"
      @close="turn(open.question.id)"
    />
  </template>
  <template v-else>
    <p v-if="report.run.endedAt === ''" class="notice" role="status">
      Under way: {{ report.results.length }} of {{ report.run.questions }} questions so far.
    </p>
    <p v-if="report.run.note !== ''" class="notice caution">
      A run of something that was tried and not applied: {{ report.run.note }}.
    </p>
    <p v-if="report.run.unread > 0" class="notice caution">
      When this run began, the encoder had not read {{ count(report.run.unread) }} of the chunks. The next run may
      differ for that alone.
    </p>
    <dl class="figures figure">
      <div>
        <dt>Passed</dt>
        <dd>{{ percent(summary.passed.rate) }}</dd>
        <dd class="muted">
          {{ summary.passed.hits }} of {{ summary.passed.of }}, 95 % interval
          {{ percent(summary.passed.interval.low) }} to {{ percent(summary.passed.interval.high) }}
          <template v-if="(summary.accidents ?? 0) > 0">
            · {{ summary.accidents }} more only by accident
            <span class="muted" title="The expected words stand in the reply, but are said of something else">(?)</span>
          </template>
        </dd>
      </div>
      <div>
        <dt>hit@1 · hit@5 · MRR</dt>
        <dd v-if="summary.ranked > 0">
          {{ summary.hit1.toFixed(2) }} · {{ summary.hit5.toFixed(2) }} · {{ summary.mrr.toFixed(2) }}
        </dd>
        <dd v-else>–</dd>
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
        <dd class="muted">
          reply p50 {{ summary.millisP50.toFixed(0) }} ms, p95 {{ summary.millisP95.toFixed(0) }} ms
        </dd>
      </div>
    </dl>
    <p v-if="summary.unjudged > 0" class="notice caution">
      {{ summary.unjudged }} of {{ summary.questions }} questions could not be judged and stand in no figure here.
      <button class="linkish" @click="show = 'not judged'">Show why</button>
    </p>
    <details>
      <summary>All measures, with their intervals</summary>
      <p class="muted">
        For other tools: <a :href="exported('run')" download>rankings</a>,
        <a :href="exported('qrels')" download>judgements</a> (both in TREC's form),
        <a :href="exported('scores')" download>measures of each question</a> (CSV).
      </p>
      <div class="row aligned">
        <table class="plain measures">
          <thead>
            <tr>
              <th>Measure</th>
              <th class="num">Value</th>
              <th>95 % interval</th>
              <th class="num">Over</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="f in summary.figures ?? []" :key="f.key">
              <td>{{ f.label }}</td>
              <td class="num figure">{{ f.value.toFixed(3) }}</td>
              <td class="figure">{{ interval(f) }}</td>
              <td class="num figure">{{ f.of }}</td>
            </tr>
          </tbody>
        </table>
        <div class="stack pair">
          <table class="plain measures">
            <thead>
              <tr>
                <th>Tag</th>
                <th class="num">Passed</th>
                <th class="num">Facts</th>
                <th class="num" title="Share of sentences that carry what is expected, or its record, steps or list">
                  To the point
                </th>
                <th class="num">Words</th>
                <th title="rightly refused, wrongly refused, answered and should be refused">Refusals</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="t in summary.tags ?? []" :key="t.tag">
                <td>{{ t.tag }}</td>
                <td class="num figure">{{ t.passed.hits }} of {{ t.passed.of }}</td>
                <td class="num figure">{{ t.facts.hits }} of {{ t.facts.of }}</td>
                <td class="num figure">{{ t.pointed ? percent(t.pointed.rate) : '' }}</td>
                <td class="num figure">{{ t.words?.of ? t.words.value.toFixed(0) : '' }}</td>
                <td class="figure">{{ t.right }}, {{ t.wrong }}, {{ t.missed }}</td>
              </tr>
            </tbody>
          </table>
          <table v-if="summary.languages?.length" class="plain measures">
            <thead>
              <tr>
                <th>Asked in</th>
                <th>Page in</th>
                <th class="num">Passed</th>
                <th class="num">Facts</th>
                <th title="rightly refused, wrongly refused, answered and should be refused">Refusals</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="t in summary.languages" :key="t.tag">
                <td>{{ languageName(t.tag.split('>')[0]) }}</td>
                <td>{{ languageName(t.tag.split('>')[1]) }}</td>
                <td class="num figure">{{ t.passed.hits }} of {{ t.passed.of }}</td>
                <td class="num figure">{{ t.facts.hits }} of {{ t.facts.of }}</td>
                <td class="figure">{{ t.right }}, {{ t.wrong }}, {{ t.missed }}</td>
              </tr>
            </tbody>
          </table>
          <table class="plain measures">
            <thead>
              <tr>
                <th>Expectation</th>
                <th class="num">Held</th>
                <th>95 % interval</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="k in summary.kinds ?? []" :key="k.kind">
                <td>{{ kindNames[k.kind] }}</td>
                <td class="num figure">{{ k.held.hits }} of {{ k.held.of }}</td>
                <td class="figure">{{ interval(k.held) }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </div>
    </details>
    <RunTrend :runs="prove.runs" :run="report.run" />
    <CompareRuns :run="report.run" :runs="prove.runs" />
    <div v-if="causes.length > 0" class="row" aria-label="Causes">
      <b>Why they fail</b>
      <button
        v-for="[c, n] in causes"
        :key="c"
        class="cause"
        :aria-pressed="show === `cause:${c}`"
        @click="show = show === `cause:${c}` ? 'all' : `cause:${c}`"
      >
        {{ causeNames[c] }} <span class="figure">{{ n }}</span>
      </button>
    </div>
    <ClusterList :run="report.run.id" :set="report.run.set" :ended="report.run.endedAt !== ''" @show="only = $event" />
    <div class="row">
      <ElButton v-if="due.length > 0" size="small" @click="turn(due[0]?.question.id ?? '')"
        >Review {{ count(due.length) }} verdicts</ElButton
      >
      <a :href="`/api/corpora/${encodeURIComponent(corpus.name)}/runs/${report.run.id}/worklist`" download
        >Export the work list (CSV)</a
      >
      <span v-if="only.length > 0" class="muted">
        {{ count(only.length) }} questions of one fix
        <button class="linkish" @click="only = []">Show all again</button>
      </span>
    </div>
    <div class="row">
      <ElRadioGroup v-model="show" size="small" aria-label="Show">
        <ElRadioButton value="all">all</ElRadioButton>
        <ElRadioButton value="to review">to review</ElRadioButton>
        <ElRadioButton value="failed">failed</ElRadioButton>
        <ElRadioButton value="changed">changed</ElRadioButton>
        <ElRadioButton v-if="(summary.accidents ?? 0) > 0" value="by accident">by accident</ElRadioButton>
        <ElRadioButton v-if="summary.unjudged > 0" value="not judged">not judged</ElRadioButton>
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
          <th>Cause</th>
          <th class="num">Rank</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in list" :key="r.question.id">
          <td>
            <span :class="verdictOf(r).tone">{{ verdictOf(r).text }}</span>
            <span v-if="reviewed(r)" class="muted" :title="reviews[r.question.id]?.note">
              · reviewed: {{ reviews[r.question.id]?.mark }}</span
            >
            &nbsp;<b
              v-if="r.change === 'fixed' || r.change === 'broken'"
              :class="r.change === 'fixed' ? 'good' : 'bad'"
            >
              {{ r.change }}</b
            >
          </td>
          <td>
            <button class="linkish" @click="turn(r.question.id)">{{ r.question.question }}</button>
          </td>
          <td class="reply" :title="r.reply">{{ r.failed === '' ? r.reply : r.failed }}</td>
          <td>{{ r.cause ? causeNames[r.cause.cause] : '' }}</td>
          <td class="num">{{ r.verdict.rank > 0 ? r.verdict.rank : r.verdict.rank === 0 ? 'none' : '' }}</td>
        </tr>
      </tbody>
    </table>
  </template>
</template>

<style scoped>
.figures {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(190px, 1fr));
  margin-bottom: 0;
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
summary {
  font-weight: 650;
  cursor: pointer;
}
.aligned {
  align-items: flex-start;
  margin-top: 8px;
}
table.measures,
.pair {
  width: auto;
  flex: 1;
}
.pair table.measures {
  width: 100%;
}
.measures .figure {
  white-space: nowrap;
}
.cause {
  border: 1px solid var(--control);
  border-radius: var(--radius);
  background: var(--raised);
  color: var(--ink);
  padding: 3px 8px;
  cursor: pointer;
}
.cause[aria-pressed='true'] {
  border-color: var(--accent);
  background: var(--accent-soft);
}
.reply {
  max-width: 300px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  color: var(--muted);
}
</style>
