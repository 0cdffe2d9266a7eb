<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ConnectionForm from '@/components/ConnectionForm.vue'
import SettingsForm from '@/components/SettingsForm.vue'
import MannerGuide from './MannerGuide.vue'
import NoticeList from './NoticeList.vue'
import PinnedSheet from './PinnedSheet.vue'
import RiskCurve from './RiskCurve.vue'
import RuleList from './RuleList.vue'
import { useAnswer } from './store'

const answer = useAnswer()
const route = useRoute()
const router = useRouter()

const views = [
  { key: 'manner', label: 'Manner' },
  { key: 'bar', label: 'Evidence bar' },
  { key: 'rules', label: 'House rules' },
  { key: 'wording', label: 'Wording' },
] as const
const view = computed({
  get: () => String(route.query.view ?? 'manner'),
  set: (v) => void router.replace({ query: { ...route.query, view: v === 'manner' ? undefined : v } }),
})
const groups: Record<string, string[]> = {
  bar: ['bar', 'refusal', 'turnTo', 'unfound', 'nearMiss', 'askBack', 'asking'],
  wording: ['composer', 'unsupported', 'carried', 'opinion', 'tokens', 'sources', 'lists'],
}
const fieldsIn = (group: string) => answer.fields.filter((f) => groups[group]?.includes(f.key.replace('answer.', '')))
const mannerFields = computed(() =>
  answer.fields.filter(
    (f) => f.key.startsWith('answer.') && !Object.values(groups).flat().includes(f.key.replace('answer.', '')),
  ),
)
const shown = computed(() => (view.value === 'manner' ? mannerFields.value : fieldsIn(view.value)))

const refreshSoon = useDebounceFn(() => answer.refresh(), 350)
watch(
  () => answer.tried,
  () => void refreshSoon(),
  { deep: true },
)
onMounted(() => answer.load())
</script>

<template>
  <div class="panes" :class="{ broad: view === 'rules' }">
    <div class="left stack">
      <h1>Answer</h1>
      <div class="tabs" role="tablist" aria-label="What is set">
        <button v-for="v in views" :key="v.key" role="tab" :aria-selected="view === v.key" @click="view = v.key">
          {{ v.label }}
        </button>
      </div>
      <p v-if="answer.problem !== ''" class="notice bad" role="alert">{{ answer.problem }}</p>
      <div v-if="answer.changed" class="notice caution row" role="status">
        <span>Tried on the sheet, not applied.</span>
        <ElButton type="primary" @click="answer.apply()">Apply</ElButton>
        <ElButton @click="answer.reset()">Undo</ElButton>
      </div>
      <template v-if="answer.tried !== undefined">
        <RuleList v-if="view === 'rules'" />
        <template v-else>
          <MannerGuide v-if="view === 'manner'" />
          <ConnectionForm
            v-if="view === 'wording'"
            kind="chat"
            label="The language model"
            connected="is at"
            unconnected="is not connected"
            path="/chat/completions, of any endpoint of the widely used chat-completions protocol"
          />
          <SettingsForm
            :fields="shown"
            :values="answer.tried.answer"
            :before="answer.applied?.answer"
            @change="(k, v) => answer.set('answer', k, v)"
          />
        </template>
      </template>
    </div>
    <div class="right stack">
      <RiskCurve v-if="view === 'bar'" />
      <PinnedSheet />
      <NoticeList v-if="view === 'rules'" />
    </div>
  </div>
</template>

<style scoped>
.panes.broad {
  grid-template-columns: minmax(420px, 560px) minmax(0, 1fr);
}
</style>
