<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, ok, type Reply } from '@/api/client'
import { shortAddress } from '@/api/words'
import { useCorpus } from '@/stores/corpus'

/** A reply that is prepared for somebody who answers others: from everything staff may read, to be changed and sent. */
const props = defineProps<{
  question: string
  handover?: string
  /** What the assistant would have said; it was not sent. */
  draft?: { id: string; said: string }
  mail?: boolean
  sending?: boolean
}>()
const emit = defineEmits<{ answer: [text: string, prepared: string, mail: boolean] }>()

const corpus = useCorpus()
const asked = ref(props.question)
const tone = ref('set')
const tones = [
  { value: 'set', label: 'Tone as set in Answer' },
  { value: 'Plain and brief; the answer first.', label: 'Plain' },
  { value: 'Warm and helpful, as one would speak to a guest; no exclamation marks.', label: 'Warm' },
  { value: 'Formal and exact; no contractions.', label: 'Formal' },
]
const reply = ref<Reply>()
const text = ref(props.draft?.said ?? '')
const to = ref('')
const byMail = ref(false)
const busy = ref(false)
const problem = ref('')
const done = ref('')

watch(
  () => props.question,
  (q) => {
    asked.value = q
    reply.value = undefined
    text.value = props.draft?.said ?? ''
    done.value = ''
  },
)

interface Passage {
  title: string
  link: string
  audience: string
  says: string[]
}
/** The sources of the reply, each with the sentences that rest on it. */
const passages = computed<Passage[]>(() => {
  const out: Passage[] = []
  for (const c of reply.value?.cited ?? []) {
    const says = reply.value?.trail?.reply[c.sentence]?.text ?? ''
    const same = out.find((p) => p.link === c.link)
    if (same === undefined) out.push({ title: c.title, link: c.link, audience: c.audience, says: [says] })
    else if (!same.says.includes(says)) same.says.push(says)
  }
  return out
})
const path = () => ({ corpus: corpus.name })

async function attempt(call: () => Promise<void>): Promise<void> {
  problem.value = ''
  done.value = ''
  busy.value = true
  try {
    await call()
  } catch (e) {
    problem.value = (e as Error).message
  }
  busy.value = false
}

const prepare = () =>
  attempt(async () => {
    reply.value = await ok(
      api.POST('/api/corpora/{corpus}/prepared', {
        params: { path: path() },
        body: { question: asked.value.trim(), tone: tone.value === 'set' ? '' : tone.value },
      }),
    )
    text.value = reply.value.refused ? '' : reply.value.reply
  })

const finish = (address: string) =>
  attempt(async () => {
    if (address === '') await navigator.clipboard.writeText(text.value)
    await ok(
      api.POST('/api/corpora/{corpus}/prepared/{exchange}/sent', {
        params: { path: { ...path(), exchange: reply.value?.id ?? '' } },
        body: { text: text.value, to: address },
      }),
    )
    done.value = address === '' ? 'Copied' : `On its way to ${address}`
  })

const audienceWord = (a: string): string => (a === 'staff' ? 'staff only' : a.replace(/^group:/, 'group '))
</script>

<template>
  <section class="stack" aria-label="Prepared reply">
    <form class="stack" @submit.prevent="prepare">
      <label class="field">
        <span class="label">Question, or the message with the question in it</span>
        <ElInput v-model="asked" type="textarea" :autosize="{ minRows: 2, maxRows: 8 }" maxlength="4000" />
      </label>
      <div class="row">
        <ElSelect v-model="tone" class="tone" aria-label="Tone">
          <ElOption v-for="t in tones" :key="t.label" :value="t.value" :label="t.label" />
        </ElSelect>
        <ElButton native-type="submit" :loading="busy" :disabled="asked.trim() === ''">Prepare a reply</ElButton>
      </div>
    </form>
    <template v-if="reply">
      <p v-if="reply.refused" class="notice caution">
        Nothing in the material answers this. Write the answer yourself; it becomes a snag to be settled.
      </p>
      <p v-else-if="tone !== 'set' && (reply.trail?.pins.model ?? '') === ''" class="hint">
        Without a language model the sentences are those of the sources, whatever the tone.
      </p>
      <ol v-if="passages.length > 0" class="passages" aria-label="Sources of the reply">
        <li v-for="p in passages" :key="p.link">
          <a v-if="/^https?:/.test(p.link)" :href="p.link" target="_blank" rel="noopener noreferrer">{{
            p.title || shortAddress(p.link)
          }}</a>
          <span v-else>{{ p.title || p.link }}</span>
          <span :class="['mark', p.audience === 'public' ? '' : 'caution']">{{ audienceWord(p.audience) }}</span>
          <p v-for="s in p.says" :key="s" class="hint" dir="auto">{{ s }}</p>
        </li>
      </ol>
    </template>
    <template v-if="reply || handover">
      <label class="field">
        <span class="label">Your answer</span>
        <ElInput
          v-model="text"
          type="textarea"
          dir="auto"
          :autosize="{ minRows: 4, maxRows: 16 }"
          maxlength="20000"
          placeholder="Written by you, or prepared above and changed"
        />
      </label>
      <div v-if="handover" class="row">
        <ElButton
          type="primary"
          :loading="sending"
          :disabled="text.trim() === ''"
          @click="emit('answer', text, reply?.id ?? draft?.id ?? '', byMail)"
          >Send the answer</ElButton
        >
        <ElCheckbox v-model="byMail" :disabled="!mail">{{
          mail ? 'By mail, too' : 'By mail, too (no address was left)'
        }}</ElCheckbox>
      </div>
      <form v-else class="row" @submit.prevent="finish(to.trim())">
        <ElButton :disabled="text.trim() === ''" @click="finish('')">Copy</ElButton>
        <ElInput v-model="to" class="to" type="email" placeholder="Mail address" aria-label="Mail address" />
        <ElButton type="primary" native-type="submit" :disabled="text.trim() === '' || to.trim() === ''"
          >Send by mail</ElButton
        >
      </form>
      <p class="hint">What you change in a prepared reply becomes a snag with both texts.</p>
    </template>
    <p v-if="problem !== ''" class="bad" role="alert">{{ problem }}</p>
    <p role="status" class="good">{{ done }}</p>
  </section>
</template>

<style scoped>
.tone {
  width: 190px;
}
.to {
  width: 220px;
}
.passages {
  margin: 14px 0 0;
  padding-left: 20px;
}
.passages li {
  margin-bottom: 6px;
}
.mark {
  margin-left: 8px;
  font-size: 12.5px;
  color: var(--muted);
}
.mark.caution {
  color: var(--caution);
}
</style>
