<script setup lang="ts">
import { computed } from 'vue'
import { api, ok } from '@/api/client'
import AskState from '@/components/AskState.vue'
import { count } from '@/api/words'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'

/** The documents of a source whose changes wait for a person, with what was seen in the place of each. */
const props = defineProps<{ source: string }>()
const corpus = useCorpus()
const most = 200
const held = useAsk(
  () =>
    ok(
      api.GET('/api/corpora/{corpus}/sources/{source}/held', {
        params: { path: { corpus: corpus.name, source: props.source } },
      }),
    ),
  [() => props.source],
)
const all = computed(() => held.value.value ?? [])
</script>

<template>
  <AskState
    :state="held.state.value"
    :problem="held.problem.value"
    what="the documents that would go"
    @again="held.load()"
  >
    <ul>
      <li v-for="d in all.slice(0, most)" :key="d.id">
        <span class="mono">{{ d.address.replace(/^https?:\/\/[^/]*/, '') }}</span>: {{ d.what }}
      </li>
      <li v-if="all.length > most">and {{ count(all.length - most) }} more</li>
    </ul>
  </AskState>
</template>

<style scoped>
ul {
  margin: 0;
  padding-left: 16px;
  max-height: 260px;
  overflow: auto;
  font-size: 12.5px;
}
</style>
