<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'
import { api, ok, type Reply, type Schema } from '@/api/client'
import { languageName, moment, shortAddress } from '@/api/words'
import AskState from '@/components/AskState.vue'
import EvidenceTrail from '@/components/EvidenceTrail.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import ExpectForm from './ExpectForm.vue'
import { endOf, markWords, type Line } from './store'

/** One conversation as text: each question with its reply, what is said of it, and its evidence trail. */
const props = defineProps<{ conversation: string; exchange: string; hide: boolean }>()
const emit = defineEmits<{ say: [mark: Line['mark'], id: string]; close: [] }>()

const corpus = useCorpus()
const from = ref(0)
const { value, problem, state, load } = useAsk<Schema['Conversation']>(
  () =>
    ok(
      api.GET('/api/corpora/{corpus}/conversations/{conversation}', {
        params: {
          path: { corpus: corpus.name, conversation: props.conversation },
          query: { from: from.value, limit: 100, hide: props.hide },
        },
      }),
    ),
  [from, () => props.hide],
)
const trail = ref<Reply>()
const trailOf = ref('')
const expecting = ref('')
const told = ref('')
const body = ref<HTMLElement>()

async function evidence(l: Line): Promise<void> {
  if (trailOf.value === l.id) {
    trailOf.value = ''
    return
  }
  try {
    trail.value = await ok(
      api.GET('/api/corpora/{corpus}/replies/{reply}', { params: { path: { corpus: corpus.name, reply: l.id } } }),
    )
    trailOf.value = l.id
  } catch (e) {
    told.value = (e as Error).message
  }
}

function say(l: Line, m: Line['mark']): void {
  l.mark = l.mark === m ? '' : m
  emit('say', l.mark, l.id)
}

async function snag(l: Line): Promise<void> {
  try {
    const s = await ok(
      api.POST('/api/corpora/{corpus}/snags', {
        params: { path: { corpus: corpus.name } },
        body: { exchange: l.id },
      }),
    )
    l.snag = s.id
    l.mark = 'wrong'
    told.value = ''
  } catch (e) {
    told.value = (e as Error).message
  }
}

async function erase(visitor: string): Promise<void> {
  try {
    const path = { corpus: corpus.name, visitor }
    await ok(api.DELETE('/api/corpora/{corpus}/visitors/{visitor}', { params: { path } }))
    emit('close')
  } catch (e) {
    told.value = (e as Error).message
  }
}

/** What persons and the asker said to each other after an exchange and before the next. */
function after(n: number) {
  const at = value.value?.exchanges[n]?.at ?? ''
  const next = value.value?.exchanges[n + 1]?.at
  return (value.value?.persons ?? []).filter((p) => p.at >= at && (next === undefined || p.at < next))
}

async function reveal(): Promise<void> {
  await nextTick()
  body.value?.querySelector('.here')?.scrollIntoView({ block: 'nearest' })
}
watch([() => props.exchange, value], reveal)
</script>

<template>
  <section ref="body" class="talk stack" aria-label="Conversation">
    <AskState :state="state" what="the conversation" :problem="problem" @again="load">
      <template v-if="value">
        <p class="muted facts">
          <span :title="moment(value.beganAt).zone">{{ moment(value.beganAt).text }}</span> · {{ value.surface }}
          <template v-if="value.page !== ''"> · on {{ shortAddress(value.page) }}</template>
          <template v-if="value.audience !== 'public'"> · as {{ value.audience }}</template>
          <template v-if="value.visitor !== ''">
            · visitor <span class="mono">{{ value.visitor }}</span>{{ ' ' }}
            <ElPopconfirm
              :title="`Erase all conversations of ${value.visitor}, with their replies? This cannot be undone.`"
              confirm-button-text="Erase"
              cancel-button-text="Keep"
              width="280"
              @confirm="erase(value.visitor)"
            >
              <template #reference><button class="linkish">Erase this visitor</button></template>
            </ElPopconfirm>
          </template>
        </p>
        <p v-if="told !== ''" class="notice bad" role="alert">{{ told }}</p>
        <p v-if="value.from > 0">
          <button class="linkish" @click="from = Math.max(0, value.from - 100)">Earlier in this conversation</button>
        </p>
        <article v-for="(l, n) in value.exchanges" :key="l.id" :class="{ here: l.id === exchange }">
          <p class="asked" dir="auto">{{ l.question }}</p>
          <p class="said" dir="auto">{{ l.said === '' ? (l.waiting ? 'Waits for a reply' : 'No reply') : l.said }}</p>
          <p class="muted facts">
            <span :class="endOf(l).tone">{{ endOf(l).text }}</span>
            <template v-if="l.trail"> · support {{ l.support.toFixed(2) }}</template>
            <template v-if="l.language !== ''"> · {{ languageName(l.language) }}</template>
            <template v-if="l.rules.length > 0"> · house rule {{ l.rules.join(', ') }}</template>
            <template v-if="l.thumb !== ''"
              ><span :class="l.thumb === 'up' ? 'good' : 'bad'"> · thumb {{ l.thumb }}</span
              ><q v-if="l.word !== ''">{{ l.word }}</q></template
            >
            <template v-if="l.mark !== ''"> · {{ markWords[l.mark] }}</template>
            <template v-if="l.note !== ''"> · {{ l.note }}</template>
          </p>
          <div class="row">
            <ElButton size="small" :type="l.mark === 'right' ? 'primary' : ''" @click="say(l, 'right')"
              >Right (a)</ElButton
            >
            <ElButton size="small" :type="l.mark === 'wrong' ? 'primary' : ''" @click="say(l, 'wrong')"
              >Wrong (w)</ElButton
            >
            <ElButton size="small" :type="l.mark === 'doubtful' ? 'primary' : ''" @click="say(l, 'doubtful')"
              >Doubtful (d)</ElButton
            >
            <button v-if="l.trail" class="linkish" :aria-expanded="trailOf === l.id" @click="evidence(l)">
              Evidence
            </button>
            <RouterLink v-if="l.snag !== ''" :to="{ query: { view: 'snags', open: l.snag } }">Open its snag</RouterLink>
            <button v-else class="linkish" @click="snag(l)">Make a snag</button>
            <button class="linkish" @click="expecting = expecting === l.id ? '' : l.id">Add to a set</button>
          </div>
          <ExpectForm v-if="expecting === l.id" :line="l" @done="expecting = ''" />
          <p v-for="p in after(n)" :key="p.at" class="person" dir="auto">
            <span class="muted">{{ p.author === 'staff' ? p.name : 'The asker' }}:</span> {{ p.text }}
          </p>
          <div v-if="trailOf === l.id && trail" class="evidence">
            <EvidenceTrail :reply="trail" :corpus="corpus.name" />
          </div>
        </article>
        <p v-if="value.more">
          <button class="linkish" @click="from = value.from + 100">Later in this conversation</button>
        </p>
      </template>
    </AskState>
  </section>
</template>

<style scoped>
.talk {
  overflow: auto;
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 12px 16px;
}
article {
  border-top: 1px solid var(--line);
  padding: 10px 0 10px 12px;
  border-left: 3px solid transparent;
}
article.here {
  border-left-color: var(--accent);
}
.asked {
  font-weight: 650;
  margin: 0 0 4px;
  overflow-wrap: anywhere;
}
.said {
  margin: 0 0 4px;
  max-width: 72ch;
  white-space: pre-line;
  overflow-wrap: anywhere;
}
.facts {
  font-size: 12.5px;
  margin: 0 0 6px;
}
.row :deep(.el-button + .el-button) {
  margin-left: 0;
}
.person {
  border-left: 2px solid var(--accent);
  padding-left: 10px;
  margin: 6px 0;
  white-space: pre-line;
}
.evidence {
  overflow: auto;
  border: 1px solid var(--line);
  padding: 10px 0;
  margin-top: 8px;
}
.evidence :deep(.trail) {
  grid-template-columns: 1fr;
  gap: 10px;
}
.evidence :deep(section + section) {
  border-left: 0;
  border-top: 1px solid var(--line);
  padding-top: 8px;
}
</style>
