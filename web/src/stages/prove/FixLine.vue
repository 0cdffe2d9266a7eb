<script setup lang="ts">
import { computed, ref } from 'vue'
import type { RouteLocationRaw } from 'vue-router'
import type { Schema } from '@/api/client'
import { useCorpus } from '@/stores/corpus'

/** One thing that may cure a failure. A settled answer and an address can be worded here before they are tried. */
const props = defineProps<{ fix: Schema['DiagnoseFix']; question: string; busy: boolean }>()
const emit = defineEmits<{ attempt: [change: Schema['DiagnoseAlteration']]; amend: [] }>()

const corpus = useCorpus()
const drafted = props.fix.change?.settled?.[0]
const writing = ref(false)
const ask = ref(drafted?.question ?? props.question)
const say = ref(drafted?.answer ?? '')
const page = ref(props.fix.change?.pages?.[0] ?? '')

/** What is tried: as it was proposed, or as it was worded here. */
const change = computed<Schema['DiagnoseAlteration'] | undefined>(() => {
  if (props.fix.do === 'settle') {
    if (ask.value.trim() === '' || say.value.trim() === '') return undefined
    return { settled: [{ question: ask.value.trim(), answer: say.value.trim() }] }
  }
  if (props.fix.do === 'gather') return page.value.trim() === '' ? undefined : { pages: [page.value.trim()] }
  return props.fix.change
})
const worded = computed(() => props.fix.do === 'settle' || props.fix.do === 'gather')
const reworded = computed(
  () => props.fix.do === 'settle' && (ask.value !== drafted?.question || say.value !== drafted?.answer),
)

/** Whether it cures this wording and no other of the same question. */
const alone = computed(() => {
  const v = props.fix.variants
  return v !== undefined && v.after <= v.before && v.before < v.of
})
const cured = computed(() => {
  const v = props.fix.variants
  if (v === undefined) return 'cures this question'
  if (alone.value) return `cures this wording alone (${v.after} of ${v.of} other wordings pass with it)`
  return `cures this question; ${v.after} of ${v.of} other wordings pass with it, ${v.before} without`
})
const loses = computed(() => Math.max(0, (props.fix.others?.before ?? 0) - (props.fix.others?.after ?? 0)))

/** Where what cannot be tried here is done. */
const place = computed<RouteLocationRaw>(() => {
  const params = { corpus: corpus.name }
  if (props.fix.document && (props.fix.do === 'retry' || props.fix.do === 'source')) {
    return { name: 'document', params: { ...params, document: props.fix.document } }
  }
  return { name: 'gather', params }
})
</script>

<template>
  <li>
    <span>{{ fix.label }}</span>
    <span v-if="fix.cures && !reworded" :class="alone ? 'caution' : 'good'">{{ cured }}</span>
    <span v-if="fix.others && !reworded" :class="loses > 0 ? 'bad' : 'muted'">{{
      loses > 0
        ? `${loses} of ${fix.others.of} other questions fail with it`
        : `${fix.others.of} other questions still pass`
    }}</span>
    <button v-if="worded" class="linkish" :aria-expanded="writing" @click="writing = !writing">
      {{ writing ? 'close' : fix.do === 'settle' ? 'word it' : 'which page' }}
    </button>
    <ElButton
      v-if="change || (worded && writing)"
      size="small"
      :disabled="busy || !change"
      @click="change && emit('attempt', change)"
      >Try it on the set</ElButton
    >
    <button v-if="fix.do === 'amend'" class="linkish" @click="emit('amend')">amend</button>
    <RouterLink v-else-if="!change && !worded" :to="place">go there</RouterLink>
    <div v-if="writing" class="stack wording">
      <template v-if="fix.do === 'settle'">
        <label class="field"
          ><span class="label">When somebody asks</span><ElInput v-model="ask" maxlength="2000"
        /></label>
        <label class="field">
          <span class="label">The answer is</span>
          <ElInput v-model="say" type="textarea" :rows="3" maxlength="20000" />
        </label>
      </template>
      <label v-else class="field">
        <span class="label">Address of the page</span>
        <ElInput v-model="page" maxlength="2000" placeholder="https://" />
      </label>
    </div>
  </li>
</template>

<style scoped>
li {
  margin-bottom: 6px;
}
li > * + * {
  margin-left: 10px;
}
.wording {
  margin: 6px 0 10px;
}
</style>
