<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { api, ok } from '@/api/client'
import { causeNames } from '@/api/names'
import { count, moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import VirtualTable, { type Column } from '@/components/VirtualTable.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import SnagView from './SnagView.vue'
import { snagKinds, snagStates, useInAddress, type Snag } from './store'

/** What went wrong, one line for what many asked; the opened one beside it. */
const corpus = useCorpus()
const inAddress = useInAddress()
const shown = inAddress('state', 'open')
const search = inAddress('q')
const opened = inAddress('open')
const failed = ref('')
const { value, problem, state, load } = useAsk(() =>
  ok(api.GET('/api/corpora/{corpus}/snags', { params: { path: { corpus: corpus.name } } })),
)

const columns: Column[] = [
  { key: 'title', label: 'What is asked', width: '54%', sortable: true },
  { key: 'asked', label: 'Asked', width: '78px', sortable: true, align: 'right' },
  { key: 'kind', label: 'What is wrong', width: '124px', sortable: true },
  { key: 'last', label: 'Last', width: '76px', sortable: true },
  { key: 'owner', label: 'Who', width: '70px', sortable: true },
]
const sort = ref({ key: 'asked', down: true })
const counts = computed(() => {
  const out: Record<string, number> = {}
  for (const s of value.value ?? []) out[s.state] = (out[s.state] ?? 0) + 1
  return out
})
const rows = computed(() => {
  const q = search.value.toLowerCase()
  const list = (value.value ?? []).filter(
    (s) => (shown.value === 'all' || s.state === shown.value) && (q === '' || s.title.toLowerCase().includes(q)),
  )
  const { key, down } = sort.value
  const of = (s: Snag): string | number => (s[key as keyof Snag] ?? '') as string | number
  return list.sort((a, b) => {
    const x = of(a)
    const y = of(b)
    return (x < y ? -1 : x > y ? 1 : 0) * (down ? -1 : 1)
  })
})
const wrongWith = (s: Snag): string =>
  s.cause === '' ? snagKinds[s.kind] : (causeNames[s.cause as keyof typeof causeNames] ?? s.cause)
const today = new Date().toISOString().slice(0, 10)

async function gather(): Promise<void> {
  try {
    await ok(api.POST('/api/corpora/{corpus}/snags/gather', { params: { path: { corpus: corpus.name } } }))
    failed.value = ''
  } catch (e) {
    failed.value = (e as Error).message
  }
}

const stops: (() => void)[] = []
onMounted(() => stops.push(corpus.on('talk', () => void load())))
onUnmounted(() => stops.forEach((s) => s()))
const exported = computed(() => {
  const cell = (s: string | number): string => {
    const t = String(s)
    return `"${(/^[=+\-@\t\r]/.test(t) ? `'${t}` : t).replaceAll('"', '""')}"`
  }
  const lines = rows.value.map((s) =>
    [s.title, s.asked, s.visitors, s.state, wrongWith(s), s.owner, s.due, s.note, s.first, s.last].map(cell).join(','),
  )
  const head = 'question,asked,conversations,state,what is wrong,who,due,note,first,last'
  return `data:text/csv;charset=utf-8,${encodeURIComponent([head, ...lines].join('\r\n'))}`
})
</script>

<template>
  <div class="snags" :class="{ beside: opened !== '' }">
    <section class="list" aria-label="Snags">
      <div class="row">
        <ElSelect v-model="shown" class="state" aria-label="State">
          <ElOption
            v-for="(label, key) in snagStates"
            :key="key"
            :value="key"
            :label="`${label} (${counts[key] ?? 0})`"
          />
          <ElOption value="all" label="all" />
        </ElSelect>
        <ElInput
          :model-value="search"
          class="grow"
          clearable
          placeholder="Search snags"
          aria-label="Search snags"
          @input="(v: string) => (search = v)"
        />
        <ElButton @click="gather">Gather now</ElButton>
        <a v-if="rows.length > 0" :href="exported" download="snags.csv">Export as CSV</a>
      </div>
      <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
      <AskState :state="state" what="the snags" :problem="problem" @again="load">
        <p v-if="(value ?? []).length === 0" class="notice">
          No snags yet. Questions of users without an answer, replies with a thumb down and replies marked wrong are
          gathered here every quarter of an hour, like questions as one line.
          <button class="linkish" @click="gather">Gather now</button>
        </p>
        <p v-else-if="rows.length === 0" class="notice">No snag is {{ snagStates[shown as 'open'] ?? shown }} here.</p>
        <VirtualTable v-else v-model:sort="sort" class="rows" :rows="rows" :columns="columns" label="Snags">
          <template #title="{ row }">
            <button
              class="linkish line"
              :class="{ open: row.id === opened }"
              :title="row.title"
              @click="opened = row.id"
            >
              <bdi>{{ row.title }}</bdi>
            </button>
          </template>
          <template #asked="{ row }">
            <span class="figure" :title="`${count(row.asked)} times in ${count(row.visitors)} conversations`">{{
              row.asked > 0 ? count(row.asked) : '–'
            }}</span>
          </template>
          <template #kind="{ row }">
            <span :class="row.kind === 'wrong' ? 'bad' : 'caution'">{{ wrongWith(row) }}</span>
            <span v-if="row.due !== '' && row.due < today && row.state === 'open'" class="bad"> overdue</span>
          </template>
          <template #last="{ row }">
            <span class="figure" :title="moment(row.last).text">{{
              new Date(row.last).toLocaleDateString(undefined, { day: 'numeric', month: 'short' })
            }}</span>
          </template>
          <template #owner="{ row }">{{ row.owner }}</template>
        </VirtualTable>
      </AskState>
    </section>
    <SnagView v-if="opened !== ''" :key="opened" :snag="opened" :all="value ?? []" @gone="opened = ''" />
  </div>
</template>

<style scoped>
.snags {
  display: grid;
  grid-template-columns: 1fr;
  gap: 16px;
}
.snags.beside {
  grid-template-columns: minmax(440px, 1fr) minmax(420px, 1.15fr);
}
.list {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
}
.rows {
  flex: 1;
  min-height: 120px;
}
.rows :deep(table) {
  min-width: 0;
}
.state {
  width: 200px;
}
.grow {
  flex: 1;
  min-width: 120px;
}
.line {
  text-decoration: none;
  color: var(--ink);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  max-width: 100%;
}
.line.open {
  color: var(--accent);
  text-decoration: underline;
}
</style>
