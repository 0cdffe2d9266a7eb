<script setup lang="ts">
import { ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { useAnswer } from './store'

/** Drafts a manner from a few words about it, or from a sample of the organisation's writing. What comes is tried, not applied. */
const answer = useAnswer()
const guide = ref<Schema['WordingGuide']>({ tone: 'plain', length: 'middle' })
const noticed = ref<string[]>([])
const problem = ref('')

async function draft(): Promise<void> {
  try {
    const d = await ok(api.POST('/api/manner/draft', { body: guide.value }))
    const set = {
      tone: d.tone,
      words: d.words,
      greeting: d.greeting,
      refusal: d.refusal,
      ...(d.turnTo && { turnTo: d.turnTo }),
    }
    if (answer.tried !== undefined) answer.put({ answer: { ...answer.tried.answer, ...set } })
    noticed.value = d.noticed
    problem.value = ''
  } catch (e) {
    problem.value = (e as Error).message
  }
}
</script>

<template>
  <details class="guide">
    <summary>Draft it from a few words</summary>
    <form class="stack" @submit.prevent="draft">
      <label class="field">
        <span class="label">Who speaks</span>
        <ElInput v-model="guide.of" maxlength="120" />
      </label>
      <label class="field">
        <span class="label">Who reads it</span>
        <ElInput v-model="guide.readers" maxlength="200" />
      </label>
      <div class="row">
        <ElSelect v-model="guide.tone" aria-label="Tone">
          <ElOption value="plain" label="plain" />
          <ElOption value="warm" label="warm" />
          <ElOption value="formal" label="formal" />
        </ElSelect>
        <ElSelect v-model="guide.length" aria-label="Length">
          <ElOption value="short" label="short replies" />
          <ElOption value="middle" label="medium replies" />
          <ElOption value="long" label="long replies" />
        </ElSelect>
      </div>
      <label class="field">
        <span class="label">Where to turn when there is no answer</span>
        <ElInput v-model="guide.contact" maxlength="300" />
      </label>
      <label class="field">
        <span class="label">A sample of your writing</span>
        <ElInput v-model="guide.sample" type="textarea" :rows="4" maxlength="20000" />
        <span class="hint">It outweighs the tone chosen above.</span>
      </label>
      <ElButton native-type="submit">Draft</ElButton>
      <p v-if="noticed.length > 0" class="hint">Seen in the sample: {{ noticed.join(' ') }}</p>
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    </form>
  </details>
</template>

<style scoped>
.guide {
  border: 1px solid var(--line);
  background: var(--raised);
  padding: 8px 12px;
}
summary {
  font-weight: 650;
  cursor: pointer;
}
form {
  margin-top: 10px;
}
.row > * {
  flex: 1;
}
</style>
