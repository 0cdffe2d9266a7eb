<script setup lang="ts">
import { ref } from 'vue'
import type { Schema } from '@/api/client'
import { count, moment } from '@/api/words'
import HeldList from './HeldList.vue'
import { useSources, type Source } from './store'

/** What the guard against loss holds back of a source, and the two ways out. */
defineProps<{ source: Source; loss: Schema['Loss']; busy: boolean }>()
const sources = useSources()
const listed = ref(false)
</script>

<template>
  <div class="held stack" role="group" aria-label="Changes held back">
    <p>
      <b>{{ count(loss.lost) }} of {{ count(loss.of) }} documents would go.</b> The old versions stay and answer until
      you decide.
    </p>
    <p class="small">
      Seen in their place since <span :title="moment(loss.since).zone">{{ moment(loss.since).text }}</span>:
      <template v-for="(s, i) in loss.saw.slice(0, 3)" :key="s.what"
        ><template v-if="i > 0">; </template>{{ s.what }} ({{ count(s.count) }})</template
      ><template v-if="loss.saw.length > 3">; and more</template>.
    </p>
    <div class="row">
      <ElButton size="small" type="primary" :disabled="busy" @click="sources.decide(source, 'keep')"
        >Keep the old versions</ElButton
      >
      <ElButton size="small" :disabled="busy" @click="sources.decide(source, 'take')">Accept the changes</ElButton>
      <button class="linkish" :aria-expanded="listed" @click="listed = !listed">
        {{ listed ? 'Hide the list' : 'Show them' }}
      </button>
    </div>
    <HeldList v-if="listed" :source="source.id" />
  </div>
</template>

<style scoped>
.held {
  border-left: 3px solid var(--caution);
  padding: 4px 0 4px 8px;
  margin: 6px 0;
  gap: 4px;
}
.held p {
  margin: 0;
}
.small {
  font-size: 12.5px;
}
</style>
