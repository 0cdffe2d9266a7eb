<script setup lang="ts">
import type { AskState } from '@/stores/ask'

/** What a view shows of a question to the server: that it is asked, what went wrong with a way to ask again, or what is there. */
defineProps<{
  state: AskState
  /** What is asked for, as in "the changes": it is named while it loads and when it cannot be had. */
  what: string
  problem: string
}>()
defineEmits<{ again: [] }>()
</script>

<template>
  <p v-if="state === 'loading'" class="muted" role="status">Loading {{ what }}</p>
  <p v-else-if="state === 'failed'" class="notice bad" role="alert">
    Could not load {{ what }}: {{ problem }}. <button class="linkish" @click="$emit('again')">Try again</button>
  </p>
  <slot v-else />
</template>
