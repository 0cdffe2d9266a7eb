<script setup lang="ts">
import { ref } from 'vue'
import { api, ok } from '@/api/client'
import { useCorpus } from '@/stores/corpus'
import type { Line } from './store'

/** Makes an expected question of an exchange: the person says what is true. */
const props = defineProps<{ line: Line }>()
const emit = defineEmits<{ done: [] }>()

const corpus = useCorpus()
const set = ref('Asked')
const fact = ref('')
const cite = ref(props.line.outcome === 'answered')
const problem = ref('')
const told = ref('')

async function save(): Promise<void> {
  try {
    await ok(
      api.POST('/api/corpora/{corpus}/log/{exchange}/expect', {
        params: { path: { corpus: corpus.name, exchange: props.line.id } },
        body: { set: set.value.trim(), fact: fact.value, cite: cite.value },
      }),
    )
    told.value = `Added to “${set.value.trim()}”.`
    problem.value = ''
  } catch (e) {
    problem.value = (e as Error).message
  }
}
</script>

<template>
  <form class="stack expect" @submit.prevent="save">
    <label class="field">
      <span class="label">What is true</span>
      <ElInput v-model="fact" type="textarea" autosize maxlength="2000" placeholder="A bicycle costs £4.00." />
      <span class="hint"
        >Its figures, or one of its sentences, are expected of the reply. Leave it empty to expect a refusal.</span
      >
    </label>
    <ElCheckbox v-if="line.outcome === 'answered'" v-model="cite"
      >The page that the reply cites is the right one</ElCheckbox
    >
    <div class="row">
      <ElInput v-model="set" class="set" maxlength="120" aria-label="Question set" />
      <ElButton native-type="submit" size="small" type="primary" :disabled="set.trim() === ''">Add to the set</ElButton>
      <button type="button" class="linkish" @click="emit('done')">Close</button>
      <span class="muted" role="status">{{ told }}</span>
    </div>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
  </form>
</template>

<style scoped>
.expect {
  background: var(--sunk);
  padding: 10px;
  margin-top: 8px;
}
.set {
  width: 180px;
}
</style>
