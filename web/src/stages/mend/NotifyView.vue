<script setup lang="ts">
import { onUnmounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import NotifyForm from './NotifyForm.vue'
import { hourWord, noticeKinds, noticePaces, sentWords } from './store'

type Subscription = Schema['Subscription']

/** Who is told of what, by mail or webhook, and what went out. */
const corpus = useCorpus()
const path = () => ({ corpus: corpus.name })
const {
  value: list,
  state: listState,
  problem: listProblem,
  load: loadList,
} = useAsk(() => ok(api.GET('/api/corpora/{corpus}/subscriptions', { params: { path: path() } })))
const {
  value: messages,
  state: messagesState,
  problem: messagesProblem,
  load: loadMessages,
} = useAsk(() => ok(api.GET('/api/corpora/{corpus}/deliveries', { params: { path: path() } })))
onUnmounted(corpus.on('talk', () => void loadMessages()))

const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
const fresh = (): Subscription => ({
  recipient: '',
  kinds: ['unanswered', 'digest'],
  pace: 'hour',
  hour: 8,
  quietFrom: 20,
  quietTo: 7,
  zone,
  most: 20,
})
const editing = ref<Subscription>()
const secret = ref('')
const failed = ref('')
const open = ref('')
async function attempt(call: () => Promise<void>): Promise<void> {
  try {
    await call()
    failed.value = ''
  } catch (e) {
    failed.value = (e as Error).message
  }
  await Promise.all([loadList(), loadMessages()])
}

const save = (told: Subscription) =>
  attempt(async () => {
    const got = await ok(api.PUT('/api/corpora/{corpus}/subscriptions', { params: { path: path() }, body: told }))
    secret.value = got.secret ?? ''
    editing.value = undefined
  })

const drop = (id: string) =>
  attempt(async () => {
    await ok(
      api.DELETE('/api/corpora/{corpus}/subscriptions/{subscription}', {
        params: { path: { ...path(), subscription: id } },
      }),
    )
  })

const again = (id: string) =>
  attempt(async () => {
    await ok(
      api.POST('/api/corpora/{corpus}/deliveries/{delivery}/retry', { params: { path: { ...path(), delivery: id } } }),
    )
  })
</script>

<template>
  <section class="scroll stack" aria-label="Notices">
    <div class="row">
      <h2>Who is told</h2>
      <ElButton type="primary" size="small" @click="editing = fresh()">Tell somebody</ElButton>
    </div>
    <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
    <p v-if="secret !== ''" class="notice caution">
      The secret that messages to this webhook are signed with is shown once: <span class="mono">{{ secret }}</span>
      <button class="linkish" @click="secret = ''">I have kept it</button>
    </p>
    <NotifyForm v-if="editing" :key="editing.id" :told="editing" @save="save" @cancel="editing = undefined" />
    <AskState :state="listState" what="who is told" :problem="listProblem" @again="loadList">
      <p v-if="(list ?? []).length === 0 && !editing" class="notice">
        Nobody is told yet. Questions without an answer, alerts and the digest of the day can go to a mail address or a
        webhook. <button class="linkish" @click="editing = fresh()">Tell somebody</button>
      </p>
      <table v-else-if="(list ?? []).length > 0" class="plain">
        <thead>
          <tr>
            <th>To</th>
            <th>Of what</th>
            <th>When</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in list" :key="s.id">
            <td class="mono">{{ s.recipient }}</td>
            <td>{{ s.kinds.map((k) => noticeKinds[k]).join(', ') }}</td>
            <td>
              {{ noticePaces[s.pace]
              }}<template v-if="s.pace === 'day' || s.kinds.includes('digest')"
                >, daily at {{ hourWord(s.hour) }}</template
              ><template v-if="s.quietFrom !== s.quietTo"
                >; quiet {{ hourWord(s.quietFrom) }} to {{ hourWord(s.quietTo) }}</template
              >
            </td>
            <td>
              <button class="linkish" @click="editing = { ...s }">Edit</button>
              {{ ' ' }}
              <button class="linkish" @click="drop(s.id ?? '')">Remove</button>
            </td>
          </tr>
        </tbody>
      </table>
    </AskState>
    <h2>Messages</h2>
    <AskState :state="messagesState" what="the messages" :problem="messagesProblem" @again="loadMessages">
      <p v-if="(messages ?? []).length === 0" class="muted">None yet.</p>
      <table v-else class="plain">
        <thead>
          <tr>
            <th>When</th>
            <th>To</th>
            <th>Subject</th>
            <th>State</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="d in messages" :key="d.id">
            <tr>
              <td class="figure" :title="moment(d.createdAt).zone">{{ moment(d.createdAt).text }}</td>
              <td class="mono">{{ d.recipient }}</td>
              <td>
                <button class="linkish" :aria-expanded="open === d.id" @click="open = open === d.id ? '' : d.id">
                  {{ d.subject }}
                </button>
              </td>
              <td>
                <span :class="d.state === 'failed' ? 'bad' : d.state === 'sent' ? 'good' : 'muted'">{{
                  sentWords[d.state]
                }}</span>
                <span v-if="d.problem !== ''" class="muted"> {{ d.problem }}</span>
                <button v-if="d.state === 'failed'" class="linkish" @click="again(d.id)">Send again</button>
              </td>
            </tr>
            <tr v-if="open === d.id">
              <td colspan="4">
                <pre>{{ d.body }}</pre>
              </td>
            </tr>
          </template>
        </tbody>
      </table>
    </AskState>
  </section>
</template>

<style scoped>
.scroll {
  overflow: auto;
  padding-bottom: 16px;
}
pre {
  margin: 0;
  white-space: pre-wrap;
  font: 12.5px/1.5 var(--mono);
}
</style>
