<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import { count, moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'

/** Messaging services and mail addresses at which the live release answers. */
type Channel = Schema['Channel']
type Settings = Schema['ChannelSettings']
const corpus = useCorpus()
const route = useRoute()
const router = useRouter()
const params = () => ({ path: { corpus: corpus.name } })
const {
  value: channels,
  state,
  problem,
  load,
} = useAsk(() => ok(api.GET('/api/corpora/{corpus}/channels', { params: params() })))
const { value: place } = useAsk(() => ok(api.GET('/api/corpora/{corpus}/place', { params: params() })))

const fresh = (kind: Channel['kind']): Schema['PuttingChannel'] => ({
  kind,
  name: '',
  settings: {
    address: '',
    mode: kind === 'mail' ? 'draft' : 'answer',
    markup: 'plain',
    longest: 0,
    silence: kind === 'mail' ? 336 : 24,
    sources: true,
    paused: false,
  },
})
const form = ref(fresh('service'))
const editing = ref(false)
const told = ref<Channel>()
const failed = ref('')
const tried = ref('')
const to = ref('')
const busy = ref(false)
const open = computed(() => String(route.query.open ?? ''))
const one = computed(() => channels.value?.find((c) => c.id === open.value))

function edit(c: Schema['PuttingChannel'], id: string): void {
  form.value = c
  editing.value = true
  failed.value = ''
  tried.value = ''
  void router.replace({ query: { ...route.query, open: id === '' ? undefined : id } })
}
const choose = (c: Channel) =>
  edit({ id: c.id, kind: c.kind, name: c.name, settings: { ...c.settings } satisfies Settings }, c.id ?? '')
watch(one, (c) => {
  if (!editing.value && c !== undefined) choose(c)
})

async function attempt(call: () => Promise<void>): Promise<void> {
  failed.value = ''
  tried.value = ''
  busy.value = true
  try {
    await call()
  } catch (e) {
    failed.value = (e as Error).message
  }
  busy.value = false
  await load()
}
const save = (renew: boolean) =>
  attempt(async () => {
    const put = await ok(
      api.PUT('/api/corpora/{corpus}/channels', { params: params(), body: { ...form.value, renew } }),
    )
    if (put.secret) told.value = put
    choose(put)
  })
const remove = (id: string) =>
  attempt(async () => {
    await ok(
      api.DELETE('/api/corpora/{corpus}/channels/{channel}', {
        params: { path: { corpus: corpus.name, channel: id } },
      }),
    )
    editing.value = false
    await router.replace({ query: { ...route.query, open: undefined } })
  })
const attemptSend = (id: string) =>
  attempt(async () => {
    const said = await ok(
      api.POST('/api/corpora/{corpus}/channels/{channel}/try', {
        params: { path: { corpus: corpus.name, channel: id } },
        body: { to: to.value.trim() },
      }),
    )
    if (said.problem === '') tried.value = 'It was taken.'
    else failed.value = said.problem
  })

const inMend = (view: string, surface?: string) => ({ path: `/c/${corpus.name}/mend`, query: { view, surface } })
const kinds = { service: 'messaging service', mail: 'mail' } as const
const modes = [
  { value: 'answer', label: 'Send every reply' },
  { value: 'sure', label: 'Send replies; what the material does not answer goes to a person' },
  { value: 'draft', label: 'A person sends each reply' },
]
const markups = [
  { value: 'plain', label: 'Plain text' },
  { value: 'markdown', label: 'Markdown' },
  { value: 'html', label: 'HTML' },
]
function line(c: Channel): string {
  const f = c.figures
  const out = [`${count(f.answered)} answered`]
  if (f.waiting > 0) out.push(`${count(f.waiting)} waiting`)
  if (f.unsent > 0) out.push(`${count(f.unsent)} not sent yet`)
  if (f.dropped > 0) out.push(`${count(f.dropped)} from machines`)
  return out.join(' · ')
}
const wrong = (c: Channel) => c.figures.failed + c.figures.lost
</script>

<template>
  <div class="panes">
    <section class="left stack" aria-label="Channels">
      <div class="row">
        <ElButton @click="edit(fresh('service'), '')">Add a service</ElButton>
        <ElButton @click="edit(fresh('mail'), '')">Add a mail address</ElButton>
      </div>
      <AskState :state="state" what="the channels" :problem="problem" @again="load">
        <p v-if="(channels ?? []).length === 0" class="muted">
          No channel yet. A messaging service or a mail address can ask the live release, too.
        </p>
        <ul class="queue">
          <li v-for="c in channels ?? []" :key="c.id">
            <button :aria-current="c.id === open" @click="choose(c)">
              <span>{{ c.name }}</span> <span class="muted">{{ kinds[c.kind] }}</span>
              <span v-if="c.settings.paused" class="caution"> paused</span>
              <span class="hint line">{{ line(c) }}</span>
              <span v-if="wrong(c) > 0" class="bad line">{{ count(wrong(c)) }} failed</span>
            </button>
          </li>
        </ul>
      </AskState>
    </section>
    <section class="right stack" aria-label="The channel">
      <p v-if="place && place.visitors === ''" class="notice caution">
        The program does not listen for visitors: start it with
        <span class="mono">jolvex serve --visitors 127.0.0.1:8650</span>.
      </p>
      <p v-if="place && place.live === 0" class="notice caution">
        Nothing has been released yet: messages wait and are given up after a while.
      </p>
      <form v-if="editing" class="stack" aria-label="Settings of the channel" @submit.prevent="save(false)">
        <h2>{{ form.id ? form.name : form.kind === 'mail' ? 'New mail address' : 'New messaging service' }}</h2>
        <label class="field">
          <span class="label">Name</span>
          <ElInput v-model="form.name" maxlength="120" />
        </label>
        <label class="field">
          <span class="label">{{
            form.kind === 'mail' ? 'Mail address that replies come from' : 'Address that replies are posted to'
          }}</span>
          <ElInput
            v-model="form.settings.address"
            maxlength="500"
            :placeholder="form.kind === 'mail' ? 'ask@example.org' : 'https://messages.example.org/replies'"
          />
        </label>
        <fieldset class="choices">
          <legend class="label">Replies</legend>
          <ElRadioGroup v-model="form.settings.mode">
            <ElRadio v-for="m in modes" :key="m.value" :value="m.value">{{ m.label }}</ElRadio>
          </ElRadioGroup>
        </fieldset>
        <div v-if="form.kind === 'service'" class="row">
          <label class="field">
            <span class="label">Links are written as</span>
            <ElSelect v-model="form.settings.markup" class="short">
              <ElOption v-for="m in markups" :key="m.value" :value="m.value" :label="m.label" />
            </ElSelect>
          </label>
          <label class="field">
            <span class="label">Most characters in a message (0: any)</span>
            <ElInputNumber v-model="form.settings.longest" :min="0" :max="100000" :precision="0" :controls="false" />
          </label>
        </div>
        <label class="field">
          <span class="label">Hours of silence after which a new conversation begins</span>
          <ElInputNumber v-model="form.settings.silence" :min="1" :max="8760" :precision="0" :controls="false" />
        </label>
        <div class="row">
          <ElCheckbox v-model="form.settings.sources">List the sources below a reply</ElCheckbox>
          <ElCheckbox v-model="form.settings.paused">Paused: messages wait</ElCheckbox>
        </div>
        <div class="row">
          <ElButton
            type="primary"
            native-type="submit"
            :loading="busy"
            :disabled="form.name.trim() === '' || form.settings.address.trim() === ''"
            >{{ form.id ? 'Save' : 'Make the channel' }}</ElButton
          >
          <ElPopconfirm
            v-if="form.id"
            title="Remove the channel? Its conversations stay; replies that were not sent are lost."
            confirm-button-text="Remove"
            cancel-button-text="Cancel"
            @confirm="remove(form.id)"
          >
            <template #reference><ElButton>Remove</ElButton></template>
          </ElPopconfirm>
        </div>
      </form>
      <p v-else class="muted">Choose a channel, or make one.</p>
      <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
      <p class="good" role="status">{{ tried }}</p>
      <p v-if="told" class="notice" role="status">
        The secret of {{ told.name }}, shown once: <span class="mono wrap">{{ told.secret }}</span>
        <button class="linkish" @click="told = undefined">I have kept it</button>
      </p>
      <template v-if="one && form.id === one.id">
        <h2>Connect it</h2>
        <p v-if="one.kind === 'mail'" class="read">
          Have the mail server hand each mail to this address, whole, by POST, with the secret as a bearer token. Mail
          goes out by the mail server that is
          <RouterLink :to="inMend('notices')">connected</RouterLink>. Mail from machines is not answered.
        </p>
        <p v-else class="read">
          Have the service post each message here as JSON with <span class="mono">id</span>,
          <span class="mono">thread</span>, <span class="mono">text</span> and <span class="mono">from</span>, signed as
          Standard Webhooks says. Replies are posted with <span class="mono">thread</span>,
          <span class="mono">inReplyTo</span> and <span class="mono">parts</span>, signed with the same secret.
        </p>
        <p class="mono wrap">{{ one.in || 'The program does not listen for visitors' }}</p>
        <div class="row">
          <ElInput
            v-if="one.kind === 'mail'"
            v-model="to"
            class="to"
            type="email"
            placeholder="Your mail address"
            aria-label="Your mail address"
          />
          <ElButton
            :loading="busy"
            :disabled="one.kind === 'mail' && to.trim() === ''"
            @click="attemptSend(one.id ?? '')"
            >Send a trial message</ElButton
          >
          <ElButton :loading="busy" @click="save(true)">New secret</ElButton>
        </div>
        <p v-if="one.figures.problem !== ''" class="notice caution">Last problem: {{ one.figures.problem }}</p>
        <p class="hint">
          <template v-if="one.figures.lastIn !== ''"
            >Last message <span :title="moment(one.figures.lastIn).zone">{{ moment(one.figures.lastIn).text }}</span> ·
          </template>
          <RouterLink :to="inMend('log', one.kind === 'mail' ? 'mail' : 'messages')">Conversations</RouterLink>
          · <RouterLink :to="inMend('notices')">Replies that could not be sent</RouterLink>
        </p>
      </template>
    </section>
  </div>
</template>

<style scoped>
.line {
  display: block;
}
.right {
  max-width: 820px;
}
.read {
  max-width: 72ch;
}
.choices {
  border: 0;
  padding: 0;
  margin-inline: 0;
}
.choices :deep(.el-radio) {
  display: flex;
  height: auto;
  min-height: 28px;
  white-space: normal;
}
.choices :deep(.el-radio-group) {
  display: block;
}
.short {
  width: 150px;
}
.to {
  width: 240px;
}
.wrap {
  overflow-wrap: anywhere;
}
</style>
