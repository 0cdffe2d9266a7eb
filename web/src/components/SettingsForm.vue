<script setup lang="ts">
import { computed } from 'vue'
import type { Field } from '@/api/client'

type Value = string | number | boolean

/** Controls for the settings of one stage, made from their descriptions. `values` holds them by the last part of their key. */
const props = defineProps<{ fields: Field[]; values: Record<string, Value>; before?: Record<string, Value> }>()
const emit = defineEmits<{ change: [key: string, value: Value] }>()

const keyOf = (f: Field): string => f.key.slice(f.key.indexOf('.') + 1)

/** What no strategy in force heeds is not shown. */
const shown = computed(() =>
  props.fields.filter(
    (f) => f.for === undefined || f.for.length === 0 || f.for.includes(String(props.values.strategy)),
  ),
)

function helpOf(f: Field): string {
  const chosen = (f.options ?? []).find((o) => o.value === props.values[keyOf(f)])
  return chosen?.help !== undefined && chosen.help !== '' ? chosen.help : f.help
}

const changed = (f: Field): boolean => props.before !== undefined && props.before[keyOf(f)] !== props.values[keyOf(f)]

function set(f: Field, v: unknown): void {
  if (f.kind === 'boolean') emit('change', keyOf(f), v === true)
  else if (f.kind === 'choice' || f.kind === 'text') emit('change', keyOf(f), String(v))
  else if (typeof v === 'number' && Number.isFinite(v)) emit('change', keyOf(f), v)
}
</script>

<template>
  <div class="form">
    <div v-for="f in shown" :key="f.key" class="field" :class="{ changed: changed(f) }">
      <template v-if="f.kind === 'boolean'">
        <label class="switch">
          <input
            type="checkbox"
            :checked="values[keyOf(f)] === true"
            @change="(e) => set(f, (e.target as HTMLInputElement).checked)"
          />
          <span>{{ f.label }}</span>
        </label>
      </template>
      <template v-else>
        <span class="label">
          <span>{{ f.label }}</span>
          <ElInputNumber
            v-if="f.kind === 'integer' || f.kind === 'number'"
            class="exact"
            size="small"
            :controls="false"
            :model-value="Number(values[keyOf(f)])"
            :min="f.min"
            :max="f.max"
            :step="f.step ?? 1"
            :precision="f.kind === 'integer' ? 0 : 2"
            :aria-label="`${f.label}, ${f.unit ?? 'exact value'}`"
            @update:model-value="(v: unknown) => set(f, v)"
          />
        </span>
        <ElSelect
          v-if="f.kind === 'choice'"
          :model-value="String(values[keyOf(f)])"
          :aria-label="f.label"
          @update:model-value="(v: unknown) => set(f, v)"
        >
          <ElOption v-for="o in f.options ?? []" :key="o.value" :value="o.value" :label="o.label" />
        </ElSelect>
        <ElSelect
          v-else-if="f.kind === 'text' && (f.options ?? []).length > 0"
          filterable
          allow-create
          :model-value="String(values[keyOf(f)] ?? '')"
          :aria-label="f.label"
          @update:model-value="(v: unknown) => set(f, v)"
        >
          <ElOption v-for="o in f.options ?? []" :key="o.value" :value="o.value" :label="o.label" :title="o.help" />
        </ElSelect>
        <ElInput
          v-else-if="f.kind === 'text'"
          type="textarea"
          autosize
          :model-value="String(values[keyOf(f)] ?? '')"
          :aria-label="f.label"
          @update:model-value="(v: string) => set(f, v)"
        />
        <ElSlider
          v-else
          size="small"
          :model-value="Number(values[keyOf(f)])"
          :min="f.min"
          :max="f.max"
          :step="f.step ?? 1"
          :aria-label="f.label"
          :show-tooltip="false"
          @update:model-value="(v: unknown) => set(f, v)"
        />
      </template>
      <p class="hint">
        {{ helpOf(f) }}<template v-if="f.unit"> In {{ f.unit }}.</template>
      </p>
    </div>
  </div>
</template>

<style scoped>
.field + .field {
  margin-top: 12px;
}
.field.changed {
  border-left: 3px solid var(--caution);
  padding-left: 8px;
  margin-left: -11px;
}
.exact {
  width: 76px;
}
.exact :deep(input) {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.switch {
  display: flex;
  gap: 8px;
  align-items: center;
  font-weight: 600;
  cursor: pointer;
}
.switch input {
  width: 16px;
  height: 16px;
  accent-color: var(--accent);
}
.hint {
  font-size: 12px;
  line-height: 1.35;
}
</style>
