<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Evidence, type Reply } from '@/api/client'
import { shortAddress } from '@/api/words'
import LitText from '@/components/LitText.vue'
import { useCorpus } from '@/stores/corpus'

const corpus = useCorpus()
const route = useRoute()
const router = useRouter()
const question = ref(String(route.query.q ?? ''))
const reply = ref<Reply>()
const problem = ref('')
const busy = ref(false)
const whole = ref(new Set<number>())

const signals = [
  { key: 'title', name: 'title' },
  { key: 'headings', name: 'headings' },
  { key: 'body', name: 'body' },
  { key: 'meaning', name: 'meaning' },
  { key: 'sentence', name: 'nearest sentence' },
]
const passes: Record<string, string> = {
  asked: 'As asked',
  filler: 'Filler dropped',
  spelling: 'Spelling corrected',
  compound: 'Compounds joined',
  'follow-up': 'Follow-up completed',
}
const reading = computed(() => reply.value?.trail?.reading)

async function find(): Promise<void> {
  const q = question.value.trim()
  if (q === '') return
  busy.value = true
  problem.value = ''
  whole.value.clear()
  try {
    reply.value = await ok(
      api.POST('/api/corpora/{corpus}/find', {
        params: { path: { corpus: corpus.name } },
        body: { question: q, surface: 'bench' },
      }),
    )
  } catch (e) {
    problem.value = (e as Error).message
  }
  busy.value = false
}

function toggle(i: number): void {
  if (!whole.value.delete(i)) whole.value.add(i)
}

function submit(): void {
  void router.replace({ query: { q: question.value.trim() } })
  void find()
}

function share(e: Evidence, key: string): number {
  return e.shares?.[key] ?? 0
}

function link(e: Evidence) {
  return {
    name: 'document',
    params: { corpus: corpus.name, document: e.document },
    query: { version: e.version, from: String(e.span.start), to: String(e.span.end) },
  }
}

watch(
  () => route.query.q,
  (q) => {
    if (typeof q === 'string' && q !== question.value) {
      question.value = q
      void find()
    }
  },
)
onMounted(find)
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <h1>Find</h1>
      <form class="stack" @submit.prevent="submit">
        <ElInput
          v-model="question"
          type="textarea"
          :rows="3"
          maxlength="4000"
          placeholder="A question, or two words"
          aria-label="Question"
          @keydown.enter.exact.prevent="submit"
        />
        <ElButton type="primary" native-type="submit" :loading="busy" :disabled="question.trim() === ''">Find</ElButton>
      </form>
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
      <template v-if="reading">
        <h2>What was searched for</h2>
        <ol class="wordings">
          <li v-for="(w, i) in reading.wordings" :key="i">
            <span class="muted">{{ passes[w.pass] ?? w.pass }}</span><br />{{ w.text }}
          </li>
        </ol>
        <table class="plain">
          <thead>
            <tr>
              <th>Term</th>
              <th>Stem</th>
              <th class="num">Weight</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="t in reading.terms" :key="t.stem">
              <td>{{ t.word }}</td>
              <td class="mono">{{ t.stem }}</td>
              <td class="num">{{ t.weight.toFixed(2) }}</td>
            </tr>
          </tbody>
        </table>
      </template>
    </div>
    <div class="right stack">
      <p v-if="reply === undefined" class="notice">
        Ask here to see which chunks a question reaches, in which order, and why each ranks where it does.
      </p>
      <p v-else-if="reply.evidence.length === 0" class="notice">Nothing in the corpus resembles the question.</p>
      <p v-else class="muted figure">{{ reply.evidence.length }} best chunks, {{ reply.millis.toFixed(0) }} ms</p>
      <article v-for="(e, i) in reply?.evidence ?? []" :key="i" class="hit">
        <div class="rank figure">{{ i + 1 }}</div>
        <div>
          <RouterLink :to="link(e)" class="title">{{ [e.title, ...e.path].join(' › ') }}</RouterLink>
          <p class="muted mono">{{ shortAddress(e.address) }}</p>
          <p class="passage" :class="{ whole: whole.has(i) }"><LitText :text="e.text" :lit="e.lit" /></p>
          <button v-if="e.text.length > 700" class="linkish" :aria-expanded="whole.has(i)" @click="toggle(i)">
            {{ whole.has(i) ? 'Show less' : 'Show the whole chunk' }}
          </button>
        </div>
        <table class="why" :aria-label="`Why it ranks ${i + 1}`">
          <tbody>
            <tr>
              <th>score</th>
              <td class="figure">{{ e.score.toFixed(2) }}</td>
              <td></td>
            </tr>
            <tr v-for="s in signals" :key="s.key">
              <th>{{ s.name }}</th>
              <td class="figure">{{ Math.round(100 * share(e, s.key)) }} %</td>
              <td><span class="share" :style="{ width: `${60 * share(e, s.key)}px` }"></span></td>
            </tr>
          </tbody>
        </table>
      </article>
    </div>
  </div>
</template>

<style scoped>
.wordings {
  margin: 0;
  padding-left: 18px;
}
.hit {
  display: grid;
  grid-template-columns: 28px minmax(0, 1fr) 210px;
  gap: 12px;
  border-top: 1px solid var(--line);
  padding-top: 12px;
}
.rank {
  font-size: 17px;
  font-weight: 650;
  color: var(--accent);
  text-align: right;
}
.title {
  font-weight: 600;
}
.hit p {
  margin: 2px 0 6px;
}
.passage {
  max-width: 72ch;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 8;
  line-clamp: 8;
  overflow: hidden;
}
.passage.whole {
  display: block;
}
.why {
  font-size: 12px;
  border-collapse: collapse;
  align-self: start;
}
.why th {
  font-weight: 400;
  color: var(--muted);
  text-align: left;
}
.why td {
  text-align: right;
  padding: 0 0 0 8px;
}
.why td:last-child {
  width: 70px;
  text-align: left;
}
.share {
  display: inline-block;
  height: 7px;
  background: var(--accent);
}
</style>
