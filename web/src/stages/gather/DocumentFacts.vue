<script setup lang="ts">
import { computed } from 'vue'
import { api, ok, type OpenDocument } from '@/api/client'
import { clock, count, moment } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { markWords, marksFor, useSources, type Source } from './store'

const props = defineProps<{ doc: OpenDocument; chunks: number }>()
const emit = defineEmits<{ changed: [] }>()
const corpus = useCorpus()
const sources = useSources()

const understood = computed(() => {
  const d = props.doc.digest
  const out: string[] = []
  const add = (n: number, one: string, many: string): void => {
    if (n > 0) out.push(`${count(n)} ${n === 1 ? one : many}`)
  }
  add(d.headings, 'heading', 'headings')
  add(d.items, 'list item', 'list items')
  add(d.tables, 'table', 'tables')
  add(d.rows, 'row', 'rows')
  add(d.pages, 'page', 'pages')
  if (d.seconds > 0) out.push(`${clock(d.seconds)} of speech`)
  return out.join(', ')
})
type Marks = Source['marks']
const marks = computed(() => marksFor(sources.all.find((s) => s.id === props.doc.source)?.kind))
const audience = computed({
  get: () => props.doc.audience,
  set: (a) => void change({ audience: a }),
})

async function change(body: { audience?: string; marks?: Marks; asSource?: boolean }) {
  await sources.attempt(async () => {
    const path = { corpus: corpus.name, document: props.doc.id }
    await ok(api.PATCH('/api/corpora/{corpus}/documents/{document}', { params: { path }, body }))
    return undefined
  })
  emit('changed')
}

function mark(m: string, on: boolean): void {
  const marks = props.doc.marks.filter((x) => x !== m)
  void change({ marks: (on ? [...marks, m] : marks) as Marks })
}
</script>

<template>
  <table class="plain">
    <tbody>
      <tr>
        <th>State</th>
        <td>
          {{ doc.state }}<template v-if="doc.reason !== ''">: {{ doc.reason }}</template>
        </td>
      </tr>
      <tr>
        <th>Understood</th>
        <td class="figure">
          {{ count(doc.words) }} words in {{ count(chunks) }} {{ chunks === 1 ? 'chunk' : 'chunks'
          }}<template v-if="understood !== ''">; {{ understood }}</template>
        </td>
      </tr>
      <tr v-if="doc.digest.hidden > 0">
        <th>Hidden</th>
        <td>{{ count(doc.digest.hidden) }} passages that the page hides from readers; they are not taken in</td>
      </tr>
      <tr v-if="doc.foundOn !== ''">
        <th>Found on</th>
        <td class="mono wrap">{{ doc.foundOn }}</td>
      </tr>
      <tr>
        <th>Changed</th>
        <td :title="moment(doc.changedAt).zone">{{ moment(doc.changedAt).text }}</td>
      </tr>
      <tr>
        <th>Answers</th>
        <td>
          <ElSelect v-model="audience" size="small" aria-label="Audience">
            <ElOption value="public" label="everyone" />
            <ElOption value="staff" label="staff only" />
            <ElOption
              v-if="!['public', 'staff'].includes(doc.audience)"
              :value="doc.audience"
              :label="doc.audience.replace('group:', 'group ')"
            />
          </ElSelect>
          <ElCheckbox
            v-for="m in marks"
            :key="m"
            size="small"
            :title="markWords[m]?.help"
            :model-value="doc.marks.includes(m)"
            @change="(on: unknown) => mark(m, on === true)"
            >{{ markWords[m]?.name }}</ElCheckbox
          >
          <button v-if="doc.own" class="linkish" @click="change({ asSource: true })">As its source has it</button>
        </td>
      </tr>
      <tr v-if="doc.history.length > 1">
        <th>Versions</th>
        <td>
          <div v-for="(p, i) in doc.history" :key="p.version">
            <RouterLink
              :to="{ query: { version: p.version } }"
              :class="{ here: p.version === doc.version }"
              :title="moment(p.fetchedAt).zone"
              >{{ moment(p.fetchedAt).text }}</RouterLink
            >
            <template v-if="i + 1 < doc.history.length">
              ·
              <RouterLink :to="{ query: { compare: doc.history[i + 1]?.version, version: p.version } }"
                >what changed</RouterLink
              ></template
            >
          </div>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.wrap {
  overflow-wrap: anywhere;
}
.here {
  font-weight: 650;
  text-decoration: none;
}
td :deep(.el-checkbox) {
  display: flex;
  height: 24px;
}
</style>
