<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import JobBar from '@/components/JobBar.vue'
import { useCorpus } from '@/stores/corpus'
import LogView from './LogView.vue'

const SnagList = defineAsyncComponent(() => import('./SnagList.vue'))
const SettledList = defineAsyncComponent(() => import('./SettledList.vue'))
const FiguresView = defineAsyncComponent(() => import('./FiguresView.vue'))
const NotifyView = defineAsyncComponent(() => import('./NotifyView.vue'))
const UncoveredView = defineAsyncComponent(() => import('./UncoveredView.vue'))
const SampleView = defineAsyncComponent(() => import('./SampleView.vue'))

const corpus = useCorpus()
const route = useRoute()
const router = useRouter()
const views = [
  { key: 'log', label: 'Log' },
  { key: 'snags', label: 'Snags' },
  { key: 'settled', label: 'Settled answers' },
  { key: 'uncovered', label: 'Not covered' },
  { key: 'accuracy', label: 'Accuracy' },
  { key: 'figures', label: 'Figures' },
  { key: 'notices', label: 'Notices' },
] as const
const view = computed({
  get: () => String(route.query.view ?? 'log'),
  set: (v) => void router.push({ query: v === 'log' ? {} : { view: v } }),
})
const jobs = computed(() => corpus.active.filter((j) => j.kind === 'replay' || j.kind === 'snags'))
</script>

<template>
  <div class="mend">
    <div class="tabs" role="tablist" aria-label="What is shown">
      <button v-for="v in views" :key="v.key" role="tab" :aria-selected="view === v.key" @click="view = v.key">
        {{ v.label }}
        <span v-if="v.key === 'snags' && (corpus.current?.snags ?? 0) > 0" class="figure muted">{{
          corpus.current?.snags
        }}</span>
      </button>
    </div>
    <JobBar v-for="j in jobs" :key="j.id" :job="j" />
    <SnagList v-if="view === 'snags'" class="fill" />
    <SettledList v-else-if="view === 'settled'" class="fill" />
    <SampleView v-else-if="view === 'accuracy'" class="fill" />
    <FiguresView v-else-if="view === 'figures'" class="fill" />
    <NotifyView v-else-if="view === 'notices'" class="fill" />
    <UncoveredView v-else-if="view === 'uncovered'" class="fill" />
    <LogView v-else class="fill" />
  </div>
</template>

<style scoped>
.mend {
  display: flex;
  flex-direction: column;
  gap: 10px;
  height: 100%;
  padding: 12px 16px 0;
}
.fill {
  flex: 1;
  min-height: 0;
}
</style>
