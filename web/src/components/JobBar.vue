<script setup lang="ts">
import { computed } from 'vue'
import { api, ok, type Job } from '@/api/client'
import { count, duration } from '@/api/words'
import { useCorpus } from '@/stores/corpus'

const props = defineProps<{ job: Job }>()
const corpus = useCorpus()
const titles: Record<string, string> = {
  gather: 'Gathering',
  index: 'Putting files into the index',
  rebuild: 'Rebuilding the index',
  run: 'Running questions',
  study: 'Trying methods',
  encode: 'Reading chunks with the sentence encoder',
  graph: 'Making a shortcut through the vectors',
  check: 'Checking documents',
  chart: 'Drawing the chart',
  replay: 'Answering the imported questions',
  snags: 'Gathering what went wrong',
}
const share = computed(() => (props.job.total > 0 ? Math.round((100 * props.job.done) / props.job.total) : 0))

async function send(what: 'cancel' | 'pause' | 'resume'): Promise<void> {
  const params = { path: { corpus: corpus.name, job: props.job.id } }
  try {
    if (what === 'cancel') await ok(api.POST('/api/corpora/{corpus}/jobs/{job}/cancel', { params }))
    else if (what === 'pause') await ok(api.POST('/api/corpora/{corpus}/jobs/{job}/pause', { params }))
    else await ok(api.POST('/api/corpora/{corpus}/jobs/{job}/resume', { params }))
  } catch (e) {
    corpus.problem = (e as Error).message
  }
}
</script>

<template>
  <div class="job" role="status" aria-live="polite">
    <div class="row">
      <b>{{ titles[job.kind] ?? job.kind }}</b>
      <span v-if="job.state === 'queued'" class="muted">waits for its turn</span>
      <span v-else-if="job.state === 'paused'" class="caution"
        >paused at {{ count(job.done) }} of {{ count(job.total) }}</span
      >
      <span v-else class="figure muted">
        {{ count(job.done) }} of {{ count(job.total) }}
        <template v-if="job.rate > 0"> · {{ job.rate.toFixed(1) }} a second</template>
        <template v-if="job.left > 0"> · {{ duration(job.left) }} left</template>
      </span>
      <button v-if="job.state === 'paused'" class="linkish" @click="send('resume')">Resume</button>
      <button v-else class="linkish" @click="send('pause')">Pause</button>
      <button class="linkish" @click="send('cancel')">Cancel</button>
    </div>
    <progress :value="share" max="100" :aria-label="titles[job.kind] ?? job.kind">{{ share }} %</progress>
  </div>
</template>

<style scoped>
.job {
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 8px 12px;
}
progress {
  width: 100%;
  height: 6px;
  accent-color: var(--accent);
}
</style>
