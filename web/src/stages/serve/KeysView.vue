<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count, moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'

/** Keys by which programs ask the live release, over the widely used chat-completions protocol. */
const corpus = useCorpus()
const params = () => ({ path: { corpus: corpus.name } })
const {
  value: keys,
  state,
  problem,
  load,
} = useAsk(() => ok(api.GET('/api/corpora/{corpus}/keys', { params: params() })))
const { value: place } = useAsk(() => ok(api.GET('/api/corpora/{corpus}/place', { params: params() })))
const name = ref('')
const finds = ref(false)
const rate = ref(60)
const made = ref<Schema['Key']>()
const failed = ref('')

async function attempt(call: () => Promise<unknown>): Promise<void> {
  failed.value = ''
  try {
    await call()
  } catch (e) {
    failed.value = (e as Error).message
  }
  await load()
}

const add = () =>
  attempt(async () => {
    const scopes: Schema['NewKey']['scopes'] = finds.value ? ['ask', 'find'] : ['ask']
    made.value = await ok(
      api.POST('/api/corpora/{corpus}/keys', {
        params: params(),
        body: { name: name.value.trim(), scopes, perMinute: rate.value },
      }),
    )
    name.value = ''
  })
const end = (key: string) =>
  attempt(() => ok(api.DELETE('/api/corpora/{corpus}/keys/{key}', { params: { path: { corpus: corpus.name, key } } })))

const example = computed(
  () => `curl ${place.value?.visitors ?? ''}/v1/chat/completions \\
  -H "Authorization: Bearer $KEY" -H "Content-Type: application/json" \\
  -d '${JSON.stringify({ model: corpus.name, messages: [{ role: 'user', content: 'How much is a bicycle?' }] })}'`,
)
const may: Record<string, string> = { ask: 'ask', find: 'find passages' }
</script>

<template>
  <section class="page stack" aria-label="Programs">
    <p class="muted">
      A program with a key asks the live release over the widely used chat-completions protocol: its base address is
      <span class="mono">{{ place?.visitors }}/v1</span>, its model the name of the corpus.
    </p>
    <p class="muted">
      What the workbench itself does is in the <RouterLink to="/reference">reference of its REST API</RouterLink>.
    </p>
    <p v-if="place && place.visitors === ''" class="notice caution">
      The program does not listen for visitors: start it with
      <span class="mono">jolvex serve --visitors 127.0.0.1:8650</span>.
    </p>
    <form class="row" aria-label="New key" @submit.prevent="add">
      <ElInput
        v-model="name"
        class="name"
        placeholder="For which program"
        aria-label="For which program"
        maxlength="120"
      />
      <label class="row">
        <ElInputNumber v-model="rate" :min="1" :max="100000" :precision="0" :controls="false" class="rate" />
        questions a minute
      </label>
      <ElCheckbox v-model="finds">May also find passages</ElCheckbox>
      <ElButton type="primary" native-type="submit" :disabled="name.trim() === ''">Make a key</ElButton>
    </form>
    <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
    <p v-if="made" class="notice" role="status">
      It is shown once: <span class="mono link">{{ made.key }}</span> {{ ' '
      }}<button class="linkish" @click="made = undefined">I have kept it</button>
    </p>
    <AskState :state="state" what="the keys" :problem="problem" @again="load">
      <p v-if="(keys ?? []).length === 0" class="notice">No key yet.</p>
      <table v-else class="plain">
        <thead>
          <tr>
            <th>Program</th>
            <th>Key</th>
            <th>May</th>
            <th class="num">A minute</th>
            <th>Made</th>
            <th>Last used</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="k in keys" :key="k.id">
            <td>{{ k.name }}</td>
            <td class="mono">{{ k.start }}…</td>
            <td>{{ k.scopes.map((s) => may[s] ?? s).join(', ') }}</td>
            <td class="num">{{ count(k.perMinute) }}</td>
            <td :title="moment(k.createdAt).zone">{{ moment(k.createdAt).text }}, {{ k.madeBy }}</td>
            <td :title="moment(k.usedAt ?? '').zone">{{ moment(k.usedAt ?? '').text || 'never' }}</td>
            <td><button class="linkish" @click="end(k.id)">End</button></td>
          </tr>
        </tbody>
      </table>
    </AskState>
    <template v-if="place && place.visitors !== ''">
      <h2>To try it</h2>
      <pre class="mono example">{{ example }}</pre>
    </template>
  </section>
</template>

<style scoped>
.page {
  padding: 16px 20px;
  overflow: auto;
}
.name {
  width: 220px;
}
.rate {
  width: 80px;
}
.link {
  overflow-wrap: anywhere;
}
.example {
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 10px 12px;
  overflow: auto;
}
</style>
