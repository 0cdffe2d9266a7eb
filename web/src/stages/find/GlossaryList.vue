<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { useCorpus } from '@/stores/corpus'
import { useFind } from './store'

type Entry = Schema['QueryEntry']

/** The glossary: terms and what they mean, typed, imported, or taken from what the corpus's own texts propose. */
const corpus = useCorpus()
const find = useFind()
const term = ref('')
const means = ref('')
const suggestions = ref<Schema['Suggestion'][]>()
const problem = ref('')
const told = ref('')
const entries = computed<Entry[]>(() => find.tried?.glossary ?? [])

const put = (es: Entry[]): void => find.put({ glossary: es })
const list = (v: string): string[] =>
  v
    .split(/[;,]/)
    .map((x) => x.trim())
    .filter((x) => x !== '')

function add(): void {
  const e = { term: term.value.trim(), means: list(means.value) }
  if (e.term === '' || e.means.length === 0) return
  put([...entries.value.filter((x) => x.term !== e.term), e])
  term.value = means.value = ''
}

async function attempt(what: () => Promise<void>): Promise<void> {
  try {
    await what()
    problem.value = ''
  } catch (e) {
    problem.value = (e as Error).message
  }
}

const suggest = (): Promise<void> =>
  attempt(async () => {
    const path = { corpus: corpus.name }
    suggestions.value = await ok(api.GET('/api/corpora/{corpus}/glossary/suggestions', { params: { path } }))
  })

function accept(s: Schema['Suggestion']): void {
  put([...entries.value, { term: s.term, means: s.means }])
  suggestions.value = suggestions.value?.filter((x) => x.term !== s.term)
}

const dismiss = (s: Schema['Suggestion']): Promise<void> =>
  attempt(async () => {
    const path = { corpus: corpus.name }
    await ok(api.POST('/api/corpora/{corpus}/glossary/dismissed', { params: { path }, body: { term: s.term } }))
    suggestions.value = suggestions.value?.filter((x) => x.term !== s.term)
  })

const load = (e: Event): Promise<void> =>
  attempt(async () => {
    const file = (e.target as HTMLInputElement).files?.[0]
    if (file === undefined) return
    const body = await file.text()
    const got = await ok(
      api.POST('/api/glossary/read', {
        body: body as never,
        bodySerializer: (b: unknown) => b as string,
        headers: { 'Content-Type': 'text/csv' },
      }),
    )
    const fresh = new Set(got.entries.map((x) => x.term))
    put([...entries.value.filter((x) => !fresh.has(x.term)), ...got.entries])
    told.value = `${got.entries.length} entries read. ${got.problems.join('; ')}`
  })
</script>

<template>
  <section class="stack" aria-label="Glossary">
    <div class="row head">
      <h2>Glossary</h2>
      <a :href="`/api/corpora/${encodeURIComponent(corpus.name)}/glossary/export`">Export as CSV</a>
    </div>
    <p class="hint">A term is also searched for by what it means, and the other way round.</p>
    <table v-if="entries.length > 0" class="plain">
      <tbody>
        <tr v-for="e in entries" :key="e.term">
          <td>{{ e.term }}</td>
          <td>{{ e.means.join('; ') }}</td>
          <td>
            <button
              class="linkish"
              :aria-label="`Remove ${e.term}`"
              @click="put(entries.filter((x) => x.term !== e.term))"
            >
              remove
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <form class="row" @submit.prevent="add">
      <ElInput v-model="term" class="term" placeholder="Term" aria-label="Term" maxlength="200" />
      <ElInput v-model="means" class="grow" placeholder="What it means, with ; between" aria-label="What it means" />
      <ElButton native-type="submit">Add</ElButton>
      <label>
        <span class="sr">Import from CSV</span>
        <input type="file" accept=".csv,text/csv" @change="load" />
      </label>
    </form>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <p v-if="told !== ''" class="notice" role="status">{{ told }}</p>
    <ElButton @click="suggest">Look for terms in the texts</ElButton>
    <p v-if="suggestions !== undefined && suggestions.length === 0" class="notice">No new suggestions.</p>
    <table v-else-if="suggestions !== undefined" class="plain">
      <tbody>
        <tr v-for="s in suggestions" :key="s.term">
          <td>{{ s.term }}</td>
          <td>{{ s.means.join('; ') }}</td>
          <td class="muted" :title="s.example">
            {{ s.kind === 'together' ? 'used together' : s.kind }}, in {{ s.documents }}
          </td>
          <td class="row">
            <button class="linkish" :aria-label="`Accept ${s.term}`" @click="accept(s)">accept</button>
            <button class="linkish" :aria-label="`Dismiss ${s.term}`" @click="dismiss(s)">dismiss</button>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.head {
  justify-content: space-between;
}
.term {
  width: 180px;
}
.grow {
  flex: 1;
}
</style>
