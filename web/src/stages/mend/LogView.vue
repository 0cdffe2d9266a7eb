<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { api, ok } from '@/api/client'
import { outcomeNames } from '@/api/names'
import { count, languageName } from '@/api/words'
import VirtualTable, { type Column } from '@/components/VirtualTable.vue'
import { useCorpus } from '@/stores/corpus'
import { onKeys } from '@/stores/keys'
import ConversationView from './ConversationView.vue'
import HourStrip from './HourStrip.vue'
import ImportLog from './ImportLog.vue'
import { barsOf, dayKey, rangeOf, ranges, stamp } from './range'
import { endOf, markWords, useInAddress, type Line } from './store'
import type { Schema } from '@/api/client'

/** What users asked, one line a question, the newest first; the opened conversation beside it. */
const corpus = useCorpus()
const inAddress = useInAddress()
const when = inAddress('when', 'today')
const traffic = inAddress('traffic', 'users')
const outcome = inAddress('outcome')
const mark = inAddress('mark')
const thumb = inAddress('thumb')
const surface = inAddress('surface')
const language = inAddress('language')
const rule = inAddress('rule')
const page = inAddress('page')
const search = inAddress('q')
const opened = inAddress('open')
const sample = inAddress('sample')
const hide = inAddress('hide')
const more = ref(false)
const importing = ref(false)

const columns: Column[] = [
  { key: 'at', label: 'Time', width: '64px' },
  { key: 'end', label: 'Outcome', width: '104px' },
  { key: 'question', label: 'Question', width: '58%' },
  { key: 'mark', label: 'Mark', width: '146px' },
]
const lines = ref<Line[]>([])
const overview = ref<Schema['Overview']>()
const problem = ref('')
const ended = ref(false)
const picked = ref(new Set<string>())
const now = ref(new Date())

const range = computed(() => rangeOf(when.value, now.value))
const filter = computed(() => ({
  tests: traffic.value === 'tests',
  outcome: outcome.value,
  mark: mark.value as never,
  thumb: thumb.value as never,
  surface: surface.value,
  language: language.value,
  rule: rule.value,
  page: page.value,
  search: search.value,
  sample: sample.value,
  hide: hide.value === 'yes',
  ...(sample.value === '' ? { since: stamp(range.value.from), until: stamp(range.value.to) } : {}),
}))
const narrowed = computed(() =>
  [outcome, mark, thumb, surface, language, rule, page, search, sample].some((f) => f.value !== ''),
)
const bars = computed(() => barsOf(overview.value?.buckets ?? [], range.value))
const unread = computed(() => {
  const since = overview.value?.reviewed ?? ''
  return lines.value.filter((l) => l.at > since && l.reviewedAt === '').length
})

const batch = 500
let round = 0

async function load(older = false): Promise<void> {
  const mine = ++round
  const path = { corpus: corpus.name }
  const last = lines.value.at(-1)
  const before = older && last !== undefined ? `${last.at} ${last.id}` : ''
  try {
    const [got, all] = await Promise.all([
      ok(api.GET('/api/corpora/{corpus}/log', { params: { path, query: { ...filter.value, before, limit: batch } } })),
      older
        ? Promise.resolve(overview.value)
        : ok(api.GET('/api/corpora/{corpus}/log/overview', { params: { path, query: filter.value } })),
    ])
    if (mine !== round) return
    lines.value = older ? [...lines.value, ...got] : got
    overview.value = all
    ended.value = got.length < batch
    problem.value = ''
  } catch (e) {
    if (mine === round) problem.value = (e as Error).message
  }
}
const loadSoon = useDebounceFn(() => load(), 400, { maxWait: 1500 })
watch(filter, () => {
  picked.value = new Set()
  void load()
})

const at = (l: Line): string => {
  const d = new Date(l.at)
  return range.value.days === 1 && sample.value === ''
    ? d.toLocaleTimeString(undefined, { hour: '2-digit', minute: '2-digit' })
    : d.toLocaleDateString(undefined, { day: 'numeric', month: 'short' })
}
const current = computed(() => lines.value.find((l) => l.id === opened.value))
const conversation = computed(() => current.value?.conversation ?? '')

function step(by: number): void {
  const i = lines.value.findIndex((l) => l.id === opened.value)
  const next = lines.value[i < 0 ? 0 : i + by]
  if (next !== undefined) opened.value = next.id
}

async function say(what: Line['mark'], ids: string[], goOn: boolean): Promise<void> {
  if (ids.length === 0) return
  try {
    await ok(
      api.POST('/api/corpora/{corpus}/log/marks', {
        params: { path: { corpus: corpus.name } },
        body: { exchanges: ids, mark: what },
      }),
    )
    for (const l of lines.value)
      if (ids.includes(l.id)) {
        l.mark = what
        l.reviewedAt = new Date().toISOString()
      }
    if (goOn) step(1)
  } catch (e) {
    problem.value = (e as Error).message
  }
}

async function readAll(): Promise<void> {
  try {
    const got = await ok(api.POST('/api/corpora/{corpus}/log/reviewed', { params: { path: { corpus: corpus.name } } }))
    if (overview.value !== undefined) overview.value.reviewed = got.at
  } catch (e) {
    problem.value = (e as Error).message
  }
}

const exportOf = (form: string): string => {
  const q = new URLSearchParams({ form })
  for (const [k, v] of Object.entries(filter.value)) if (v !== '' && v !== false) q.set(k, String(v))
  return `/api/corpora/${encodeURIComponent(corpus.name)}/log/export?${q}`
}

const marks: Record<string, Line['mark']> = { a: 'right', w: 'wrong', d: 'doubtful', r: '' }
const stops: (() => void)[] = []
onMounted(() => {
  stops.push(
    onKeys((key) => {
      const m = marks[key]
      if (m !== undefined && current.value !== undefined) void say(m, [current.value.id], true)
      else return false
      return true
    }),
    corpus.on('talk', () => {
      now.value = new Date()
      void loadSoon()
    }),
  )
  void load()
})
onUnmounted(() => stops.forEach((s) => s()))

function openDay(d: Date): void {
  when.value = dayKey(d)
}
const clear = (): void => {
  for (const f of [outcome, mark, thumb, surface, language, rule, page, search, sample]) f.value = ''
}
const newest = computed(() => {
  const n = overview.value?.newest ?? ''
  return n === '' ? undefined : new Date(n)
})
</script>

<template>
  <div class="log">
    <section class="list" aria-label="Log">
      <div class="row">
        <ElSelect
          v-model="when"
          class="when"
          aria-label="Time"
          :disabled="sample !== ''"
          :title="Intl.DateTimeFormat().resolvedOptions().timeZone"
        >
          <ElOption v-for="r in ranges" :key="r.key" :value="r.key" :label="r.label" />
          <ElOption
            v-if="/^\d{4}-/.test(when)"
            :value="when"
            :label="range.from.toLocaleDateString(undefined, { dateStyle: 'medium' })"
          />
        </ElSelect>
        <ElSelect v-model="traffic" class="traffic" aria-label="Whose questions">
          <ElOption value="users" label="Users" />
          <ElOption value="tests" label="Tests by staff" />
        </ElSelect>
        <ElSelect
          v-model="outcome"
          class="outcome"
          aria-label="Outcome"
          placeholder="Any outcome"
          :empty-values="[null, undefined]"
        >
          <ElOption value="" label="Any outcome" />
          <ElOption v-for="(label, key) in outcomeNames" :key="key" :value="key" :label="label" />
        </ElSelect>
        <ElInput
          :model-value="search"
          class="grow"
          clearable
          placeholder="Search questions and replies"
          aria-label="Search questions and replies"
          @change="(v: string) => (search = v)"
        />
        <button class="linkish" :aria-expanded="more" @click="more = !more">More filters</button>
      </div>
      <div v-if="more" class="row">
        <ElSelect
          v-model="mark"
          class="outcome"
          aria-label="Mark"
          placeholder="Any mark"
          :empty-values="[null, undefined]"
        >
          <ElOption value="" label="Any mark" />
          <ElOption value="none" label="Not marked" />
          <ElOption value="right" label="Right" />
          <ElOption value="wrong" label="Wrong" />
          <ElOption value="doubtful" label="Doubtful" />
        </ElSelect>
        <ElSelect
          v-model="thumb"
          class="outcome"
          aria-label="Thumb"
          placeholder="Any thumb"
          :empty-values="[null, undefined]"
        >
          <ElOption value="" label="Any thumb" />
          <ElOption value="up" label="Thumb up" />
          <ElOption value="down" label="Thumb down" />
        </ElSelect>
        <ElSelect
          v-model="surface"
          class="outcome"
          aria-label="Where it was asked"
          placeholder="Anywhere"
          :empty-values="[null, undefined]"
        >
          <ElOption value="" label="Anywhere" />
          <ElOption v-for="s in overview?.surfaces ?? []" :key="s" :value="s" :label="s" />
        </ElSelect>
        <ElSelect
          v-model="language"
          class="outcome"
          aria-label="Language"
          placeholder="Any language"
          :empty-values="[null, undefined]"
        >
          <ElOption value="" label="Any language" />
          <ElOption v-for="l in overview?.languages ?? []" :key="l" :value="l" :label="languageName(l)" />
        </ElSelect>
        <ElSelect
          v-model="rule"
          class="outcome"
          aria-label="House rule"
          placeholder="Any rule"
          :empty-values="[null, undefined]"
        >
          <ElOption value="" label="Any rule" />
          <ElOption v-for="r in overview?.rules ?? []" :key="r" :value="r" :label="r" />
        </ElSelect>
        <ElInput
          :model-value="page"
          class="outcome"
          clearable
          placeholder="Asked on page"
          aria-label="Asked on page"
          @change="(v: string) => (page = v)"
        />
        <ElCheckbox :model-value="hide === 'yes'" @update:model-value="(v) => (hide = v === true ? 'yes' : '')"
          >Hide personal data</ElCheckbox
        >
      </div>
      <p v-if="sample !== ''" class="notice">
        A random sample. Mark each reply right (a), wrong (w) or doubtful (d).
        <button class="linkish" @click="sample = ''">Back to the whole log</button>
      </p>
      <HourStrip v-else :bars="bars" :by-hour="range.days === 1" @open="openDay" />
      <p v-if="problem !== ''" class="notice bad" role="alert">
        {{ problem }} <button class="linkish" @click="load()">Try again</button>
      </p>
      <div class="row tools">
        <template v-if="picked.size > 0">
          <b>{{ count(picked.size) }} selected</b>
          <ElButton size="small" @click="say('right', [...picked], false)">Right</ElButton>
          <ElButton size="small" @click="say('wrong', [...picked], false)">Wrong</ElButton>
          <ElButton size="small" @click="say('', [...picked], false)">Read</ElButton>
        </template>
        <template v-else>
          <span class="muted">{{ count(unread) }} not reviewed</span>
          <button v-if="unread > 0" class="linkish" @click="readAll">I have read all of it</button>
        </template>
        <span class="grow" />
        <button class="linkish" @click="importing = true">Import conversations</button>
        <span v-if="lines.length > 0" class="muted"
          >Export: <a :href="exportOf('jsonl')" download>JSONL</a>, <a :href="exportOf('csv')" download>CSV</a></span
        >
      </div>
      <p v-if="overview !== undefined && lines.length === 0" class="notice">
        <template v-if="narrowed">
          Nothing matches these filters. <button class="linkish" @click="clear">Clear the filters</button>
        </template>
        <template v-else-if="newest !== undefined">
          Nothing was asked in this time. The last question came on
          <button class="linkish" @click="openDay(newest)">
            {{ newest.toLocaleDateString(undefined, { dateStyle: 'long' }) }}</button>.
        </template>
        <template v-else-if="traffic === 'users'">
          No conversations yet. What users ask is listed here.
          <button class="linkish" @click="importing = true">Import conversations</button> from elsewhere, or look at
          <button class="linkish" @click="traffic = 'tests'">your own tests</button>.
        </template>
        <template v-else>Nothing was asked in the ask strip yet.</template>
      </p>
      <VirtualTable
        v-else
        v-model:picked="picked"
        class="rows"
        :rows="lines"
        :columns="columns"
        :sort="{ key: 'at', down: true }"
        label="Questions"
        :current="opened"
        @at="(row) => (opened = row.id)"
      >
        <template #at="{ row }"
          ><span class="figure" :title="new Date(row.at).toLocaleString()">{{ at(row) }}</span></template
        >
        <template #end="{ row }"
          ><span :class="endOf(row).tone">{{ endOf(row).text }}</span></template
        >
        <template #question="{ row }">
          <button
            class="linkish line"
            :class="{ open: row.id === opened, unread: row.reviewedAt === '' && row.at > (overview?.reviewed ?? '') }"
            :title="row.question"
            @click="opened = row.id"
          >
            <bdi>{{ row.question }}</bdi>
          </button>
        </template>
        <template #mark="{ row }">
          <span :class="{ good: row.mark === 'right', bad: row.mark === 'wrong', caution: row.mark === 'doubtful' }">{{
            markWords[row.mark]
          }}</span>
          <span v-if="row.thumb !== ''" :class="row.thumb === 'up' ? 'good' : 'bad'"> thumb {{ row.thumb }}</span>
          <span v-if="row.snag !== ''" class="muted"> snag</span>
        </template>
      </VirtualTable>
      <p v-if="!ended && lines.length > 0" class="older">
        <button class="linkish" @click="load(true)">Show older questions</button>
      </p>
    </section>
    <ConversationView
      v-if="conversation !== ''"
      :key="conversation"
      :conversation="conversation"
      :exchange="opened"
      :hide="hide === 'yes'"
      @say="(m, id) => say(m, [id], false)"
      @close="opened = ''"
    />
    <p v-else-if="lines.length > 0" class="notice aside">
      Open a question to read its conversation. Keys: j and k go through the list, a marks right, w wrong, d doubtful, r
      just read.
    </p>
    <ImportLog v-if="importing" @close="importing = false" />
  </div>
</template>

<style scoped>
.log {
  display: grid;
  grid-template-columns: minmax(520px, 1.15fr) minmax(360px, 1fr);
  gap: 16px;
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
.when {
  width: 132px;
}
.traffic {
  width: 122px;
}
.outcome {
  width: 140px;
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
.line.unread {
  font-weight: 650;
}
.line.open {
  color: var(--accent);
  text-decoration: underline;
}
.aside {
  align-self: start;
  margin: 0;
}
.older {
  margin: 0 0 6px;
}
</style>
