<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count, counted, percent } from '@/api/words'
import { useCorpus } from '@/stores/corpus'

/** A settled answer in the making, with the past questions that it takes for its own as it is written. */
const props = defineProps<{ answer: Schema['Answer']; snag?: string; save: string }>()
const emit = defineEmits<{ save: [a: Schema['Answer']] }>()

const corpus = useCorpus()
const question = ref(props.answer.question)
const text = ref(props.answer.answer)
const wordings = ref(props.answer.wordings.join('\n'))
const owner = ref(props.answer.owner)
const expires = ref(props.answer.expires)
const caught = ref<Schema['Catch']>()
const problem = ref('')
const busy = ref(false)

const list = computed(() =>
  wordings.value
    .split('\n')
    .map((w) => w.trim())
    .filter((w) => w !== ''),
)
let round = 0
async function hold(): Promise<void> {
  const mine = ++round
  busy.value = true
  try {
    const got = await ok(
      api.POST('/api/corpora/{corpus}/settled/catch', {
        params: { path: { corpus: corpus.name } },
        body: { question: question.value, wordings: list.value.slice(0, 20), snag: props.snag },
      }),
    )
    if (mine !== round) return
    caught.value = got
    problem.value = ''
  } catch (e) {
    if (mine === round) problem.value = (e as Error).message
  }
  busy.value = false
}
const holdSoon = useDebounceFn(hold, 400)
watch([question, wordings], holdSoon)
onMounted(hold)

const meant = computed(() => (caught.value?.caught ?? []).filter((c) => c.meant))
const over = computed(() => (caught.value?.caught ?? []).filter((c) => !c.meant))
</script>

<template>
  <form
    class="settled"
    @submit.prevent="emit('save', { ...answer, question, answer: text, wordings: list, owner, expires: expires ?? '' })"
  >
    <div class="stack">
      <label class="field">
        <span class="label">Question</span>
        <ElInput v-model="question" maxlength="2000" />
        <span class="hint">Use the key words that users use: later wordings are held against it.</span>
      </label>
      <label class="field">
        <span class="label">Answer</span>
        <ElInput v-model="text" type="textarea" :autosize="{ minRows: 3 }" maxlength="20000" />
      </label>
      <label class="field">
        <span class="label">Other wordings, one a line</span>
        <ElInput v-model="wordings" type="textarea" :autosize="{ minRows: 2, maxRows: 8 }" />
      </label>
      <div class="row">
        <label class="field"
          ><span class="label">Who answers for it</span><ElInput v-model="owner" maxlength="120"
        /></label>
        <label class="field"
          ><span class="label">Expires on</span>
          <ElDatePicker v-model="expires" value-format="YYYY-MM-DD" aria-label="Expires on" placeholder="never" />
        </label>
      </div>
      <div class="row">
        <ElButton native-type="submit" type="primary" :disabled="question.trim() === '' || text.trim() === ''">{{
          save
        }}</ElButton>
        <slot />
      </div>
    </div>
    <div class="stack catches" aria-live="polite">
      <p v-if="problem !== ''" class="notice bad">{{ problem }}</p>
      <p v-if="caught?.everything" class="notice caution">
        It would take over {{ count(caught.over) }} of {{ counted(caught.of, 'question') }} that other answers serve.
        Make the question narrower.
      </p>
      <h4>It will answer {{ caught ? counted(caught.meant, 'past question') : '' }}</h4>
      <ul>
        <li v-for="c in meant.slice(0, 12)" :key="c.question" dir="auto">
          {{ c.question }}
          <span class="muted figure">{{ percent(c.how) }}{{ c.count > 1 ? ` · ${c.count} times` : '' }}</span>
        </li>
      </ul>
      <p v-if="caught && caught.meant === 0" class="muted">None of those that went wrong. Add the wordings of users.</p>
      <h4 :class="over.length > 0 ? 'caution' : ''">
        It would take over {{ caught ? counted(caught.over, 'question') : '' }} from other answers
      </h4>
      <ul>
        <li v-for="c in over.slice(0, 12)" :key="c.question" dir="auto">
          {{ c.question }}
          <span class="muted figure">{{ percent(c.how) }}{{ c.set ? ` · set ${c.set}` : ` · asked ${c.count}` }}</span>
        </li>
      </ul>
      <p v-if="caught" class="muted">Held against {{ counted(caught.of, 'question') }}.</p>
    </div>
  </form>
</template>

<style scoped>
.settled {
  display: grid;
  grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr);
  gap: 14px;
  background: var(--sunk);
  padding: 12px;
}
.catches {
  font-size: 13px;
}
.catches ul {
  margin: 4px 0;
  padding-left: 16px;
}
h4 {
  margin: 0;
  font-size: 13px;
}
</style>
