<script setup lang="ts">
import { computed, onUnmounted, ref } from 'vue'
import { api, ok, type Job, type Run, type Schema } from '@/api/client'
import { shortAddress } from '@/api/words'
import JobBar from '@/components/JobBar.vue'
import { useCorpus } from '@/stores/corpus'
import FixLine from './FixLine.vue'
import { causeNames } from '@/api/names'
import { useProve } from './store'

/** Why a question failed, what shows it, and what may cure it: tried on the whole set before anything is applied. */
const props = defineProps<{ run: Run; cause: Schema['DiagnoseDiagnosis']; question: Schema['QuestionsQuestion'] }>()
const emit = defineEmits<{ amend: [] }>()

type Change = Schema['DiagnoseAlteration']
const corpus = useCorpus()
const prove = useProve()
const trying = ref<{ label: string; change: Change; run: string; job: string }>()
const outcome = ref<{ label: string; change: Change; run: string; sums: Schema['ProveComparison'] }>()
const told = ref('')

const sureTitle =
  'Shown: asking again without the cause cured the question. Likely: what was looked at tells it. A guess: what was left.'
const sureness = computed(() => {
  const n = props.cause.sure ?? 0
  return n >= 0.9 ? 'shown' : n >= 0.6 ? 'likely' : 'a guess'
})
const opened = (s: Schema['DiagnoseSpot']) => ({
  name: 'document',
  params: { corpus: corpus.name, document: s.document },
  query: { version: s.version, from: String(s.start), to: String(s.end) },
})

async function attempt(label: string, change: Change): Promise<void> {
  outcome.value = undefined
  told.value = ''
  const got = await prove.attempt(() =>
    ok(
      api.POST('/api/corpora/{corpus}/sets/{set}/tries', {
        params: { path: { corpus: corpus.name, set: props.run.set } },
        body: { change, note: label },
      }),
    ),
  )
  if (got !== undefined) trying.value = { label, change, run: got.run.id, job: got.job.id }
}

async function compare(j: Job): Promise<void> {
  const t = trying.value
  trying.value = undefined
  if (t === undefined) return
  if (j.state !== 'done') {
    told.value = `“${t.label}” was not tried to the end: ${j.error === '' ? j.state : j.error}.`
    return
  }
  const got = await prove.attempt(() =>
    ok(
      api.GET('/api/corpora/{corpus}/runs/{run}/against/{before}', {
        params: { path: { corpus: corpus.name, run: t.run, before: props.run.id } },
      }),
    ),
  )
  if (got !== undefined) outcome.value = { label: t.label, change: t.change, run: t.run, sums: got.sums }
}

async function apply(): Promise<void> {
  const o = outcome.value
  if (o === undefined) return
  const body = { change: o.change, note: o.label, run: o.run, before: props.run.id }
  const got = await prove.attempt(() =>
    ok(api.POST('/api/corpora/{corpus}/method/changes', { params: { path: { corpus: corpus.name } }, body })),
  )
  if (got === undefined) return
  told.value = `Applied: ${o.label}. Run the set to see it on the draft.`
  outcome.value = undefined
}

const stop = corpus.onJobEnd((j) => {
  if (j.id === trying.value?.job) void compare(j)
})
onUnmounted(stop)
</script>

<template>
  <div class="stack">
    <p>
      <b class="bad">{{ causeNames[cause.cause] }}</b>: {{ cause.why }}
      <span v-if="cause.sure" class="muted" :title="sureTitle">({{ sureness }})</span>
    </p>
    <ul v-if="(cause.spots ?? []).length > 0" class="spots">
      <li v-for="s in cause.spots" :key="s.what + s.document + s.start">
        <span class="muted">{{ s.what }}:&nbsp;</span>
        <RouterLink :to="opened(s)"
          ><q>{{ s.text }}</q></RouterLink
        >
        <span class="muted">&nbsp;{{ shortAddress(s.address) }}</span>
      </li>
    </ul>
    <ul v-if="cause.shown.length > 0" class="shown">
      <li v-for="s in cause.shown" :key="s" class="muted">{{ s }}</li>
    </ul>
    <template v-if="cause.fixes.length > 0">
      <h3>Possible fixes</h3>
      <ul class="fixes">
        <FixLine
          v-for="f in cause.fixes"
          :key="f.label"
          :fix="f"
          :question="question.question"
          :busy="trying !== undefined"
          @attempt="(c) => attempt(f.label, c)"
          @amend="emit('amend')"
        />
      </ul>
    </template>
    <JobBar v-for="j in corpus.active.filter((x) => x.id === trying?.job)" :key="j.id" :job="j" />
    <div v-if="outcome" class="notice" role="status">
      <p>
        “{{ outcome.label }}” over {{ outcome.sums.questions }} questions:
        <b class="good">{{ outcome.sums.fixed.length }} fixed</b>
        <span class="muted">{{ outcome.sums.fixed.slice(0, 6).join(', ') }}</span>,
        <b class="bad">{{ outcome.sums.broken.length }} broken</b>
        <span class="muted">{{ outcome.sums.broken.slice(0, 6).join(', ') }}</span>; p {{ outcome.sums.p.toFixed(3) }}.
        This question
        <b v-if="outcome.sums.fixed.includes(question.id)" class="good">passes with it</b>
        <b v-else class="bad">fails with it, too</b>.
      </p>
      <div class="row">
        <ElButton type="primary" @click="apply">Apply to the draft</ElButton>
        <ElButton @click="outcome = undefined">Cancel</ElButton>
        <RouterLink :to="{ query: { run: outcome.run } }">see that run</RouterLink>
      </div>
    </div>
    <p v-if="told !== ''" class="notice" role="status">{{ told }}</p>
  </div>
</template>

<style scoped>
h3 {
  font-size: 12.5px;
  color: var(--muted);
}
.shown,
.spots,
.fixes {
  margin: 0;
  padding-left: 18px;
}
</style>
