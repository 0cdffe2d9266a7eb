<script setup lang="ts">
import { computed, onUnmounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import { moment, shortAddress } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import PreparedReply from './PreparedReply.vue'

/** For people who answer others: the conversations that wait for a person, and replies prepared from everything that staff may read. */
type Handover = Schema['Handover']
const corpus = useCorpus()
const route = useRoute()
const router = useRouter()
const closed = computed(() => route.query.closed === '1')
const open = computed(() => String(route.query.open ?? ''))
const look = (query: Record<string, string | undefined>) => router.replace({ query: { ...route.query, ...query } })

const {
  value: queue,
  state,
  problem,
  load,
} = useAsk(
  () =>
    ok(
      api.GET('/api/corpora/{corpus}/handovers', {
        params: { path: { corpus: corpus.name }, query: { closed: closed.value } },
      }),
    ),
  [closed],
)
const one = ref<Handover>()
const failed = ref('')
const busy = ref(false)

async function attempt(call: () => Promise<void>): Promise<void> {
  failed.value = ''
  busy.value = true
  try {
    await call()
  } catch (e) {
    failed.value = (e as Error).message
  }
  busy.value = false
}

const at = (handover: string) => ({ params: { path: { corpus: corpus.name, handover } } })
const show = (id: string) =>
  attempt(async () => {
    one.value = id === '' ? undefined : await ok(api.GET('/api/corpora/{corpus}/handovers/{handover}', at(id)))
  })
const choose = async (id: string) => {
  await look({ open: id === '' ? undefined : id })
  await show(id)
}
const take = (h: Handover) =>
  attempt(async () => {
    one.value = await ok(
      api.POST('/api/corpora/{corpus}/handovers/{handover}/take', { ...at(h.id), body: { from: h.takenBy ?? '' } }),
    )
    await load()
  })
const answer = (h: Handover, text: string, prepared: string, mail: boolean) =>
  attempt(async () => {
    one.value = await ok(
      api.POST('/api/corpora/{corpus}/handovers/{handover}/answer', { ...at(h.id), body: { text, prepared, mail } }),
    )
    await load()
  })
const close = (h: Handover) =>
  attempt(async () => {
    one.value = await ok(api.POST('/api/corpora/{corpus}/handovers/{handover}/close', at(h.id)))
    await load()
  })

const first = ref('')
const second = ref('')
const found = ref<Handover[]>()
const find = () =>
  attempt(async () => {
    found.value = await ok(
      api.POST('/api/corpora/{corpus}/found-by-details', {
        params: { path: { corpus: corpus.name } },
        body: { details: [first.value, second.value] },
      }),
    )
    one.value = found.value[0]
  })

const states = { waiting: 'waits', taken: 'taken', closed: 'closed' } as const
const lastAsked = computed(() => one.value?.said?.at(-1)?.asked ?? '')
const about = computed(() => {
  const line = one.value?.lines?.filter((l) => l.author === 'visitor').at(-1)
  return line?.text ?? one.value?.said?.find((x) => x.asked.length > 12)?.asked ?? lastAsked.value
})

if (open.value !== '') void show(open.value)
onUnmounted(
  corpus.on('handover', (b) => {
    void load()
    if (b.id === one.value?.id) void show(b.id)
  }),
)
</script>

<template>
  <div class="panes">
    <section class="left stack" aria-label="Conversations for a person">
      <div class="row">
        <ElButton :type="open === '' && one === undefined ? 'primary' : ''" @click="choose('')"
          >Prepare a reply</ElButton
        >
      </div>
      <h2>
        {{ closed ? 'Closed' : 'Waiting for a person' }}
        <button class="plain-link" @click="look({ closed: closed ? undefined : '1' })">
          {{ closed ? 'show those that wait' : 'show closed ones' }}
        </button>
      </h2>
      <AskState :state="state" :problem="problem" what="the conversations" @again="load">
        <p v-if="queue && queue.length === 0" class="muted">
          {{
            closed
              ? 'No conversation was closed yet.'
              : 'No conversation waits. A house rule that hands over to a person puts it here.'
          }}
          <RouterLink v-if="!closed" :to="`/c/${corpus.name}/answer?view=rules`">House rules</RouterLink>
        </p>
        <ul class="queue">
          <li v-for="h in queue ?? []" :key="h.id">
            <button :aria-current="one?.id === h.id" @click="choose(h.id)">
              <span class="about" dir="auto">{{ h.summary }}</span>
              <span class="hint">
                <span :class="h.state === 'waiting' ? 'caution' : 'muted'">{{ states[h.state] }}</span>
                <template v-if="h.takenBy">, {{ h.takenBy }}</template> ·
                <time :title="moment(h.openedAt).zone">{{ moment(h.openedAt).text }}</time>
                <template v-if="h.team"> · {{ h.team }}</template>
              </span>
            </button>
          </li>
        </ul>
      </AskState>
      <form class="stack" aria-label="Find a person's conversation" @submit.prevent="find">
        <h2>Find a person's conversation</h2>
        <p class="hint">
          Both details must be what the person told before: a name and a telephone number, for example.
        </p>
        <ElInput v-model="first" placeholder="First detail" aria-label="First detail" maxlength="200" />
        <ElInput v-model="second" placeholder="Second detail" aria-label="Second detail" maxlength="200" />
        <ElButton native-type="submit" :disabled="first.trim() === '' || second.trim() === ''">Find</ElButton>
        <p v-if="found && found.length === 0" class="muted" role="status">No conversation has both details.</p>
        <ul v-else-if="found && found.length > 1" class="queue">
          <li v-for="h in found" :key="h.conversation">
            <button @click="one = h">{{ h.summary }}</button>
          </li>
        </ul>
      </form>
    </section>
    <section class="right stack" aria-label="What is worked on">
      <p v-if="failed !== ''" class="bad" role="alert">{{ failed }}</p>
      <template v-if="one">
        <header class="row head">
          <h2>{{ one.purpose || one.rule || 'A conversation' }}</h2>
          <span v-if="one.who" dir="auto">{{ one.who }}</span>
          <span class="muted">{{ states[one.state] }}{{ one.takenBy ? `, ${one.takenBy}` : '' }}</span>
          <span class="space" />
          <ElButton
            v-if="one.id !== '' && one.state !== 'closed' && !one.mine"
            :disabled="busy"
            type="primary"
            @click="take(one)"
            >{{ one.state === 'waiting' ? 'Take it' : `Take it from ${one.takenBy}` }}</ElButton
          >
          <ElButton v-if="one.id !== '' && one.state !== 'closed'" :disabled="busy" @click="close(one)">Close</ElButton>
        </header>
        <p v-if="one.channel" class="hint">
          Written by {{ one.channel }}; what you send goes out there.
          <strong v-if="one.drafted" class="caution">The replies below were not sent.</strong>
        </p>
        <p v-if="one.page" class="hint">
          Asked on <a :href="one.page" target="_blank" rel="noopener noreferrer">{{ shortAddress(one.page) }}</a>
        </p>
        <dl v-if="one.told.length > 0" class="told">
          <template v-for="t in one.told" :key="t.name">
            <dt>{{ t.name }}</dt>
            <dd dir="auto">{{ t.value }}</dd>
          </template>
        </dl>
        <p v-if="one.state === 'waiting' && one.told.length > 0" class="hint">
          Details show once somebody has taken it.
        </p>
        <ol class="talk" aria-label="The conversation">
          <li v-for="x in one.said ?? []" :key="x.at">
            <p class="asked" dir="auto">{{ x.asked }}</p>
            <p class="said" dir="auto">{{ x.said }}</p>
          </li>
          <li v-for="l in one.lines ?? []" :key="l.id" :class="l.author">
            <p :class="l.author === 'visitor' ? 'asked' : 'person'" dir="auto">{{ l.text }}</p>
            <p class="hint">
              {{ l.author === 'staff' ? l.name : 'the asker' }}, {{ moment(l.at)
              }}{{ l.mailed ? ', by mail, too' : '' }}
            </p>
          </li>
        </ol>
        <PreparedReply
          v-if="one.id !== '' && one.state !== 'closed'"
          :key="one.id + String(one.lines?.length)"
          :question="about"
          :draft="one.drafted ? one.said?.at(-1) : undefined"
          :handover="one.id"
          :mail="one.mail"
          :sending="busy"
          @answer="(text, prepared, mail) => one && answer(one, text, prepared, mail)"
        />
      </template>
      <template v-else>
        <h2>Prepare a reply</h2>
        <p class="muted">
          It is made from everything that staff may read, under the release that visitors get. Each source says who may
          read it.
        </p>
        <PreparedReply question="" />
      </template>
    </section>
  </div>
</template>

<style scoped>
.queue .about {
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
  overflow-wrap: anywhere;
}
.queue .hint {
  display: block;
}
.plain-link {
  background: none;
  border: 0;
  padding: 0;
  margin-left: 8px;
  font-size: 12.5px;
  color: var(--accent);
  cursor: pointer;
  text-decoration: underline;
}
.right {
  max-width: 860px;
}
.space {
  flex: 1;
}
.told {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 2px 14px;
  margin: 0;
}
.told dt {
  color: var(--muted);
}
.told dd {
  margin: 0;
}
.talk {
  list-style: none;
  padding: 0;
  margin: 14px 0 0;
}
.talk p {
  margin: 0 0 4px;
  max-width: 72ch;
  overflow-wrap: anywhere;
  white-space: pre-line;
}
.talk li {
  padding: 6px 0 6px 10px;
  border-left: 2px solid var(--line);
  margin-bottom: 6px;
}
.talk li.staff {
  border-left-color: var(--accent);
}
.asked {
  font-weight: 600;
}
</style>
