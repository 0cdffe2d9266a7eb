<script setup lang="ts">
import { useDebounceFn, useScroll } from '@vueuse/core'
import { computed, nextTick, onMounted, onUnmounted, ref, shallowRef, useTemplateRef } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count, moment } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import ProposalList from './ProposalList.vue'
import QuestionForm from './QuestionForm.vue'
import StressKit from './StressKit.vue'
import { beyond, blank, cells, columns, editOf, freshId, paste } from './grid'
import { useProve, type Question } from './store'

/** The questions of a set as a sheet: arrows move, typing writes, a copied table is pasted; everything can be undone. */
const corpus = useCorpus()
const prove = useProve()
/** The set that this sheet shows: another may be chosen before the last change of this one is saved. */
const mine = prove.inSet()
const key = `${mine.corpus}/${mine.set}`
let version = ''
const list = shallowRef<Question[]>([])
/** The set as it is kept; its questions are the same objects as those of the sheet that have not changed. */
const saved = shallowRef<Question[]>([])
const past = shallowRef<Question[][]>([])
/** How many questions the set holds while they are still coming in, page by page; nothing is changed meanwhile. */
const coming = ref(0)
const at = ref({ row: 0, col: 0 })
const editing = ref<string>()
const picked = ref(new Set<string>())
const find = ref('')
const openId = ref('')
const refused = ref('')
const doubts = ref<Schema['Doubt'][]>([])
const problems = ref<Schema['Problem'][]>([])
const history = ref<Schema['SetVersion'][]>()
const beside = ref<'' | 'proposals' | 'history'>('')
const tag = ref('')

const shown = computed(() => {
  const words = find.value.trim().toLowerCase()
  return list.value
    .map((q, i) => ({ q, i }))
    .filter(
      ({ q }) => words === '' || JSON.stringify([q.id, q.question, q.tags, q.expect]).toLowerCase().includes(words),
    )
})
const open = computed(() => list.value.find((q) => q.id === openId.value))
const more = (q: Question): string => (beyond(q) > 0 ? `Edit, ${beyond(q)} more` : 'Edit')
const doubtful = computed(() => new Set(doubts.value.map((d) => d.question)))
const wrong = computed(() => new Map(problems.value.map((p) => [p.question, p.what])))
/** The questions whose expected passages are in none of their pages any more, each once. */
const lost = computed(() => [
  ...new Map(doubts.value.filter((d) => d.lost.length > 0).map((d) => [d.question, d])).values(),
])
/** What is saved of the sheet: rows without anything in them are not. */
const filled = computed(() => list.value.filter((q) => !blank(q)))
const unsaved = computed(
  () => filled.value.length !== saved.value.length || filled.value.some((q, i) => q !== saved.value[i]),
)

const height = 32
const room = useTemplateRef<HTMLElement>('room')
const { y } = useScroll(room)
const from = computed(() => Math.max(0, Math.floor(y.value / height) - 10))
const slice = computed(() => shown.value.slice(from.value, from.value + 60))

/** The first page is there at once, the others follow. */
const pages = { first: 500, next: 5000 }

async function load(): Promise<void> {
  if (prove.set === '') return // the first question makes the set
  past.value = []
  version = ''
  let got: Question[] = []
  for (;;) {
    const query = { from: got.length, limit: got.length === 0 ? pages.first : pages.next }
    const page = await prove.attempt(() =>
      ok(api.GET('/api/corpora/{corpus}/sets/{set}', { params: { path: mine, query } })),
    )
    if (page === undefined) break
    if (version !== '' && page.version !== version)
      got = [] // somebody changed it: from the beginning
    else got = [...got, ...(page.questions ?? [])]
    version = page.version
    list.value = got
    coming.value = page.count
    if (got.length >= page.count || (page.questions ?? []).length === 0) break
  }
  coming.value = 0
  saved.value = list.value
  const left = prove.drafts[key]
  if (left !== undefined) {
    list.value = left.list // what could not be saved when the sheet was left
    version = left.version
    refused.value = left.why
    corpus.unapplied = 'Set not saved'
  }
  doubts.value =
    (await prove.attempt(() => ok(api.GET('/api/corpora/{corpus}/sets/{set}/doubts', { params: { path: mine } })))) ??
    []
  await check()
}

/** Looks for questions that cannot be meant as they are written. */
async function check(): Promise<void> {
  problems.value =
    (await prove.attempt(() => ok(api.GET('/api/corpora/{corpus}/sets/{set}/problems', { params: { path: mine } })))) ??
    []
}

let saving = false

async function save(): Promise<void> {
  if (!unsaved.value) return
  if (saving) return void saveSoon() // one after another: each names the version that it replaces
  saving = true
  const body = filled.value
  corpus.saving++
  try {
    const put = await ok(
      version === '' || body.length === 0
        ? api.PUT('/api/corpora/{corpus}/sets/{set}', { params: { path: mine, query: { over: version } }, body })
        : api.PATCH('/api/corpora/{corpus}/sets/{set}', {
            params: { path: mine },
            body: { over: version, ...editOf(saved.value, body) },
          }),
    )
    version = put.version
    saved.value = body
    Reflect.deleteProperty(prove.drafts, key)
    refused.value = ''
    corpus.unapplied = ''
    await prove.load()
    await check()
  } catch (e) {
    refused.value = (e as Error).message
    corpus.unapplied = 'Set not saved'
    prove.drafts[key] = { list: body, version, why: refused.value }
  }
  corpus.saving--
  saving = false
}
const saveSoon = useDebounceFn(save, 600)

/** Puts another list in place of this one, so that it can be undone. */
function change(next: Question[]): void {
  if (coming.value > 0) return
  past.value = [...past.value.slice(-99), list.value]
  list.value = next
  void saveSoon()
}

function undo(): void {
  const last = past.value.at(-1)
  if (last === undefined) return
  past.value = past.value.slice(0, -1)
  list.value = last
  void saveSoon()
}

function commit(): void {
  const row = shown.value[at.value.row]
  const col = columns[at.value.col]
  const text = editing.value
  editing.value = undefined
  if (row === undefined || col === undefined || text === undefined || text === col.read(row.q)) return
  change(list.value.map((q, i) => (i === row.i ? col.write(q, text) : q)))
}

async function move(rows: number, cols: number): Promise<void> {
  at.value = {
    row: Math.min(Math.max(0, at.value.row + rows), Math.max(0, shown.value.length - 1)),
    col: Math.min(Math.max(0, at.value.col + cols), columns.length - 1),
  }
  const el = room.value
  const top = at.value.row * height
  if (el !== null && top < el.scrollTop) el.scrollTop = top
  if (el !== null && top + 3 * height > el.scrollTop + el.clientHeight)
    el.scrollTop = top + 3 * height - el.clientHeight
  await nextTick()
  cell()?.focus({ preventScroll: true })
}

const cell = (): HTMLElement | null =>
  room.value?.querySelector<HTMLElement>(`[data-at="${at.value.row}-${at.value.col}"]`) ?? null

async function begin(text?: string): Promise<void> {
  const row = shown.value[at.value.row]
  const col = columns[at.value.col]
  if (row === undefined || col === undefined) return
  editing.value = text ?? col.read(row.q)
  await nextTick()
  room.value?.querySelector<HTMLInputElement>('input.edit')?.focus()
}

function keys(e: KeyboardEvent): void {
  if (editing.value !== undefined) {
    if (e.key === 'Enter' || e.key === 'Tab') {
      e.preventDefault()
      commit()
      void move(e.key === 'Enter' ? 1 : 0, e.key === 'Tab' ? (e.shiftKey ? -1 : 1) : 0)
    } else if (e.key === 'Escape') {
      e.stopPropagation()
      editing.value = undefined
      void move(0, 0)
    }
    return
  }
  const arrows: Record<string, [number, number]> = {
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
    PageDown: [15, 0],
    PageUp: [-15, 0],
  }
  const step = arrows[e.key]
  if ((e.ctrlKey || e.metaKey) && e.key === 'z') undo()
  else if (step !== undefined) void move(...step)
  else if (e.key === 'Enter' || e.key === 'F2') void begin()
  else if (e.key === 'Delete' || e.key === 'Backspace') {
    editing.value = ''
    commit()
  } else if (e.key === ' ' && !e.ctrlKey) pick()
  else if (e.key.length === 1 && !e.ctrlKey && !e.metaKey && !e.altKey) {
    void begin('') // the field has the focus before the letter is typed
    e.stopPropagation()
    return
  } else return
  e.preventDefault()
  e.stopPropagation()
}

function pasted(e: ClipboardEvent): void {
  if (editing.value !== undefined) return
  const text = e.clipboardData?.getData('text/plain') ?? ''
  const row = shown.value[at.value.row]
  if (text === '') return
  e.preventDefault()
  change(paste(list.value, row?.i ?? list.value.length, at.value.col, cells(text)))
}

function pick(id = shown.value[at.value.row]?.q.id): void {
  if (id === undefined) return
  const next = new Set(picked.value)
  if (!next.delete(id)) next.add(id)
  picked.value = next
}

/** Puts the cursor into a new row; an empty one that is there already is taken. */
async function fresh(): Promise<void> {
  find.value = ''
  let row = list.value.findIndex(blank)
  if (row < 0) {
    const id = freshId(new Set(list.value.map((q) => q.id)))
    change([...list.value, { id, question: '', expect: [] }])
    row = list.value.length - 1
  }
  at.value = { row, col: 0 }
  await nextTick()
  await move(0, 0)
  await nextTick() // the rows around the new place are drawn now
  await begin()
}

function tagPicked(): void {
  const t = tag.value.trim()
  if (t === '') return
  change(
    list.value.map((q) =>
      picked.value.has(q.id) && !(q.tags ?? []).includes(t) ? { ...q, tags: [...(q.tags ?? []), t] } : q,
    ),
  )
  tag.value = ''
}

function drop(): void {
  change(list.value.filter((q) => !picked.value.has(q.id)))
  picked.value = new Set()
}

function replace(q: Question): void {
  change(list.value.map((x) => (x.id === openId.value ? q : x)))
  openId.value = ''
}

/** Gives up what could not be saved. */
async function giveUp(): Promise<void> {
  Reflect.deleteProperty(prove.drafts, key)
  refused.value = ''
  corpus.unapplied = ''
  await load()
}

async function added(): Promise<void> {
  await prove.load()
  await load()
}

async function look(what: 'proposals' | 'history'): Promise<void> {
  beside.value = beside.value === what ? '' : what
  if (beside.value === 'history') {
    history.value = await prove.attempt(() =>
      ok(api.GET('/api/corpora/{corpus}/sets/{set}/history', { params: { path: mine } })),
    )
  }
}

async function restore(v: string): Promise<void> {
  await prove.attempt(() =>
    ok(api.POST('/api/corpora/{corpus}/sets/{set}/history/{at}', { params: { path: { ...mine, at: v } } })),
  )
  beside.value = ''
  await added()
}

onMounted(load)
onUnmounted(() => void save()) // what cannot be saved stays, and the draft mark says so
</script>

<template>
  <div class="row">
    <ElInput
      v-model="find"
      class="find"
      placeholder="Search the questions"
      aria-label="Search the questions"
      clearable
    />
    <ElButton :disabled="coming > 0" @click="fresh">New question</ElButton>
    <ElButton :disabled="past.length === 0" @click="undo">Undo</ElButton>
    <ElButton :aria-pressed="beside === 'proposals'" @click="look('proposals')">Proposals</ElButton>
    <ElButton :disabled="prove.set === ''" :aria-pressed="beside === 'history'" @click="look('history')"
      >History</ElButton
    >
    <span v-if="coming > 0" class="muted" role="status">
      {{ count(list.length) }} of {{ count(coming) }} so far; the sheet can be changed when all are here
    </span>
    <span v-else class="muted figure">{{ count(shown.length) }} of {{ count(list.length) }}</span>
    <span v-if="coming === 0 && !unsaved && list.length > 0" class="good">saved</span>
  </div>
  <p v-if="refused !== ''" class="notice bad" role="alert">
    Not saved: {{ refused }}. <button class="linkish" @click="giveUp">Discard my changes</button>
  </p>
  <div v-if="problems.length > 0" class="notice caution">
    <p>
      {{
        wrong.size === 1
          ? '1 question cannot be meant as it is written:'
          : `${count(wrong.size)} questions cannot be meant as they are written:`
      }}
    </p>
    <ul>
      <li v-for="p in problems.slice(0, 8)" :key="p.question + p.what">
        <button class="linkish" @click="openId = p.question">{{ p.question }}</button>: {{ p.what }}
      </li>
      <li v-if="problems.length > 8">and {{ count(problems.length - 8) }} more, marked in the sheet</li>
    </ul>
  </div>
  <div v-if="doubts.length > 0" class="notice caution">
    <p>
      {{
        doubtful.size === 1
          ? '1 question expects something of a page that has changed since it was written; it is marked.'
          : `${count(doubtful.size)} questions expect something of a page that has changed since they were written; they are marked.`
      }}
      <template v-if="lost.length === 0">What they expect still stands there.</template>
      <template v-else
        ><b>{{ count(lost.length) }} of them</b> expect what their pages do not hold any more:</template
      >
    </p>
    <ul v-if="lost.length > 0">
      <li v-for="l in lost.slice(0, 20)" :key="l.question">
        <button class="linkish" @click="openId = l.question">{{ l.question }}</button>: “{{ l.lost.join('”, “') }}”
      </li>
      <li v-if="lost.length > 20">and {{ count(lost.length - 20) }} more</li>
    </ul>
  </div>
  <div v-if="picked.size > 0" class="row notice">
    <b class="figure">{{ picked.size }} selected</b>
    <ElInput v-model="tag" class="tag" placeholder="tag" aria-label="Tag for the selected" @keyup.enter="tagPicked" />
    <ElButton size="small" @click="tagPicked">Tag them</ElButton>
    <ElButton size="small" @click="drop">Delete them</ElButton>
    <button class="linkish" @click="picked = new Set()">select none</button>
  </div>
  <ProposalList v-if="beside === 'proposals'" @added="added" />
  <table v-else-if="beside === 'history'" class="plain">
    <thead>
      <tr>
        <th>When</th>
        <th>Why</th>
        <th>What changed</th>
        <th />
      </tr>
    </thead>
    <tbody>
      <tr v-for="(v, i) in history ?? []" :key="v.at">
        <td :title="moment(v.at).zone">{{ moment(v.at).text }}</td>
        <td>{{ v.why }}</td>
        <td class="muted">
          {{ count(v.count) }} questions; {{ v.added.length }} added, {{ v.changed.length }} changed,
          {{ v.dropped.length }} dropped
        </td>
        <td><button v-if="i > 0" class="linkish" @click="restore(v.at)">bring back</button></td>
      </tr>
    </tbody>
  </table>
  <div v-if="open" class="stack open">
    <QuestionForm :question="open" save="Save" @save="replace" @cancel="openId = ''" />
    <StressKit :question="open" @added="added" />
  </div>
  <div ref="room" class="room" role="grid" aria-label="Questions" tabindex="-1" @keydown="keys" @paste="pasted">
    <div class="line head" role="row">
      <span class="mark" role="columnheader"><span class="sr">Selected</span></span>
      <span v-for="c in columns" :key="c.key" role="columnheader" :style="{ flexBasis: c.width }">{{ c.label }}</span>
      <span class="more" role="columnheader">More</span>
    </div>
    <div :style="{ height: `${from * height}px` }" />
    <div
      v-for="({ q }, k) in slice"
      :key="q.id"
      class="line"
      role="row"
      :title="wrong.get(q.id)"
      :class="{ doubtful: doubtful.has(q.id) || wrong.has(q.id), picked: picked.has(q.id) }"
    >
      <span class="mark" role="gridcell">
        <input
          type="checkbox"
          tabindex="-1"
          :checked="picked.has(q.id)"
          :aria-label="`Select ${q.id}`"
          @change="pick(q.id)"
        />
      </span>
      <template v-for="(c, n) in columns" :key="c.key">
        <input
          v-if="editing !== undefined && at.row === from + k && at.col === n"
          v-model="editing"
          class="edit"
          :style="{ flexBasis: c.width }"
          :aria-label="`${c.label} of ${q.id}`"
          @blur="commit"
        />
        <span
          v-else
          role="gridcell"
          class="cell"
          :style="{ flexBasis: c.width }"
          :tabindex="at.row === from + k && at.col === n ? 0 : -1"
          :data-at="`${from + k}-${n}`"
          :title="c.read(q)"
          @focus="at = { row: from + k, col: n }"
          @dblclick="begin()"
          @click="at = { row: from + k, col: n }"
          >{{ c.read(q) }}</span
        >
      </template>
      <span class="more" role="gridcell">
        <button
          class="linkish"
          tabindex="-1"
          :aria-label="`${more(q)} ${q.id}`"
          @click="openId = q.id === openId ? '' : q.id"
        >
          {{ more(q) }}
        </button>
      </span>
    </div>
    <div :style="{ height: `${Math.max(0, shown.length - from - slice.length) * height}px` }" />
  </div>
  <p class="muted">
    Arrows move, typing or Enter edits, Tab goes on; paste a table copied from a spreadsheet; alternatives stand with |
    between.
  </p>
</template>

<style scoped>
.find {
  width: 240px;
}
.tag {
  width: 140px;
}
.room {
  height: 56vh;
  min-height: 220px;
  overflow: auto;
  background: var(--raised);
  border: 1px solid var(--line);
}
.line {
  display: flex;
  height: 32px;
  border-bottom: 1px solid var(--line);
  min-width: 760px;
}
.head {
  position: sticky;
  top: 0;
  z-index: 1;
  background: var(--sunk);
  font-weight: 600;
  font-size: 12.5px;
  color: var(--muted);
}
.line > * {
  flex: 1 1 auto;
  min-width: 0;
  padding: 5px 8px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.line > .mark,
.line > .more {
  flex: 0 0 34px;
  padding: 5px 4px 5px 8px;
}
.line > .more {
  flex-basis: 52px;
}
.cell {
  border-left: 1px solid var(--line);
}
.cell:focus {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
input.edit {
  border: 2px solid var(--accent);
  font: inherit;
  color: var(--ink);
  background: var(--raised);
}
.picked {
  background: var(--accent-soft);
}
.doubtful {
  box-shadow: inset 4px 0 0 var(--caution);
}
.open {
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 12px 16px;
}
</style>
