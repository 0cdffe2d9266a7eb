<script setup lang="ts">
import TextEntry from '@/components/TextEntry.vue'
import type { Action } from './store'

/** When somebody is there to hand over to. */
defineProps<{ action: Action }>()
const emit = defineEmits<{ change: [part: Partial<Action>] }>()
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
</script>

<template>
  <div class="row">
    <TextEntry
      :text="action.hours ?? ''"
      placeholder="when somebody is there: Mon-Fri 09:00-17:00; empty for always"
      label="When somebody is there"
      @take="(v: string) => emit('change', { hours: v.trim() })"
    />
    <TextEntry
      :text="action.zone ?? ''"
      :placeholder="`time zone, such as ${zone}`"
      label="Time zone of these hours"
      @take="(v: string) => emit('change', { zone: v.trim() })"
    />
  </div>
</template>
