<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef, watch } from 'vue'
import { useRouter, type RouteLocationRaw } from 'vue-router'
import { api, ok } from '@/api/client'
import { moment, shortAddress } from '@/api/words'
import { stages } from '@/router'
import { useCorpus } from '@/stores/corpus'
import { setSingleKeys, singleKeys } from '@/stores/keys'
import { theme } from '@/stores/theme'
import { matches, type Entry } from './palette'

/** Finds any document, question, run, setting or action of the corpus by a few letters of its words. */
const corpus = useCorpus()
const router = useRouter()
const open = ref(false)
const words = ref('')
const at = ref(0)
const entries = ref<Entry[]>([])
const problem = ref('')
const input = useTemplateRef<HTMLInputElement>('input')
let from: HTMLElement | null = null

const params = computed(() => ({ corpus: corpus.name }))

function go(kind: string, label: string, to: RouteLocationRaw, more = ''): Entry {
  return { kind, label, more, act: () => void router.push(to) }
}

function actions(): Entry[] {
  const own = stages.map((s, i) =>
    go('Stage', s.label, { name: s.key, params: params.value }, `${s.asks} (key ${i + 1})`),
  )
  const gather = [
    go('Action', 'Add a source', { name: 'add', params: params.value }, 'site, sitemap, files, text, pairs'),
    go('Action', 'Content checks', { name: 'checks', params: params.value }),
    go('Action', 'What changed in the sources', { name: 'changes', params: params.value }),
    go('Action', 'Rank many questions', { name: 'find', params: params.value, query: { view: 'many' } }),
    go('Action', 'What each part of the method is worth', {
      name: 'find',
      params: params.value,
      query: { view: 'worth' },
    }),
    go('Action', 'Compare two ways of cutting', { name: 'shape', params: params.value, query: { sides: 'yes' } }),
    go('Action', 'All corpora', '/'),
  ]
  const looks: Entry[] = (['light', 'dark', 'system'] as const).map((t) => ({
    kind: 'Action',
    label: t === 'system' ? 'Theme as the system has it' : `${t === 'dark' ? 'Dark' : 'Light'} theme`,
    more: theme.value === t ? 'in force' : '',
    act: () => (theme.value = t),
  }))
  const keys: Entry = {
    kind: 'Action',
    label: singleKeys.value ? 'Switch single-key shortcuts off' : 'Switch single-key shortcuts on',
    more: '1 to 7, /, j, k, x, ?',
    act: () => setSingleKeys(!singleKeys.value),
  }
  return [...own, ...gather, ...looks, keys]
}

async function load(): Promise<void> {
  const path = params.value
  entries.value = actions()
  try {
    const [list, sets, runs, fields] = await Promise.all([
      ok(api.GET('/api/corpora/{corpus}/documents', { params: { path, query: { limit: 10_000 } } })),
      ok(api.GET('/api/corpora/{corpus}/sets', { params: { path } })),
      ok(api.GET('/api/corpora/{corpus}/runs', { params: { path, query: {} } })),
      ok(api.GET('/api/settings')),
    ])
    const questions = await Promise.all(
      sets.map((s) => ok(api.GET('/api/corpora/{corpus}/sets/{set}', { params: { path: { ...path, set: s.id } } }))),
    )
    const stageOfSetting: Record<string, string> = { chunk: 'shape', embed: 'shape', query: 'find', find: 'find' }
    entries.value = [
      ...entries.value,
      ...list.documents.map((d) =>
        go(
          'Document',
          d.title === '' ? shortAddress(d.address) : d.title,
          { name: 'document', params: { ...path, document: d.id } },
          shortAddress(d.address),
        ),
      ),
      ...questions.flatMap((s) =>
        (s.questions ?? []).map((q) =>
          go('Question', q.question, { name: 'find', params: path, query: { q: q.question } }, s.name),
        ),
      ),
      ...runs.map((r) =>
        go('Run', `${r.setName}, ${moment(r.createdAt).text}`, { name: 'prove', params: path, query: { run: r.id } }),
      ),
      ...fields.map((f) =>
        go('Setting', f.label, { name: stageOfSetting[f.key.split('.')[0] ?? ''] ?? 'answer', params: path }, f.help),
      ),
    ]
    problem.value = ''
  } catch (e) {
    problem.value = (e as Error).message
  }
}

const found = computed(() => matches(entries.value, words.value, 40))

async function show(): Promise<void> {
  if (open.value || corpus.name === '') return
  from = document.activeElement instanceof HTMLElement ? document.activeElement : null
  open.value = true
  words.value = ''
  at.value = 0
  void load()
  await nextTick()
  input.value?.focus()
}

function close(): void {
  open.value = false
  from?.focus()
}

function choose(e: Entry | undefined): void {
  if (e === undefined) return
  open.value = false
  e.act()
}

async function move(by: number): Promise<void> {
  at.value = Math.max(0, Math.min(found.value.length - 1, at.value + by))
  await nextTick()
  document.getElementById(`palette-${at.value}`)?.scrollIntoView({ block: 'nearest' })
}

watch(words, () => (at.value = 0))
defineExpose({ show })
</script>

<template>
  <div v-if="open" class="veil" @mousedown.self="close">
    <div
      class="palette"
      role="dialog"
      aria-modal="true"
      aria-label="Find anything"
      @keydown.esc.stop="close"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.tab.prevent
      @keydown.enter.prevent="choose(found[at])"
    >
      <input
        ref="input"
        v-model="words"
        role="combobox"
        aria-expanded="true"
        aria-controls="palette-list"
        aria-label="A document, question, run, setting or action"
        :aria-activedescendant="found.length > 0 ? `palette-${at}` : undefined"
        placeholder="A document, question, run, setting or action"
        autocomplete="off"
        maxlength="200"
      />
      <p v-if="problem !== ''" class="bad" role="alert">{{ problem }}</p>
      <ul id="palette-list" role="listbox" aria-label="Found">
        <li
          v-for="(e, i) in found"
          :id="`palette-${i}`"
          :key="i"
          role="option"
          :aria-selected="i === at"
          @mousedown.prevent="choose(e)"
          @mousemove="at = i"
        >
          <span class="kind muted">{{ e.kind }}</span>
          <span class="label">{{ e.label }}</span>
          <span class="more muted">{{ e.more }}</span>
        </li>
      </ul>
      <p v-if="found.length === 0" class="muted none">No match.</p>
    </div>
  </div>
</template>

<style scoped>
.veil {
  position: fixed;
  inset: 0;
  background: var(--veil);
  z-index: 3000;
}
.palette {
  width: min(720px, calc(100vw - 80px));
  margin: 90px auto 0;
  background: var(--raised);
  border: 1px solid var(--control);
  border-top: 3px solid var(--accent);
}
input {
  width: 100%;
  border: 0;
  border-bottom: 1px solid var(--line);
  background: transparent;
  color: var(--ink);
  font-size: 16px;
  padding: 12px 14px;
}
input:focus-visible {
  outline: none;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 52vh;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: 76px minmax(0, auto) minmax(0, 1fr);
  gap: 10px;
  align-items: baseline;
  padding: 6px 14px;
  cursor: pointer;
}
li[aria-selected='true'] {
  background: var(--accent-soft);
}
.kind,
.more {
  font-size: 12px;
}
.label,
.more {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.palette > p {
  margin: 0;
  padding: 10px 14px;
}
</style>
