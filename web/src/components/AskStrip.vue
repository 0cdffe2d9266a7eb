<script setup lang="ts">
import { ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, ok, type Reply } from '@/api/client'
import { useCorpus } from '@/stores/corpus'
import EvidenceTrail from './EvidenceTrail.vue'

const corpus = useCorpus()
const route = useRoute()
const input = ref<HTMLInputElement>()
const question = ref('')
const reply = ref<Reply>()
const problem = ref('')
const busy = ref(false)
/** It has been asked for a while, and no reply is there. */
const slow = ref(false)
const open = ref(false)
const follow = ref(true)
const audience = ref<'public' | 'staff'>('public')
const turns = ref<{ role: 'user' | 'assistant'; text: string }[]>([])

/** The one that the next message goes on with. */
const conversation = ref<string>()
const opening = ref<{ welcome: string; first: string[]; note: string }>()

/** What stands there before anything was asked. */
async function begin(): Promise<void> {
  input.value?.select()
  if (turns.value.length > 0 || corpus.name === '') return
  try {
    const m = await ok(api.GET('/api/corpora/{corpus}/method', { params: { path: { corpus: corpus.name } } }))
    const first = m.answer.first
      .split('\n')
      .map((l) => l.trim())
      .filter((l) => l !== '')
    opening.value = { welcome: m.answer.welcome, first: first.slice(0, 4), note: m.answer.machine }
  } catch {
    opening.value = undefined // the question itself will tell what is wrong
  }
}

function put(text: string): void {
  question.value = text
  void ask()
}

async function ask(): Promise<void> {
  const text = question.value.trim()
  if (text === '' || busy.value) return
  busy.value = true
  const patience = setTimeout(() => (slow.value = true), 3000)
  problem.value = ''
  told.value = ''
  try {
    reply.value = await ok(
      api.POST('/api/corpora/{corpus}/ask', {
        params: { path: { corpus: corpus.name } },
        body: {
          question: text,
          surface: 'bench',
          audience: audience.value,
          turns: follow.value ? turns.value.slice(-10) : [],
          conversation: follow.value && turns.value.length > 0 ? conversation.value : undefined,
        },
      }),
    )
    conversation.value = reply.value.conversation
    turns.value.push({ role: 'user', text }, { role: 'assistant', text: reply.value.reply })
  } catch (e) {
    reply.value = undefined
    problem.value = (e as Error).message
  }
  clearTimeout(patience)
  busy.value = slow.value = false
  open.value = true
}

const told = ref('')

/** Puts the question, with what was said before it, at the end of a set: expected to end as it did. */
async function keep(): Promise<void> {
  const r = reply.value
  if (r?.trail === undefined) return
  const cited = r.cited[0]?.address
  const expect = r.refused
    ? [{ kind: 'refuses' as const }]
    : cited === undefined
      ? []
      : [{ kind: 'cites' as const, values: [cited] }]
  if (expect.length === 0) {
    told.value = 'It cites nothing: write what is expected of it under Prove.'
    return
  }
  try {
    const path = { corpus: corpus.name, set: 'Asked' }
    const question = { id: 'asked', question: r.trail.question, turns: r.trail.turns, tags: ['asked'], expect }
    await ok(
      api.POST('/api/corpora/{corpus}/sets/{set}/questions', {
        params: { path },
        body: { questions: [question], why: 'from a conversation' },
      }),
    )
    told.value = 'Added to the set “Asked”.'
  } catch (e) {
    told.value = (e as Error).message
  }
}

/** Makes something to mend of the reply. */
async function snag(): Promise<void> {
  try {
    await ok(
      api.POST('/api/corpora/{corpus}/snags', {
        params: { path: { corpus: corpus.name } },
        body: { exchange: reply.value?.id },
      }),
    )
    told.value = 'Marked wrong, and a snag under Mend.'
  } catch (e) {
    told.value = (e as Error).message
  }
}

function restart(): void {
  turns.value = []
  reply.value = undefined
  question.value = ''
  open.value = false
  input.value?.focus()
}

function close(): void {
  open.value = false
  opening.value = undefined
}

function left(e: FocusEvent): void {
  if (!(e.currentTarget as HTMLElement).contains(e.relatedTarget as Node | null)) opening.value = undefined
}

watch(
  () => corpus.name,
  () => (opening.value = undefined),
)
watch([() => corpus.name, audience], restart) // what one audience was told is no part of another's conversation
watch(
  () => route.fullPath,
  (to, from) => {
    if (to.split('?')[0] !== from.split('?')[0] && route.name === 'document') open.value = false
  },
)

defineExpose({ focus: () => input.value?.focus() })
</script>

<template>
  <section class="strip" aria-label="Ask" @keydown.esc="close" @focusout="left">
    <div v-if="open" class="sheet">
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
      <EvidenceTrail v-if="reply !== undefined" :reply="reply" :corpus="corpus.name">
        <p>
          <button type="button" class="linkish" @click="keep">Add to a question set</button>
          <button v-if="reply.id !== undefined" type="button" class="linkish" @click="snag">Make a snag</button>
          <span v-if="told !== ''" class="muted" role="status"> {{ told }}</span>
        </p>
      </EvidenceTrail>
    </div>
    <p v-else-if="opening !== undefined && turns.length === 0" class="opening">
      <span>{{ opening.welcome }}</span>
      <button v-for="q in opening.first" :key="q" type="button" class="linkish" @click="put(q)">{{ q }}</button>
      <span class="muted">{{ opening.note }}</span>
    </p>
    <form class="bar" @submit.prevent="ask">
      <label for="ask" class="sr">Ask the draft</label>
      <input
        id="ask"
        ref="input"
        v-model="question"
        maxlength="4000"
        autocomplete="off"
        placeholder="Ask the draft anything"
        @focus="begin"
      />
      <label class="sr" for="ask-as">Asked as</label>
      <select id="ask-as" v-model="audience" title="As whom it is asked">
        <option value="public">as a public visitor</option>
        <option value="staff">as staff</option>
      </select>
      <button type="submit" class="go" :disabled="busy || question.trim() === ''">{{ busy ? 'Asking' : 'Ask' }}</button>
      <span v-if="slow" class="muted" role="status">
        Still waiting. A model that takes too long is left out, and the reply comes without it.
      </span>
      <span v-else-if="turns.length > 0" class="muted figure">{{ turns.length / 2 }} in this conversation</span>
      <button v-if="turns.length > 0" type="button" class="linkish" @click="restart">New conversation</button>
      <button v-if="reply !== undefined || problem !== ''" type="button" class="linkish" @click="open = !open">
        {{ open ? 'Close' : 'Show the reply' }}
      </button>
      <kbd v-if="turns.length === 0" class="muted">press /</kbd>
    </form>
  </section>
</template>

<style scoped>
.strip {
  background: var(--raised);
  border-top: 2px solid var(--accent);
}
.sheet {
  max-height: 52vh;
  overflow: auto;
  padding: 12px 0;
  border-bottom: 1px solid var(--line);
}
.sheet > .notice {
  margin: 0 14px;
}
.opening {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  margin: 0;
  padding: 7px 14px 0;
}
.bar {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 7px 14px;
}
input {
  flex: 1;
  border: 1px solid var(--control);
  border-radius: var(--radius);
  padding: 6px 10px;
  font-size: 14px;
  color: var(--ink);
  background: var(--ground);
}
select {
  border: 1px solid var(--control);
  border-radius: var(--radius);
  padding: 6px 4px;
  color: var(--ink);
  background: var(--raised);
}
.go {
  border: 1px solid var(--accent);
  background: var(--accent);
  color: var(--raised);
  border-radius: var(--radius);
  padding: 6px 16px;
  font-weight: 600;
  cursor: pointer;
}
.go:disabled {
  background: var(--raised);
  color: var(--muted);
  border-color: var(--control);
  cursor: default;
}
kbd {
  font: 12px var(--mono);
}
</style>
