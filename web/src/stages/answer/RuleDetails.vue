<script setup lang="ts">
import { computed } from 'vue'
import type { Schema } from '@/api/client'
import TextEntry from '@/components/TextEntry.vue'
import type { Action } from './store'

type Detail = Schema['RuleDetail']

/** The details that a rule asks for, in the order in which it does. */
const props = defineProps<{ action: Action }>()
const emit = defineEmits<{ change: [part: Partial<Action>] }>()

const types: Detail['type'][] = ['text', 'phone', 'mail', 'number', 'date', 'choice']
const details = computed(() => props.action.details ?? [])
const list = (v: string): string[] =>
  v
    .split(',')
    .map((x) => x.trim())
    .filter((x) => x !== '')

const put = (ds: Detail[]): void => emit('change', { details: ds })
function set(k: number, part: Partial<Detail>): void {
  put(details.value.map((d, n) => (n === k ? { ...d, ...part } : d)))
}
function type(k: number, t: unknown): void {
  set(k, { type: t as Detail['type'], choices: t === 'choice' ? ['yes', 'no'] : undefined })
}
function add(): void {
  put([...details.value, { name: 'Phone', ask: 'Under which number can we reach you?', type: 'phone' }])
}
</script>

<template>
  <div class="stack">
    <div v-for="(d, k) in details" :key="k" class="row">
      <TextEntry
        class="short"
        :text="d.name"
        label="Name of the detail"
        @take="(v: string) => set(k, { name: v.trim() || d.name })"
      />
      <TextEntry
        class="grow"
        :text="d.ask"
        label="The question put for it"
        @take="(v: string) => set(k, { ask: v.trim() || d.ask })"
      />
      <ElSelect class="short" :model-value="d.type" aria-label="Type" @update:model-value="(t: unknown) => type(k, t)">
        <ElOption v-for="t in types" :key="t" :value="t" :label="t" />
      </ElSelect>
      <ElCheckbox :model-value="d.optional ?? false" @change="(v: unknown) => set(k, { optional: v === true })"
        >optional</ElCheckbox
      >
      <ElSelect
        class="short"
        :model-value="d.attempts ?? 0"
        aria-label="How often it is asked for"
        @update:model-value="(n: unknown) => set(k, { attempts: n === 0 ? undefined : Number(n) })"
      >
        <ElOption :value="0" label="three tries" />
        <ElOption :value="1" label="one try" />
        <ElOption :value="2" label="two tries" />
        <ElOption :value="5" label="five tries" />
        <ElOption :value="10" label="ten tries" />
      </ElSelect>
      <TextEntry
        v-if="d.type === 'choice'"
        class="grow"
        :text="(d.choices ?? []).join(', ')"
        label="Choices"
        @take="(v: string) => set(k, { choices: list(v) })"
      />
      <TextEntry
        v-if="d.type === 'mail'"
        class="grow"
        :text="(d.blocked ?? []).join(', ')"
        placeholder="domains that are not taken"
        label="Domains that are not taken"
        @take="(v: string) => set(k, { blocked: list(v) })"
      />
      <button v-if="details.length > 1" class="linkish" @click="put(details.filter((_, n) => n !== k))">remove</button>
    </div>
    <div class="row">
      <ElButton size="small" @click="add">Ask for one more</ElButton>
      <ElCheckbox
        :model-value="action.confirm ?? false"
        @change="(v: unknown) => emit('change', { confirm: v === true })"
        >Confirm the details</ElCheckbox
      >
    </div>
  </div>
</template>

<style scoped>
.short {
  width: 110px;
}
.grow {
  flex: 1;
  min-width: 140px;
}
</style>
