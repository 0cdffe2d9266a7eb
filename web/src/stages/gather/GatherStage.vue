<script setup lang="ts">
import { computed, onMounted, onUnmounted, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, ok } from '@/api/client'
import { count, languageName } from '@/api/words'
import JobBar from '@/components/JobBar.vue'
import { useCorpus } from '@/stores/corpus'
import SourceCard from './SourceCard.vue'
import { useSources } from './store'

const corpus = useCorpus()
const sources = useSources()
const route = useRoute()
const gathering = computed(() => corpus.active.filter((j) => j.kind !== 'run'))
const findings = computed(() => {
  const f = corpus.current?.findings ?? {}
  return (f['high'] ?? 0) + (f['medium'] ?? 0)
})

/** What the sentence encoder has not read, while it is not at it. */
const unread = computed(() => {
  const c = corpus.current
  if (c === undefined || corpus.active.some((j) => ['encode', 'rebuild', 'index', 'gather'].includes(j.kind))) return ''
  if (c.unread > 0) {
    const chunks = c.unread === 1 ? '1 chunk has' : `${count(c.unread)} chunks have`
    return `${chunks} not been read for their meaning yet: questions find them by their words.`
  }
  if (c.unreadSentences > 0)
    return `The sentences of ${count(c.unreadSentences)} chunks have not been read yet: replies are judged less finely.`
  return ''
})

async function readNow(): Promise<void> {
  await sources.attempt(async () => {
    await ok(api.POST('/api/corpora/{corpus}/encode', { params: { path: { corpus: corpus.name } } }))
    return undefined
  })
}

/** The languages that the embedding is not made for. */
const foreign = computed(() => (corpus.current?.foreign ?? []).map((l) => languageName(l)).join(', '))

async function readAllLanguages(): Promise<void> {
  await sources.attempt(async () => {
    const path = { corpus: corpus.name }
    const m = await ok(api.GET('/api/corpora/{corpus}/method', { params: { path } }))
    await ok(
      api.PUT('/api/corpora/{corpus}/method', {
        params: { path },
        body: { ...m, embed: { ...m.embed, grade: 'many' } },
      }),
    )
    await corpus.load()
    return 'The encoder of many languages reads the documents now. Questions are answered meanwhile.'
  })
}

async function load(): Promise<void> {
  try {
    await sources.load()
  } catch (e) {
    sources.problem = (e as Error).message
  }
}

let stops: (() => void)[] = []
onMounted(() => {
  void load()
  stops = [corpus.onJobEnd(() => void load()), corpus.on('source', () => void load())]
})
onUnmounted(() => stops.forEach((s) => s()))
watch(
  () => corpus.name,
  () => void load(),
)
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <div class="row head">
        <h1>Sources</h1>
        <RouterLink :to="{ name: 'add', params: { corpus: corpus.name } }" class="adding">Add a source</RouterLink>
      </div>
      <p v-if="sources.problem !== ''" class="notice bad" role="alert">{{ sources.problem }}</p>
      <p v-if="sources.told !== ''" class="notice" role="status">{{ sources.told }}</p>
      <p v-if="sources.all.length === 0" class="muted">
        No sources yet. Documents come from websites, files and texts: add the first one.
      </p>
      <div>
        <SourceCard v-for="s in sources.all" :key="s.id" :source="s" />
      </div>
    </div>
    <div class="right stack">
      <JobBar v-for="j in gathering" :key="j.id" :job="j" />
      <p v-if="unread !== ''" class="notice">
        {{ unread }} <button class="linkish" @click="readNow">Read them now</button>
      </p>
      <p v-if="foreign !== ''" class="notice">
        Some documents are in {{ foreign }}, and the embedding in use is made for English.
        <button class="linkish" @click="readAllLanguages">Use the encoder of many languages</button>
      </p>
      <nav class="tabs" aria-label="Views of what was gathered">
        <RouterLink :to="{ name: 'gather', params: { corpus: corpus.name } }" :class="{ here: route.name === 'gather' }"
          >Documents</RouterLink
        >
        <RouterLink :to="{ name: 'checks', params: { corpus: corpus.name } }" :class="{ here: route.name === 'checks' }"
          >Checks<span v-if="findings > 0" class="figure caution number">{{ count(findings) }}</span></RouterLink
        >
        <RouterLink
          :to="{ name: 'changes', params: { corpus: corpus.name } }"
          :class="{ here: route.name === 'changes' }"
          >Changes</RouterLink
        >
      </nav>
      <RouterView />
    </div>
  </div>
</template>

<style scoped>
.head {
  justify-content: space-between;
}
.adding {
  font-weight: 600;
}
.tabs {
  display: flex;
  gap: 18px;
  border-bottom: 1px solid var(--line);
}
.tabs a {
  padding: 2px 0 6px;
  text-decoration: none;
  color: var(--muted);
  font-weight: 600;
}
.number {
  margin-left: 6px;
}
.tabs a.here {
  color: var(--ink);
  box-shadow: inset 0 -2px 0 var(--accent);
}
</style>
