<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { counted, count } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { useSources } from './store'

const corpus = useCorpus()
const sources = useSources()
const question = ref('')
const answer = ref('')
const file = ref<File>()
const preview = ref<Schema['ExtractPairFile']>()
const badOnly = ref(false)
const shown = computed(() =>
  (preview.value?.pairs ?? []).filter((p) => !badOnly.value || p.problem !== '').slice(0, 200),
)
const exports = computed(() => `/api/corpora/${encodeURIComponent(corpus.name)}/pairs?form=`)

const options = (body: Blob | string) => ({
  headers: { 'Content-Type': 'application/octet-stream' },
  body: body as string,
  bodySerializer: (b: unknown) => b as BodyInit,
})

async function read(q = '', a = ''): Promise<void> {
  const f = file.value
  if (f === undefined) return
  await sources.attempt(async () => {
    const params = { path: { corpus: corpus.name }, query: { question: q, answer: a } }
    preview.value = await ok(api.POST('/api/corpora/{corpus}/pairs/preview', { params, ...options(f) }))
    return undefined
  })
}

function picked(e: Event): void {
  const input = e.target as HTMLInputElement
  file.value = input.files?.[0]
  preview.value = undefined
  input.value = ''
  void read()
}

async function take(): Promise<void> {
  const f = file.value
  const p = preview.value
  if (f === undefined || p === undefined) return
  const done = await sources.attempt(async () => {
    const params = { path: { corpus: corpus.name }, query: { question: p.question, answer: p.answer } }
    const r = await ok(api.PUT('/api/corpora/{corpus}/pairs', { params, ...options(f) }))
    return `${count(r.good)} pairs are in${r.bad > 0 ? `, ${count(r.bad)} are not` : ''}`
  })
  if (done) preview.value = file.value = undefined
}

async function addOne(): Promise<void> {
  const one = JSON.stringify({ question: question.value, answer: answer.value })
  const done = await sources.attempt(async () => {
    const params = { path: { corpus: corpus.name }, query: {} }
    const r = await ok(api.PUT('/api/corpora/{corpus}/pairs', { params, ...options(one) }))
    const bad = r.pairs.find((p) => p.problem !== '')
    if (bad !== undefined) throw new Error(bad.problem)
    return 'The pair is in'
  })
  if (done) question.value = answer.value = ''
}
</script>

<template>
  <div class="two">
    <form class="stack" @submit.prevent="addOne">
      <h2>Write one</h2>
      <label class="field">
        <span class="label">Question</span>
        <ElInput v-model="question" maxlength="2000" />
      </label>
      <label class="field">
        <span class="label">Answer</span>
        <ElInput v-model="answer" type="textarea" :rows="6" placeholder="Plain text or Markdown" />
      </label>
      <ElButton type="primary" native-type="submit" :disabled="question.trim() === '' || answer.trim() === ''"
        >Include</ElButton
      >
      <p>
        Save all as <a :href="`${exports}csv`" download>CSV</a> or <a :href="`${exports}jsonl`" download>JSON Lines</a>
      </p>
    </form>
    <div class="stack">
      <h2>From a file</h2>
      <label class="field">
        <span class="label">CSV with a header line, or JSON Lines</span>
        <input type="file" accept=".csv,.tsv,.jsonl,.json,.ndjson" @change="picked" />
      </label>
      <template v-if="preview !== undefined">
        <div class="row">
          <label class="field">
            <span class="label">Question is in</span>
            <ElSelect
              :model-value="preview.question"
              class="short"
              aria-label="Column of the question"
              @change="(v: string) => read(v, preview?.answer)"
            >
              <ElOption v-for="c in preview.columns" :key="c" :value="c" :label="c" />
            </ElSelect>
          </label>
          <label class="field">
            <span class="label">Answer is in</span>
            <ElSelect
              :model-value="preview.answer"
              class="short"
              aria-label="Column of the answer"
              @change="(v: string) => read(preview?.question, v)"
            >
              <ElOption v-for="c in preview.columns" :key="c" :value="c" :label="c" />
            </ElSelect>
          </label>
        </div>
        <p class="figure">
          <b>{{ count(preview.good) }}</b> will go in<template v-if="preview.bad > 0"
            >, <span class="bad">{{ count(preview.bad) }} will not</span>
            <ElCheckbox v-model="badOnly" class="only">Show these only</ElCheckbox></template
          >
        </p>
        <ElButton type="primary" :disabled="preview.good === 0" @click="take"
          >Include {{ counted(preview.good, 'pair') }}</ElButton
        >
        <table class="plain">
          <thead>
            <tr>
              <th class="num">Line</th>
              <th>Question</th>
              <th>Answer</th>
              <th>Why not</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="p in shown" :key="p.line">
              <td class="num figure">{{ p.line }}</td>
              <td>{{ p.question }}</td>
              <td>{{ p.answer.length > 120 ? `${p.answer.slice(0, 120)} …` : p.answer }}</td>
              <td class="bad">{{ p.problem }}</td>
            </tr>
          </tbody>
        </table>
      </template>
    </div>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(260px, 1fr) 2fr;
  gap: 28px;
}
.short {
  width: 170px;
}
.only {
  margin-left: 10px;
}
</style>
