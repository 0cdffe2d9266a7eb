<script setup lang="ts">
import { ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count, moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'

/** Links by which somebody who is not signed in can ask: the live release, or, for testers, the draft. */
const corpus = useCorpus()
const params = () => ({ path: { corpus: corpus.name } })
const {
  value: links,
  state,
  problem,
  load,
} = useAsk(() => ok(api.GET('/api/corpora/{corpus}/links', { params: params() })))
const { value: place } = useAsk(() => ok(api.GET('/api/corpora/{corpus}/place', { params: params() })))
const name = ref('')
const draft = ref(false)
const word = ref('')
const day = ref('')
const most = ref<number>()
const made = ref<Schema['Link']>()
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
    const body = {
      name: name.value.trim(),
      draft: draft.value,
      word: word.value,
      endsAt: day.value === '' ? undefined : new Date(`${day.value}T23:59:59`).toISOString(),
      most: most.value,
    }
    made.value = await ok(api.POST('/api/corpora/{corpus}/links', { params: params(), body }))
    name.value = ''
    word.value = ''
  })

const end = (link: string) =>
  attempt(() =>
    ok(api.DELETE('/api/corpora/{corpus}/links/{link}', { params: { path: { corpus: corpus.name, link } } })),
  )
const over = (l: Schema['Link']) =>
  (l.endsAt ?? '') !== '' && new Date(l.endsAt ?? '') < new Date()
    ? 'ended'
    : l.most && l.used >= l.most
      ? 'used up'
      : ''
</script>

<template>
  <section class="page stack" aria-label="Links">
    <p class="muted">Whoever has a link can ask, signed in or not.</p>
    <p v-if="place && place.visitors === ''" class="notice caution">
      The program does not listen for visitors: start it with
      <span class="mono">jolvex serve --visitors 127.0.0.1:8650</span>.
    </p>
    <form class="row" aria-label="New link" @submit.prevent="add">
      <ElInput v-model="name" class="name" placeholder="For whom" aria-label="For whom" maxlength="120" />
      <ElInput v-model="word" class="word" placeholder="Word to enter, or none" aria-label="Word to enter, or none" />
      <ElDatePicker
        v-model="day"
        type="date"
        value-format="YYYY-MM-DD"
        placeholder="Last day, or none"
        aria-label="Last day, or none"
        class="word"
      />
      <ElInputNumber
        v-model="most"
        :min="1"
        :precision="0"
        :controls="false"
        placeholder="Most questions"
        aria-label="Most questions"
      />
      <ElCheckbox v-model="draft">For testers: the draft</ElCheckbox>
      <ElButton type="primary" native-type="submit" :disabled="name.trim() === ''">Make a link</ElButton>
    </form>
    <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
    <p v-if="made" class="notice" role="status">
      It is shown once: <span class="mono link">{{ place?.visitors }}/s/{{ made.token }}</span>
      <button class="linkish" @click="made = undefined">I have kept it</button>
    </p>
    <AskState :state="state" what="the links" :problem="problem" @again="load">
      <p v-if="(links ?? []).length === 0" class="notice">No link yet.</p>
      <table v-else class="plain">
        <thead>
          <tr>
            <th>For whom</th>
            <th>Reaches</th>
            <th>Word</th>
            <th>Works until</th>
            <th class="num">Questions</th>
            <th>Made</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="l in links" :key="l.id">
            <td>
              {{ l.name }} <span v-if="over(l)" class="caution">{{ over(l) }}</span>
            </td>
            <td>{{ l.draft ? 'the draft (tests)' : 'the live release' }}</td>
            <td>{{ l.worded ? 'yes' : 'none' }}</td>
            <td :title="moment(l.endsAt ?? '').zone">{{ moment(l.endsAt ?? '').text || 'ended by hand' }}</td>
            <td class="num">
              {{ count(l.used) }}<template v-if="l.most"> of {{ count(l.most) }}</template>
            </td>
            <td :title="moment(l.createdAt).zone">{{ moment(l.createdAt).text }}, {{ l.madeBy }}</td>
            <td><button class="linkish" @click="end(l.id)">End</button></td>
          </tr>
        </tbody>
      </table>
    </AskState>
  </section>
</template>

<style scoped>
.page {
  padding: 16px 20px;
  overflow: auto;
}
.name {
  width: 200px;
}
.word {
  width: 170px;
}
.link {
  overflow-wrap: anywhere;
}
</style>
