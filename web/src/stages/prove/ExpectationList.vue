<script setup lang="ts">
import TextEntry from '@/components/TextEntry.vue'
import { kinds, type Kind } from '@/api/names'
import type { Expectation } from './store'

/** What must hold of one reply: kinds with their alternatives. */
const props = defineProps<{ list: Expectation[] }>()
const emit = defineEmits<{ change: [list: Expectation[]] }>()

function set(i: number, part: Partial<Expectation>): void {
  emit(
    'change',
    props.list.map((e, k) => (k === i ? { ...e, ...part } : e)),
  )
}

const needs = (k: Kind): string => kinds.find((x) => x.name === k)?.values ?? ''
const values = (s: string): string[] =>
  s
    .split('|')
    .map((v) => v.trim())
    .filter((v) => v !== '')
</script>

<template>
  <div class="stack">
    <div v-for="(e, i) in list" :key="i" class="row one">
      <select
        :value="e.kind"
        :aria-label="`Expectation ${i + 1}`"
        @change="(ev) => set(i, { kind: (ev.target as HTMLSelectElement).value as Kind })"
      >
        <option v-for="k in kinds" :key="k.name" :value="k.name">{{ k.label }}</option>
      </select>
      <TextEntry
        v-if="needs(e.kind) !== ''"
        :text="(e.values ?? []).join(' | ')"
        :placeholder="`${needs(e.kind)}, with | between`"
        :label="`Values of expectation ${i + 1}`"
        @take="(v: string) => set(i, { values: values(v) })"
      />
      <ElInput
        v-if="e.kind === 'reaches'"
        :model-value="e.document ?? ''"
        placeholder="page that holds it"
        aria-label="Page"
        @update:model-value="(v: string) => set(i, { document: v })"
      />
      <ElInputNumber
        v-if="e.kind === 'gives'"
        :model-value="e.within ?? 0"
        :min="0"
        :controls="false"
        size="small"
        aria-label="May differ by"
        title="may differ by, in its own unit"
        @update:model-value="(v: number | undefined) => set(i, { within: v || undefined })"
      />
      <button
        type="button"
        class="linkish"
        @click="
          emit(
            'change',
            list.filter((_, k) => k !== i),
          )
        "
      >
        remove
      </button>
    </div>
    <button type="button" class="linkish" @click="emit('change', [...list, { kind: 'mentions', values: [] }])">
      Add an expectation
    </button>
  </div>
</template>

<style scoped>
.one {
  flex-wrap: nowrap;
}
select {
  border: 1px solid var(--control);
  border-radius: var(--radius);
  padding: 6px 4px;
  color: var(--ink);
  background: var(--raised);
}
</style>
