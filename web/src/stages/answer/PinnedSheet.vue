<script setup lang="ts">
import { ref } from 'vue'
import type { Reply } from '@/api/client'
import { outcomeOf } from '@/api/names'
import { useCorpus } from '@/stores/corpus'
import { useAnswer, type Pinned } from './store'

/** The sheet: pinned questions with their replies, and, while something is being tried, what they would become. */
const corpus = useCorpus()
const answer = useAnswer()
const question = ref('')
const hovered = ref<{ row: number; sentence: number }>()

/** What the reply is read beside: that of the last release, or, as long as there is none, that of what is applied. */
const beside = (p: Pinned): Reply | undefined => (answer.released > 0 ? p.released : p.applied)
const differs = (p: Pinned): boolean => {
  const other = beside(p)
  return p.tried !== undefined && other !== undefined && p.tried.reply !== other.reply
}

function add(): void {
  const q = question.value.trim()
  if (q === '') return
  question.value = ''
  void answer.pin([...answer.sheet.map((p) => p.question), q])
}

function remove(q: string): void {
  void answer.pin(answer.sheet.map((p) => p.question).filter((x) => x !== q))
}

function citedOf(r: Reply | undefined, sentence: number) {
  return r?.cited.find((c) => c.sentence === sentence)
}

function link(c: { document: string; version: string; span: { start: number; end: number } }) {
  return {
    name: 'document',
    params: { corpus: corpus.name, document: c.document },
    query: { version: c.version, from: String(c.span.start), to: String(c.span.end) },
  }
}
</script>

<template>
  <section class="stack" aria-label="Sheet of pinned questions">
    <div class="row head">
      <h2>Sheet</h2>
      <span class="muted">
        <template v-if="answer.busy > 0">answering…</template>
        <template v-else-if="answer.released > 0">
          {{ answer.sheet.filter(differs).length }} of {{ answer.sheet.length }} replies differ from release
          {{ answer.released }}
        </template>
        <template v-else-if="answer.changed">
          {{ answer.sheet.filter(differs).length }} of {{ answer.sheet.length }} replies change
        </template>
        <template v-else>answered under the draft as it is applied</template>
      </span>
    </div>
    <form class="row" @submit.prevent="add">
      <ElInput
        v-model="question"
        class="grow"
        maxlength="4000"
        placeholder="A question to keep in view"
        aria-label="Question to pin"
      />
      <ElButton native-type="submit" :disabled="question.trim() === ''">Pin</ElButton>
    </form>
    <p v-if="answer.sheet.length === 0" class="notice">
      Pin a few questions: they are answered again whenever something at the left is moved, so that what a change does
      is read before it is applied.
    </p>
    <article v-for="(p, k) in answer.sheet" :key="p.question" class="pinned">
      <header class="row">
        <h3>{{ p.question }}</h3>
        <span v-if="p.tried" class="muted figure"
          >{{ outcomeOf(p.tried) }} · support {{ p.tried.support.toFixed(2) }}</span
        >
        <button class="linkish" :aria-label="`Unpin ${p.question}`" @click="remove(p.question)">Unpin</button>
      </header>
      <p v-if="p.problem" class="notice bad">{{ p.problem }}</p>
      <div v-if="p.tried" class="replies" :class="{ two: differs(p) }">
        <div v-if="differs(p)" class="was">
          <span class="muted">{{ answer.released > 0 ? `release ${answer.released}` : 'as applied' }}</span>
          <p>{{ beside(p)?.reply }}</p>
        </div>
        <div>
          <span v-if="differs(p)" class="muted">{{ answer.changed ? 'as tried' : 'the draft' }}</span>
          <p>
            <template v-for="(s, i) in p.tried.trail?.reply ?? []" :key="i">
              <component
                :is="citedOf(p.tried, i) ? 'RouterLink' : 'span'"
                :to="citedOf(p.tried, i) && link(citedOf(p.tried, i)!)"
                class="sentence"
                :class="{ on: hovered?.row === k && hovered.sentence === i, unsupported: s.unsupported }"
                @mouseenter="hovered = { row: k, sentence: i }"
                @mouseleave="hovered = undefined"
                @focus="hovered = { row: k, sentence: i }"
                >{{ s.text }}</component>{{ ' ' }}
            </template>
          </p>
          <p v-if="hovered?.row === k && citedOf(p.tried, hovered.sentence)" class="evidence">
            <span class="muted">{{ citedOf(p.tried, hovered.sentence)?.title }}</span>
            {{ citedOf(p.tried, hovered.sentence)?.passage }}
          </p>
          <p v-if="(p.tried.trail?.written?.withheld ?? []).length > 0" class="caution">
            withheld:
            <s v-for="(w, i) in p.tried.trail?.written?.withheld ?? []" :key="i" class="gap">{{ w.text }}</s>
          </p>
        </div>
      </div>
      <p v-else-if="!p.problem" class="muted">…</p>
    </article>
  </section>
</template>

<style scoped>
.head {
  justify-content: space-between;
}
.grow {
  flex: 1;
}
.pinned {
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 8px 12px 10px;
}
.pinned header {
  justify-content: space-between;
}
.pinned h3 {
  flex: 1;
  margin: 0;
}
.replies.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 14px;
}
.replies p {
  margin: 4px 0 0;
  max-width: 72ch;
}
.was {
  border-right: 1px solid var(--line);
  padding-right: 12px;
  color: var(--muted);
}
a.sentence {
  color: inherit;
  text-decoration: none;
  border-bottom: 1px solid var(--line);
}
.sentence.on {
  background: var(--accent-soft);
}
.sentence.unsupported {
  text-decoration: underline wavy var(--caution);
}
.gap {
  margin-right: 0.4em;
}
.evidence {
  border-left: 3px solid var(--accent);
  padding-left: 10px;
  font-size: 12.5px;
  white-space: pre-line;
}
</style>
