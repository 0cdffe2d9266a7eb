<script setup lang="ts">
import { useDebounceFn, useLocalStorage } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { api, ok, type Reply } from '@/api/client'
import { passNames } from '@/api/names'
import { useCorpus } from '@/stores/corpus'
import GlossaryList from './GlossaryList.vue'
import { useFind } from './store'

/** A conversation at the left, and what every pass of rewriting makes of its last message at the right. */
const corpus = useCorpus()
const find = useFind()
/** What was typed is kept for each corpus. */
const talk = useLocalStorage(`jolvex-talk-${corpus.name}`, '')
const reply = ref<Reply>()
const problem = ref('')
const busy = ref(false)

/** Lines as they are typed: what begins with > was said by the assistant; the last line is the message at hand. */
const said = computed(() =>
  talk.value
    .split('\n')
    .map((l) => l.trim())
    .filter((l) => l !== '')
    .map((l) =>
      l.startsWith('>') ? { role: 'assistant' as const, text: l.slice(1).trim() } : { role: 'user' as const, text: l },
    ),
)
const steps = computed(() => reply.value?.trail?.reading?.steps ?? [])
const searches = computed(() => reply.value?.trail?.reading?.searches ?? [])
const took = (pass: string): string => {
  const t = (reply.value?.trail?.timings ?? []).find((x) => x.step === `pass ${pass}`)
  return t === undefined ? '' : (t.micros / 1000).toFixed(1)
}
const order = computed(() => (find.tried?.query.order ?? '').split(','))

let round = 0
async function run(): Promise<void> {
  const last = said.value.at(-1)
  if (last === undefined || last.role !== 'user') return
  const mine = ++round
  busy.value = true
  try {
    const got = await ok(
      api.POST('/api/corpora/{corpus}/find', {
        params: { path: { corpus: corpus.name } },
        body: { question: last.text, turns: said.value.slice(0, -1), surface: 'bench', ...find.variant },
      }),
    )
    if (mine !== round) return
    reply.value = got
    problem.value = ''
  } catch (e) {
    if (mine === round) problem.value = (e as Error).message
  }
  if (mine === round) busy.value = false
}
const soon = useDebounceFn(run, 300)
watch([talk, () => find.tried], () => void soon(), { deep: true })
onMounted(run)

function move(pass: string, by: number): void {
  const out = [...order.value]
  const i = out.indexOf(pass)
  if (i < 0 || i + by < 0 || i + by >= out.length) return
  out.splice(i, 1)
  out.splice(i + by, 0, pass)
  find.set('query', 'order', out.join(','))
}

const toggles = [
  'courtesy',
  'commands',
  'language',
  'filler',
  'spelling',
  'followUp',
  'glossary',
  'compound',
  'related',
  'feedback',
  'model',
]
</script>

<template>
  <section class="stack" aria-label="Rewriting">
    <div class="bench">
      <label class="field talk">
        <span class="label">A conversation</span>
        <ElInput
          v-model="talk"
          type="textarea"
          :rows="7"
          maxlength="20000"
          placeholder="A question, or several lines of a conversation; a line that begins with > was said by the assistant"
        />
        <span class="hint"
          >A message a line; a line that begins with &gt; was said by the assistant. The last line is read.</span
        >
      </label>
      <div class="stack">
        <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
        <table class="plain" :aria-busy="busy">
          <thead>
            <tr>
              <th>On</th>
              <th>Pass</th>
              <th>What it makes of it</th>
              <th>Why</th>
              <th class="num">ms</th>
              <th><span class="sr">Order</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="s in steps" :key="s.pass" :class="{ idle: !s.changed }">
              <td>
                <input
                  v-if="toggles.includes(s.pass)"
                  type="checkbox"
                  :checked="s.on"
                  :aria-label="`${passNames[s.pass]}, on`"
                  @change="(e) => find.set('query', s.pass, (e.target as HTMLInputElement).checked)"
                />
              </td>
              <td>{{ passNames[s.pass] ?? s.pass }}</td>
              <td>
                <template v-if="s.changed && s.after !== s.before">
                  <s class="muted">{{ s.before }}</s><br />{{ s.after }}
                </template>
                <span v-else class="muted">as it was</span>
              </td>
              <td>{{ s.why }}</td>
              <td class="num figure">{{ took(s.pass) }}</td>
              <td class="order">
                <template v-if="order.includes(s.pass)">
                  <button class="linkish" :aria-label="`${passNames[s.pass]} earlier`" @click="move(s.pass, -1)">
                    ↑
                  </button>
                  <button class="linkish" :aria-label="`${passNames[s.pass]} later`" @click="move(s.pass, 1)">↓</button>
                </template>
              </td>
            </tr>
          </tbody>
        </table>
        <div v-if="searches.length > 0">
          <h3>Searched for</h3>
          <table class="plain">
            <tbody>
              <tr v-for="(s, i) in searches" :key="i">
                <td>{{ passNames[s.pass] ?? s.pass }}</td>
                <td>{{ s.text }}</td>
                <td class="num figure">counts {{ s.weight }}</td>
                <td class="num figure">
                  finds {{ (reply?.evidence ?? []).filter((e) => (e.found ?? []).includes(i)).length }} of
                  {{ reply?.evidence.length }}
                </td>
              </tr>
            </tbody>
          </table>
          <p class="hint">
            What several wordings find is fused: a rewriting never loses what the plain question would have found.
          </p>
        </div>
        <p v-if="reply && reply.evidence.length > 0" class="first">
          <span class="muted">First:</span>
          {{ [reply.evidence[0]?.title, ...(reply.evidence[0]?.path ?? [])].join(' › ') }}
        </p>
      </div>
    </div>
    <GlossaryList />
  </section>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template-columns: minmax(200px, 280px) minmax(0, 1fr);
  gap: 18px;
}
tr.idle td {
  color: var(--muted);
}
.order {
  white-space: nowrap;
}
.order button {
  padding: 0 4px;
  text-decoration: none;
}
</style>
