<script setup lang="ts">
import { ref, watch } from 'vue'

/** A field whose text is taken when the typing is done: on Enter, or when it is left. */
const props = defineProps<{ text: string; label?: string; placeholder?: string; lines?: boolean }>()
const emit = defineEmits<{ take: [text: string] }>()

const typed = ref(props.text)
watch(
  () => props.text,
  (t) => (typed.value = t),
)

function take(): void {
  if (typed.value !== props.text) emit('take', typed.value)
}
</script>

<template>
  <ElInput
    v-model="typed"
    :type="lines ? 'textarea' : 'text'"
    :autosize="lines"
    :placeholder="placeholder"
    :aria-label="label"
    @change="take"
  />
</template>
