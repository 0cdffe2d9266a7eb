<script setup lang="ts">
import { onMounted, onUnmounted, ref, useTemplateRef, watch } from 'vue'
import type { Schema } from '@/api/client'
import { onKeys } from '@/stores/keys'

/** What a person says of one verdict: right, wrong, doubtful, and what is to be done by whom. One key each. */
const props = defineProps<{ review?: Schema['Review']; done: number; of: number }>()
const emit = defineEmits<{ say: [review: Schema['Review'], goOn: boolean] }>()

const note = ref(props.review?.note ?? '')
const owner = ref(props.review?.owner ?? '')
watch(
  () => props.review,
  (r) => {
    note.value = r?.note ?? ''
    owner.value = r?.owner ?? ''
  },
)
const field = useTemplateRef<{ focus: () => void }>('field')

type Mark = Schema['Review']['mark']
const marks: { mark: Mark; key: string; label: string }[] = [
  { mark: 'right', key: 'a', label: 'The verdict is right' },
  { mark: 'wrong', key: 'w', label: 'It is wrong' },
  { mark: 'doubtful', key: 'd', label: 'The expectation is doubtful' },
]

function say(mark: Mark, goOn: boolean): void {
  emit('say', { mark, note: note.value, owner: owner.value }, goOn)
}

let stop = (): void => undefined
onMounted(() => {
  stop = onKeys((key) => {
    const m = marks.find((x) => x.key === key)
    if (m !== undefined) say(m.mark, true)
    else if (key === 'n') field.value?.focus()
    else return false
    return true
  })
})
onUnmounted(() => stop())
</script>

<template>
  <section class="review" aria-label="Review of the verdict">
    <div class="row">
      <ElButton
        v-for="m in marks"
        :key="m.mark"
        size="small"
        :type="review?.mark === m.mark ? 'primary' : ''"
        :aria-pressed="review?.mark === m.mark"
        @click="say(review?.mark === m.mark ? '' : m.mark, false)"
        >{{ m.label }} ({{ m.key }})</ElButton
      >
      <ElInput
        ref="field"
        v-model="note"
        size="small"
        class="note"
        maxlength="2000"
        placeholder="What is to be done (n)"
        aria-label="What is to be done"
        @change="say(review?.mark ?? '', false)"
      />
      <ElInput
        v-model="owner"
        size="small"
        class="owner"
        maxlength="120"
        placeholder="Who"
        aria-label="Who does it"
        @change="say(review?.mark ?? '', false)"
      />
      <span class="muted figure" role="status">{{ done }} of {{ of }} reviewed</span>
    </div>
  </section>
</template>

<style scoped>
.review {
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 8px 10px;
}
.note {
  flex: 1;
  min-width: 180px;
}
.owner {
  width: 110px;
}
</style>
