<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Schema } from '@/api/client'
import { count, percent } from '@/api/words'
import { stageOf, stages, type StageKey } from '@/router'
import PersonMenu from '@/people/PersonMenu.vue'
import { useCorpus } from '@/stores/corpus'
import { useTried } from '@/stores/tried'

const corpus = useCorpus()
const tried = useTried()
const route = useRoute()
const router = useRouter()

interface Telling {
  value: string
  unit: string
  alert?: string
}

/** What needs a person first: changes held back, then pages to choose, then failures. */
function gatherAlert(c: Schema['Corpus']): string | undefined {
  if (c.held > 0) return `${count(c.held)} to decide`
  if (c.found > 0) return `${count(c.found)} to choose`
  return c.failed > 0 ? `${count(c.failed)} failed` : undefined
}

const figures = computed<Record<StageKey, Telling>>(() => {
  const c = corpus.current
  const none = { value: '–', unit: '' }
  if (c === undefined) {
    return { gather: none, shape: none, find: none, answer: none, prove: none, mend: none, serve: none }
  }
  const run = c.lastRun
  return {
    gather: {
      value: count(c.documents),
      unit: 'in',
      alert: gatherAlert(c),
    },
    shape: { value: count(c.chunks), unit: 'chunks', alert: c.stale ? 'not applied' : undefined },
    find:
      run?.hit5 !== undefined
        ? { value: percent(run.hit5), unit: 'hit@5' }
        : { value: '–', unit: run ? 'hit@5' : 'no run yet' },
    answer:
      c.answered !== undefined ? { value: percent(c.answered), unit: 'answered' } : { value: '–', unit: 'no run yet' },
    prove: run ? { value: percent(run.pass), unit: 'passed' } : { value: '–', unit: 'no run yet' },
    mend: { value: count(c.snags), unit: c.snags === 1 ? 'open snag' : 'open snags' },
    serve: c.release ? { value: `release ${c.release.number}`, unit: '' } : { value: '–', unit: 'no release yet' },
  }
})

const here = computed(() => stageOf(route.name))

function choose(name: string): void {
  if (name === '') void router.push('/')
  else void router.push({ name: 'gather', params: { corpus: name } })
}

/** How far the draft is from what was released. */
const since = computed(() => {
  const r = corpus.current?.release
  if (!corpus.connected) return 'reconnecting'
  if (r === undefined) return 'no release yet'
  const n = r.settings.length
  if (n === 0 && !r.index) return `as release ${r.number}`
  const changes = n === 1 ? '1 change' : `${count(n)} changes`
  return `${n > 0 ? changes : ''}${n > 0 && r.index ? ', ' : ''}${r.index ? 'index changed' : ''} since release ${r.number}`
})

const draft = computed(() => {
  if (corpus.saving > 0) return { text: 'Saving', tone: '' }
  if (corpus.unapplied !== '') return { text: corpus.unapplied, tone: 'caution' }
  if (tried.stages.length > 0) return { text: 'Not applied:', tone: 'caution' }
  return { text: 'Draft saved', tone: 'good' }
})
</script>

<template>
  <header class="line">
    <div class="corpus">
      <label class="sr" for="corpus-choice">Corpus</label>
      <select id="corpus-choice" :value="corpus.name" @change="(e) => choose((e.target as HTMLSelectElement).value)">
        <option value="">All corpora</option>
        <option v-for="c in corpus.all" :key="c.id" :value="c.name">{{ c.name }}</option>
      </select>
    </div>
    <nav v-if="corpus.name !== ''" aria-label="Stages">
      <RouterLink
        v-for="(s, i) in stages"
        :key="s.key"
        :to="{ name: s.key, params: { corpus: corpus.name } }"
        :class="{ here: here === s.key }"
        :aria-current="here === s.key ? 'page' : undefined"
        :title="`${s.asks} (key ${i + 1})`"
      >
        <span class="name">{{ s.label }}</span>
        <span class="figure"
          ><b>{{ figures[s.key].value }}</b> {{ figures[s.key].unit
          }}<em v-if="figures[s.key].alert" class="bad"> · {{ figures[s.key].alert }}</em></span
        >
      </RouterLink>
    </nav>
    <div v-if="corpus.name !== ''" class="draft" role="status">
      <span :class="draft.tone"
        >{{ draft.text }}
        <template v-if="corpus.saving === 0 && corpus.unapplied === ''">
          <RouterLink v-for="s in tried.stages" :key="s.name" :to="{ name: s.name, params: { corpus: corpus.name } }">{{
            s.label
          }}</RouterLink>
        </template>
      </span>
      <span class="muted">{{ since }}</span>
    </div>
    <PersonMenu />
  </header>
</template>

<style scoped>
.draft a + a {
  margin-left: 6px;
}
.line {
  display: flex;
  align-items: stretch;
  background: var(--raised);
  border-bottom: 1px solid var(--line);
  min-height: 52px;
}
.corpus {
  display: flex;
  align-items: center;
  padding: 0 14px;
  border-right: 1px solid var(--line);
}
.corpus select {
  max-width: 170px;
  border: 1px solid var(--control);
  border-radius: var(--radius);
  background: var(--raised);
  color: var(--ink);
  font: 600 14px var(--sans);
  padding: 5px 6px;
}
nav {
  display: flex;
  flex: 1;
  min-width: 0;
}
nav a {
  flex: 1 1 0;
  min-width: 0;
  padding: 7px 10px 5px;
  color: var(--ink);
  text-decoration: none;
  border-bottom: 3px solid transparent;
  position: relative;
  display: flex;
  flex-direction: column;
  justify-content: center;
}
nav a + a::before {
  content: '';
  position: absolute;
  left: 0;
  top: 30%;
  height: 40%;
  border-left: 1px solid var(--line);
}
nav a:hover {
  background: var(--ground);
}
nav a.here {
  border-bottom-color: var(--accent);
}
nav a.here .name {
  color: var(--accent);
}
.name {
  font-weight: 650;
}
nav .figure {
  font-size: 12px;
  color: var(--muted);
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
nav .figure b {
  color: var(--ink);
  font-weight: 600;
}
nav .figure em {
  font-style: normal;
}
.draft {
  display: flex;
  flex-direction: column;
  justify-content: center;
  padding: 0 14px;
  border-left: 1px solid var(--line);
  font-size: 12px;
  white-space: nowrap;
}
</style>
