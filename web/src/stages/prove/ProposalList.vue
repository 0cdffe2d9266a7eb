<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count, shortAddress } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { useProve } from './store'

/** Questions that the documents answer, with the answer and its place; a person takes, edits or drops them. */
const emit = defineEmits<{ added: [] }>()

type Proposal = Schema['QuestionsProposal']
const corpus = useCorpus()
const prove = useProve()
const all = ref<Proposal[]>()
const taken = ref(new Set<string>())
/** What a person says is true of something that was asked: how it ended and what was cited is a proposal, not the truth. */
const truths = ref<Record<string, '' | 'right' | 'refuse'>>({})
const open = (p: Proposal): boolean => p.kind === 'conversation' && (truths.value[p.question.id] ?? '') === ''
const kind = ref('')
const name = ref(prove.set === '' ? 'proposed' : prove.set)

const shown = computed(() => (all.value ?? []).filter((p) => kind.value === '' || p.kind === kind.value))
const found = computed(() => [...new Set((all.value ?? []).map((p) => p.kind))])

function turn(id: string): void {
  const next = new Set(taken.value)
  if (!next.delete(id)) next.add(id)
  taken.value = next
}

async function keep(): Promise<void> {
  const questions = (all.value ?? [])
    .filter((p) => taken.value.has(p.question.id))
    .map((p) =>
      truths.value[p.question.id] === 'refuse' ? { ...p.question, expect: [{ kind: 'refuses' as const }] } : p.question,
    )
  prove.set = name.value
  if ((await prove.add(questions, 'taken from proposals')) === undefined) return
  all.value = (all.value ?? []).filter((p) => !taken.value.has(p.question.id))
  taken.value = new Set()
  emit('added')
}

const place = (p: Proposal) => ({
  name: 'document',
  params: { corpus: corpus.name, document: p.document },
  query: { version: p.version, from: String(p.span.start), to: String(p.span.end) },
})

onMounted(async () => {
  all.value = await prove.attempt(() =>
    ok(api.GET('/api/corpora/{corpus}/proposals', { params: { path: { corpus: corpus.name } } })),
  )
})
</script>

<template>
  <section class="stack" aria-label="Proposals">
    <p v-if="all === undefined" class="muted">Reading the documents.</p>
    <p v-else-if="all.length === 0" class="notice">No new suggestions.</p>
    <template v-else>
      <div class="row">
        <span>{{ count(shown.length) }} proposals, those of pages first that no question tests</span>
        <select v-model="kind" aria-label="Kind of proposal">
          <option value="">of every kind</option>
          <option v-for="k in found" :key="k" :value="k">{{ k }}</option>
        </select>
        <button class="linkish" @click="taken = new Set(shown.filter((p) => !open(p)).map((p) => p.question.id))">
          select all
        </button>
        <ElInput v-model="name" class="name" maxlength="120" aria-label="Into the set" />
        <ElButton type="primary" :disabled="taken.size === 0 || name.trim() === ''" @click="keep"
          >Add {{ taken.size }} to the set</ElButton
        >
      </div>
      <div class="list">
        <table class="plain">
          <tbody>
            <tr v-for="p in shown" :key="p.question.id">
              <td>
                <input
                  type="checkbox"
                  :checked="taken.has(p.question.id)"
                  :disabled="open(p)"
                  :title="open(p) ? 'Say first what is true' : ''"
                  :aria-label="`Take ${p.question.question}`"
                  @change="turn(p.question.id)"
                />
              </td>
              <td>
                <input v-model="p.question.question" class="text" aria-label="Question" />
                <span class="muted">{{ p.answer }}</span>
                <select
                  v-if="p.kind === 'conversation'"
                  v-model="truths[p.question.id]"
                  class="truth"
                  aria-label="What is true?"
                >
                  <option :value="undefined" disabled>What is true?</option>
                  <option value="right">The reply was right: expect it to end and cite as it did</option>
                  <option value="refuse">It should be refused</option>
                </select>
              </td>
              <td class="muted">
                {{ p.kind }}<br /><RouterLink :to="place(p)">{{ shortAddress(p.address) }}</RouterLink>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
  </section>
</template>

<style scoped>
.list {
  max-height: 46vh;
  overflow: auto;
}
.name {
  width: 160px;
}
select {
  border: 1px solid var(--control);
  border-radius: var(--radius);
  padding: 5px 4px;
  color: var(--ink);
  background: var(--raised);
}
.truth {
  display: block;
  margin-top: 4px;
}
.text {
  width: 100%;
  border: 0;
  border-bottom: 1px solid var(--line);
  background: transparent;
  color: var(--ink);
  font: inherit;
  font-weight: 600;
}
</style>
