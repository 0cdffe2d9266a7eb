<script setup lang="ts">
import { computed, onUnmounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ok, type Asking, type Placed } from '@/api/client'
import { count } from '@/api/words'
import VirtualTable, { type Column } from '@/components/VirtualTable.vue'
import { useCorpus } from '@/stores/corpus'
import { useFind } from './store'

/** A list of questions, pasted or of a set: the rank of the expected passage as applied and as tried. */
const corpus = useCorpus()
const find = useFind()
const router = useRouter()
const from = ref(find.sets[0]?.id ?? 'paste')
const pasted = ref('')
const rows = ref<Row[]>([])
const done = ref(0)
const total = ref(0)
const problem = ref('')
const show = ref('all')
const sort = ref({ key: 'change', down: true })
let stopped = false

interface Row {
  id: string
  question: string
  before: Placed['under'][number]
  after: Placed['under'][number]
}

const columns: Column[] = [
  { key: 'question', label: 'Question', width: '40%', sortable: true },
  { key: 'before', label: 'As applied', width: '90px', sortable: true, align: 'right' },
  { key: 'after', label: 'As tried', width: '80px', sortable: true, align: 'right' },
  { key: 'change', label: 'Change', width: '90px', sortable: true },
  { key: 'best', label: 'Best chunk as tried', width: '40%' },
]
const batch = 10

/** Pasted lines: a question each, and, after a tab, the address or title of the document expected. */
function lines(): Asking[] {
  return pasted.value
    .split('\n')
    .map((l) => l.trim())
    .filter((l) => l !== '')
    .map((l, i) => {
      const [question = '', expected] = l.split('\t')
      return {
        id: String(i + 1),
        question: question.trim(),
        expect: expected ? [{ kind: 'cites' as const, values: [expected.trim()] }] : [],
      }
    })
}

async function questions(): Promise<Asking[]> {
  if (from.value === 'paste') return lines()
  const s = await ok(
    api.GET('/api/corpora/{corpus}/sets/{set}', { params: { path: { corpus: corpus.name, set: from.value } } }),
  )
  return (s.questions ?? []).map((q) => ({ id: q.id, question: q.question, turns: q.turns, expect: q.expect }))
}

async function run(): Promise<void> {
  stopped = false
  problem.value = ''
  rows.value = []
  try {
    const all = await questions()
    total.value = all.length
    done.value = 0
    for (let at = 0; at < all.length && !stopped; at += batch) {
      const placed = await ok(
        api.POST('/api/corpora/{corpus}/find/batch', {
          params: { path: { corpus: corpus.name } },
          body: {
            audience: find.audience,
            questions: all.slice(at, at + batch),
            variants: [find.asApplied, find.variant],
          },
        }),
      )
      for (const p of placed) {
        const [before, after] = p.under
        if (before !== undefined && after !== undefined)
          rows.value.push({ id: p.id, question: p.question, before, after })
      }
      done.value = Math.min(all.length, at + batch)
    }
  } catch (e) {
    problem.value = (e as Error).message
  }
  total.value = 0
}

function stop(): void {
  stopped = true
}

/** A missing candidate counts as the place after the last that was looked at. */
const place = (rank: number): number => (rank === 0 ? 21 : rank)
const gain = (r: Row): number => (r.before.rank < 0 ? 0 : place(r.before.rank) - place(r.after.rank))
const words = (rank: number): string => (rank < 0 ? '' : rank === 0 ? 'not in 20' : String(rank))

function change(r: Row): { text: string; tone: string } {
  const g = gain(r)
  if (r.before.rank < 0) {
    const moved = r.before.version !== r.after.version || r.before.span.start !== r.after.span.start
    return { text: moved ? 'different first result' : '', tone: 'caution' }
  }
  if (g === 0) return { text: '=', tone: 'muted' }
  return g > 0 ? { text: `gained ${g}`, tone: 'good' } : { text: `lost ${-g}`, tone: 'bad' }
}

const sums = computed(() => {
  const asked = rows.value.filter((r) => r.before.rank >= 0)
  const rate = (of: (r: Row) => number, k: number): string =>
    asked.length === 0
      ? '–'
      : `${Math.round((100 * asked.filter((r) => of(r) > 0 && of(r) <= k).length) / asked.length)} %`
  return {
    asked: asked.length,
    gained: rows.value.filter((r) => gain(r) > 0).length,
    lost: rows.value.filter((r) => gain(r) < 0).length,
    before: { hit1: rate((r) => r.before.rank, 1), hit5: rate((r) => r.before.rank, 5) },
    after: { hit1: rate((r) => r.after.rank, 1), hit5: rate((r) => r.after.rank, 5) },
  }
})

const sorted = computed(() => {
  const list = rows.value.filter((r) =>
    show.value === 'gained'
      ? gain(r) > 0
      : show.value === 'lost'
        ? gain(r) < 0
        : show.value === 'missed'
          ? r.after.rank === 0
          : true,
  )
  const value = (r: Row): string | number => {
    switch (sort.value.key) {
      case 'before':
        return place(r.before.rank)
      case 'after':
        return place(r.after.rank)
      case 'change':
        return gain(r)
    }
    return r.question.toLowerCase()
  }
  const sign = sort.value.down ? -1 : 1
  return [...list].sort((a, b) => {
    const x = value(a)
    const y = value(b)
    return (x < y ? -1 : x > y ? 1 : a.id < b.id ? -1 : 1) * sign
  })
})

const cell = (v: string | number): string => `"${String(v).replaceAll('"', '""')}"`

/** The list as it is shown, for a spreadsheet. */
function save(): void {
  const head = ['id', 'question', 'rank as applied', 'rank as tried', 'best chunk as tried']
  const body = sorted.value.map((r) => [
    r.id,
    r.question,
    words(r.before.rank),
    words(r.after.rank),
    [r.after.title, ...r.after.path].join(' › '),
  ])
  const csv = [head, ...body].map((row) => row.map(cell).join(',')).join('\r\n')
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([csv], { type: 'text/csv' }))
  link.download = 'ranks.csv'
  link.click()
  URL.revokeObjectURL(link.href)
}

function open(q: string): void {
  void router.push({ query: { q } })
}

onUnmounted(stop)
</script>

<template>
  <div class="stack">
    <form class="row" @submit.prevent="run">
      <ElSelect v-model="from" class="from" aria-label="Questions">
        <ElOption v-for="s in find.sets" :key="s.id" :value="s.id" :label="`${s.name} (${count(s.count)})`" />
        <ElOption value="paste" label="Pasted questions" />
      </ElSelect>
      <ElButton type="primary" native-type="submit" :disabled="total > 0 || (from === 'paste' && pasted.trim() === '')"
        >Rank them all</ElButton
      >
      <template v-if="total > 0">
        <progress :value="done" :max="total" aria-label="Questions ranked"></progress>
        <span class="muted figure" role="status">{{ done }} of {{ total }}</span>
        <ElButton @click="stop">Stop</ElButton>
      </template>
    </form>
    <ElInput
      v-if="from === 'paste'"
      v-model="pasted"
      type="textarea"
      :rows="6"
      aria-label="Questions, one on each line"
      placeholder="One question on each line; after a tab, the address or title of the document that answers it"
    />
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <p v-if="!find.changed && rows.length === 0" class="notice">
      Ranks each question's expected passage under the draft and under the settings being tried at the left.
    </p>
    <template v-if="rows.length > 0">
      <div class="row figure">
        <span
          ><b class="good">{{ sums.gained }}</b> gained, <b class="bad">{{ sums.lost }}</b> lost of
          {{ sums.asked }} with an expected passage</span
        >
        <span class="muted"
          >hit@1 {{ sums.before.hit1 }} → {{ sums.after.hit1 }} · hit@5 {{ sums.before.hit5 }} →
          {{ sums.after.hit5 }}</span
        >
        <ElSelect v-model="show" class="show" size="small" aria-label="Show">
          <ElOption value="all" label="All questions" />
          <ElOption value="gained" label="Improved" />
          <ElOption value="lost" label="Who lost" />
          <ElOption value="missed" label="Not found" />
        </ElSelect>
        <button class="linkish" @click="save">Save list as CSV</button>
      </div>
      <VirtualTable v-model:sort="sort" class="list" label="Questions" :rows="sorted" :columns="columns">
        <template #question="{ row }"
          ><button class="linkish" :title="row.question" @click="open(row.question)">
            {{ row.question }}
          </button></template
        >
        <template #before="{ row }">{{ words(row.before.rank) }}</template>
        <template #after="{ row }">{{ words(row.after.rank) }}</template>
        <template #change="{ row }"
          ><span :class="change(row).tone">{{ change(row).text }}</span></template
        >
        <template #best="{ row }"
          ><span :title="[row.after.title, ...row.after.path].join(' › ')">{{
            [row.after.title, ...row.after.path].join(' › ')
          }}</span></template
        >
      </VirtualTable>
    </template>
  </div>
</template>

<style scoped>
.from {
  width: 240px;
}
.show {
  width: 140px;
}
.list {
  height: calc(100vh - 270px);
  min-height: 240px;
}
progress {
  accent-color: var(--accent);
}
</style>
