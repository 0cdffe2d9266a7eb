<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { api, ok, type Reply, type Run, type Schema } from '@/api/client'
import { shortAddress } from '@/api/words'
import EvidenceTrail from '@/components/EvidenceTrail.vue'
import { useCorpus } from '@/stores/corpus'
import { onKeys } from '@/stores/keys'
import CauseView from './CauseView.vue'
import QuestionForm from './QuestionForm.vue'
import { kindNames } from '@/api/names'
import { useProve, verdictOf, type Question } from './store'

/** One question of a run on one screen: what was expected, what held, why it failed, and the whole evidence trail. */
const props = defineProps<{ run: Run; result: Schema['Result'] }>()
const emit = defineEmits<{ step: [by: number]; close: [] }>()

const corpus = useCorpus()
const prove = useProve()
const trail = ref<Reply>()
const looked = ref<Schema['DiagnoseDiagnosis']>()
const cause = computed(() => props.result.cause ?? looked.value)
const finding = computed(() => prove.running.length > 0 && props.result.cause === undefined)
const wanted = ref<Schema['DiagnoseWanted'][]>([])
const amending = ref(false)
const why = ref('')
const told = ref('')

/** Findings of earlier messages of a script come first; the question's own follow in the order of its expectations. */
const place = (k: number): number => k - props.result.verdict.findings.filter((f) => f.turn).length

const opened = (w: Schema['DiagnoseWanted']) => ({
  name: 'document',
  params: { corpus: corpus.name, document: w.document },
  query: w.text === '' ? {} : { version: w.version, from: String(w.start), to: String(w.end) },
})

function far(w: Schema['DiagnoseWanted']): string {
  if (w.trouble) return `· cannot be drawn on: ${w.trouble}`
  if (w.past) return '· in an earlier version'
  if (w.rank === 0) return w.cut ? '· a cut runs through it' : '· not among the candidates'
  return `· ranks ${w.rank}, ${w.kept ? 'kept' : 'not kept'}`
}

const path = () => ({ corpus: corpus.name, run: props.run.id, question: props.result.question.id })

async function look(): Promise<void> {
  looked.value = await prove.attempt(() =>
    ok(api.GET('/api/corpora/{corpus}/runs/{run}/causes/{question}', { params: { path: path() } })),
  )
}

async function amend(question: Question): Promise<void> {
  const got = await prove.attempt(() =>
    ok(
      api.POST('/api/corpora/{corpus}/sets/{set}/amendments', {
        params: { path: { corpus: corpus.name, set: props.run.set } },
        body: { question, why: why.value },
      }),
    ),
  )
  if (got === undefined) return
  amending.value = false
  told.value = 'The set is changed and the reason kept; the next run heeds it.'
}

const snagged = ref('')
async function snag(): Promise<void> {
  const q = props.result.question
  const fact = (q.expect ?? []).find((e) => e.kind === 'mentions' || e.kind === 'gives')?.values?.[0] ?? ''
  const made = await prove.attempt(() =>
    ok(
      api.POST('/api/corpora/{corpus}/snags', {
        params: { path: { corpus: corpus.name } },
        body: { run: props.run.id, question: q.id, text: q.question, fact },
      }),
    ),
  )
  snagged.value = made?.id ?? ''
}

let stop = (): void => undefined
onMounted(async () => {
  stop = onKeys((key) => {
    if (key === 'j') emit('step', 1)
    else if (key === 'k') emit('step', -1)
    else return false
    return true
  })
  if (props.result.failed === '') {
    trail.value = await prove.attempt(() =>
      ok(api.GET('/api/corpora/{corpus}/runs/{run}/replies/{question}', { params: { path: path() } })),
    )
    wanted.value =
      (await prove.attempt(() =>
        ok(api.GET('/api/corpora/{corpus}/runs/{run}/wanted/{question}', { params: { path: path() } })),
      )) ?? []
  }
})
onUnmounted(() => stop())
</script>

<template>
  <div class="row">
    <button class="linkish" @click="emit('close')">All questions</button>
    <button class="linkish" @click="emit('step', -1)">previous (k)</button>
    <button class="linkish" @click="emit('step', 1)">next (j)</button>
    <span class="muted">{{ result.question.id }} · {{ (result.question.tags ?? []).join(', ') }}</span>
  </div>
  <h2>
    {{ result.question.question }}
    <span :class="verdictOf(result).tone">{{ verdictOf(result).text }}</span>
  </h2>
  <p v-if="result.failed !== ''" class="notice caution">{{ result.failed }}</p>
  <ol v-if="(result.question.script ?? []).length > 0" class="muted">
    <li v-for="(l, i) in result.question.script" :key="i">played first: {{ l.say }}</li>
  </ol>
  <p v-if="told !== ''" class="notice" role="status">{{ told }}</p>
  <div class="two">
    <section class="stack" aria-label="Expected">
      <h3>Expected</h3>
      <ul class="held">
        <li v-for="(f, k) in result.verdict.findings" :key="k">
          <b :class="f.held ? 'good' : 'bad'">{{ f.held ? '✓ held' : f.accident ? '✗ by accident' : '✗ not held' }}</b>
          <template v-if="f.turn"> message {{ f.turn }}</template>
          {{ kindNames[f.expectation.kind] }}
          <b>{{ (f.expectation.values ?? []).join(' or ') }}</b>
          <template v-if="f.expectation.document"> in {{ f.expectation.document }}</template>
          <span class="muted"> — {{ f.note }}</span>
          <template v-if="!f.turn">
            <div v-for="w in wanted.filter((x) => x.expectation === place(k))" :key="w.address" class="wanted">
              <q v-if="w.text !== ''">{{ w.text }}</q>
              <span class="muted">
                <RouterLink :to="opened(w)">{{ shortAddress(w.address) }}</RouterLink>
                {{ far(w) }}
              </span>
            </div>
          </template>
        </li>
      </ul>
      <p v-if="result.verdict.rank >= 0 && wanted.length === 0" class="muted">
        The expected passage
        {{ result.verdict.rank > 0 ? `ranks ${result.verdict.rank}` : 'is not among the candidates' }}.
      </p>
      <p v-if="!amending">
        <button class="linkish" @click="amending = true">The expectation is wrong, the reply is right</button>
      </p>
      <form v-else class="stack" @submit.prevent>
        <label class="field">
          <span class="label">Why</span>
          <ElInput v-model="why" maxlength="400" placeholder="is kept with the set's history" />
        </label>
        <QuestionForm
          :question="result.question"
          save="Change the set"
          :blocked="why.trim() === ''"
          @save="amend"
          @cancel="amending = false"
        />
      </form>
    </section>
    <section v-if="!result.verdict.passed && result.failed === ''" class="stack" aria-label="Cause">
      <h3>Why it failed</h3>
      <CauseView v-if="cause" :run="run" :cause="cause" :question="result.question" @amend="amending = true" />
      <p v-else-if="finding" class="muted" role="status">The causes of this run are being found.</p>
      <p v-else><ElButton @click="look">Find the cause</ElButton></p>
      <p>
        <RouterLink v-if="snagged !== ''" :to="{ name: 'mend', query: { view: 'snags', open: snagged } }"
          >Open its snag</RouterLink
        >
        <button v-else class="linkish" @click="snag">Make a snag</button>
      </p>
    </section>
  </div>
  <EvidenceTrail v-if="trail" :reply="trail" :corpus="corpus.name" />
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(320px, 1fr));
  gap: 24px;
}
h2 > span {
  margin-left: 8px;
}
h3 {
  font-size: 12.5px;
  color: var(--muted);
}
.held {
  margin: 0;
  padding-left: 18px;
}
.wanted {
  margin: 2px 0 8px;
  padding-left: 10px;
  border-left: 2px solid var(--line);
}
.wanted q {
  display: block;
}
</style>
