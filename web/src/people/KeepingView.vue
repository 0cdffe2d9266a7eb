<script setup lang="ts">
import { computed, onUnmounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import { useSelf } from '@/stores/self'

/** For how long things of a corpus are kept, and its end. */
const corpus = useCorpus()
const self = useSelf()
const router = useRouter()
const params = () => ({ path: { corpus: corpus.name } })
const {
  value: kept,
  state,
  problem,
  load,
} = useAsk(() => ok(api.GET('/api/corpora/{corpus}/retention', { params: params() })))
const form = ref<Schema['Retention']>({ conversations: 0, runs: 0, versions: 0 })
watch(kept, (k) => {
  if (k !== undefined) form.value = { ...k }
})
const changed = computed(() => kept.value !== undefined && JSON.stringify(form.value) !== JSON.stringify(kept.value))
const owns = computed(() => self.may(corpus.name, 'own'))
const failed = ref('')
const done = ref('')
const name = ref('')

async function attempt(call: () => Promise<void>): Promise<void> {
  failed.value = ''
  done.value = ''
  try {
    await call()
  } catch (e) {
    failed.value = (e as Error).message
  }
}
const save = () =>
  attempt(async () => {
    await ok(api.PUT('/api/corpora/{corpus}/retention', { params: params(), body: form.value }))
    await load()
    done.value = 'Saved. What is over is removed once a day.'
  })
const collect = () =>
  attempt(async () => {
    done.value = 'Looking for what is over'
    await ok(api.POST('/api/corpora/{corpus}/collect', { params: params() }))
  })
onUnmounted(
  corpus.onJobEnd((j) => {
    if (j.kind === 'collect') done.value = j.error !== '' ? j.error : `Done: ${j.note}.`
  }),
)
const remove = () =>
  attempt(async () => {
    await ok(api.DELETE('/api/corpora/{corpus}', { params: params() }))
    await router.push('/')
  })
const lines = [
  {
    key: 'conversations',
    label: 'Conversations, days after the last message',
    hint: 'Those that wait for a person or hold an open snag stay. 0 keeps all.',
  },
  {
    key: 'runs',
    label: 'Runs of question sets, days',
    hint: 'The newest of each set stays. 0 keeps the newest 100 of each.',
  },
  {
    key: 'versions',
    label: 'Earlier texts of documents, days',
    hint: 'Texts that a release or a kept reply rests on stay. 0 keeps all.',
  },
] as const
</script>

<template>
  <section class="page stack" aria-label="Keeping">
    <h1>What is kept of {{ corpus.name }}</h1>
    <AskState :state="state" what="the days" :problem="problem" @again="load">
      <form class="stack" aria-label="For how long" @submit.prevent="save">
        <h2>For how long</h2>
        <label v-for="l in lines" :key="l.key" class="field">
          <span class="label">{{ l.label }}</span>
          <ElInputNumber
            v-model="form[l.key]"
            :min="0"
            :max="36500"
            :precision="0"
            :controls="false"
            :disabled="!owns"
          />
          <span class="hint beside">{{ l.hint }}</span>
        </label>
        <div class="row">
          <ElButton type="primary" native-type="submit" :disabled="!changed || !owns">Save</ElButton>
          <ElButton :disabled="!owns || changed" @click="collect">Remove what is over now</ElButton>
          <span v-if="changed" class="caution">Not saved yet</span>
        </div>
        <p v-if="!owns" class="hint">Only an owner changes this.</p>
      </form>
    </AskState>
    <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
    <p class="good" role="status">{{ done }}</p>
    <form v-if="owns" class="stack" aria-label="Delete the corpus" @submit.prevent="remove">
      <h2>Delete the corpus</h2>
      <p class="read">
        Its sources, documents, question sets, runs, conversations and releases go with it, and visitors are answered no
        more. This cannot be undone; make a backup first.
      </p>
      <label class="field">
        <span class="label">Write its name to delete it</span>
        <ElInput v-model="name" class="name" autocomplete="off" />
      </label>
      <ElButton type="danger" native-type="submit" :disabled="name !== corpus.name">Delete {{ corpus.name }}</ElButton>
    </form>
  </section>
</template>

<style scoped>
.page {
  padding: 16px 20px;
  overflow: auto;
  max-width: 720px;
}
.read {
  max-width: 72ch;
}
.beside {
  margin-left: 10px;
}
.name {
  width: 300px;
}
</style>
