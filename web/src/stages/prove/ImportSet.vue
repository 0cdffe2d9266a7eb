<script setup lang="ts">
import { ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { useProve } from './store'

/** Reads a file of expected questions, shows what would go in and what would not, and keeps it when that is wanted. */
const corpus = useCorpus()
const prove = useProve()
const chosen = ref<{ name: string; file: File; read: Schema['ImportedSet'] }>()
const withDocuments = ref(true)
const told = ref('')

const send = (name: string, f: File, keep: boolean): Promise<Schema['ImportedSet']> =>
  ok(
    api.POST('/api/corpora/{corpus}/sets/{set}/import', {
      params: { path: { corpus: corpus.name, set: name }, query: { keep, documents: withDocuments.value } },
      body: f as never,
      bodySerializer: (b: unknown) => b as Blob,
      headers: { 'Content-Type': 'application/octet-stream' },
    }),
  )

/** Relevance judgements are no set: they name the documents of the questions that the chosen set has. */
async function judgements(f: File): Promise<void> {
  const got = await prove.attempt(() =>
    ok(
      api.POST('/api/corpora/{corpus}/sets/{set}/qrels', {
        params: { path: prove.inSet() },
        body: f as never,
        bodySerializer: (b: unknown) => b as Blob,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    ),
  )
  if (got === undefined) return
  told.value = `${prove.set}: judgements for ${count(got.questions)} questions; ${count(got.problems.length)} for others`
  await prove.load()
}

async function chooseFile(e: Event): Promise<void> {
  const input = e.target as HTMLInputElement
  const f = input.files?.[0]
  if (f === undefined) return
  told.value = ''
  if (/\.(qrels|qrel|trec)$/i.test(f.name)) {
    await judgements(f)
    input.value = ''
    return
  }
  const name = f.name.replace(/\.[^.]*$/, '')
  const read = await prove.attempt(() => send(name, f, false))
  chosen.value = read && { name, file: f, read }
  if (read !== undefined && read.problems.length + read.doubtful.length === 0 && read.documents === 0) await keep()
  input.value = ''
}

async function keep(): Promise<void> {
  const it = chosen.value
  if (it === undefined) return
  const got = await prove.attempt(() => send(it.name, it.file, true))
  if (got === undefined) return
  chosen.value = undefined
  await prove.load()
  prove.set = it.name
  told.value = `${it.name}: ${count(got.questions)} questions`
}
</script>

<template>
  <label class="field">
    <span class="label">Import a set</span>
    <input type="file" accept=".jsonl,.json,.ndjson,.csv,.tsv,.zip,.qrels,.trec" @change="chooseFile" />
    <p class="hint">
      JSON Lines (docs/question-sets.md), CSV with the columns question and answer, SQuAD, or a BEIR collection as zip.
      TREC qrels go to the chosen set.
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
      >Include the {{ count(chosen.read.documents) }} documents that come with them</ElCheckbox
    >
    <ul v-if="chosen.read.problems.length > 0" class="refused">
      <li v-for="p in chosen.read.problems" :key="p" class="caution">{{ p }}</li>
    </ul>
    <template v-if="chosen.read.doubtful.length > 0">
      <p>These can go in, but cannot be meant as they are written:</p>
      <ul class="refused">
        <li v-for="p in chosen.read.doubtful" :key="p.question + p.what" class="caution">
          {{ p.question }}: {{ p.what }}
        </li>
      </ul>
    </template>
    <div class="row">
      <ElButton type="primary" :disabled="chosen.read.questions === 0" @click="keep">Keep them</ElButton>
      <ElButton @click="chosen = undefined">Cancel</ElButton>
    </div>
  </div>
  <p v-if="told !== ''" class="notice" role="status">{{ told }}</p>
</template>

<style scoped>
.refused {
  max-height: 160px;
  overflow: auto;
  margin: 0;
  padding-left: 18px;
}
</style>
