<script setup lang="ts">
import { ref, watch } from 'vue'
import type { Schema } from '@/api/client'

type Settings = Schema['SourceSettings']

/** How a web source is gathered: scope, depth, pace, page scripts and the guard against loss. */
const settings = defineModel<Settings>({ required: true })

const include = ref('')
const exclude = ref('')
const hosts = ref((settings.value.privateHosts ?? []).join(', '))
watch(
  () => [settings.value.include, settings.value.exclude],
  ([inc, exc]) => {
    if (lines(include.value).join() !== (inc ?? []).join()) include.value = (inc ?? []).join('\n')
    if (lines(exclude.value).join() !== (exc ?? []).join()) exclude.value = (exc ?? []).join('\n')
  },
  { immediate: true },
)

function lines(s: string): string[] {
  return s
    .split('\n')
    .map((l) => l.trim())
    .filter((l) => l !== '')
}

function set(change: Partial<Settings>): void {
  settings.value = { ...settings.value, ...change }
}
</script>

<template>
  <div class="grid">
    <label class="field">
      <span class="label">Include only</span>
      <ElInput
        v-model="include"
        type="textarea"
        :rows="3"
        placeholder="/travel/*"
        class="mono"
        @change="set({ include: lines(include) })"
      />
    </label>
    <label class="field">
      <span class="label">Exclude</span>
      <ElInput
        v-model="exclude"
        type="textarea"
        :rows="3"
        placeholder="/basket"
        class="mono"
        @change="set({ exclude: lines(exclude) })"
      />
    </label>
    <p class="hint wide">
      Path patterns, one a line: * stands for anything, $ for the end; without $ the path may go on.
    </p>
    <label class="field">
      <span class="label">Most links from the start</span>
      <ElInputNumber
        :model-value="settings.depth ?? 0"
        :min="0"
        :max="100"
        @change="(v: number | undefined) => set({ depth: v ?? 0 })"
      />
      <span class="hint">0 for any number</span>
    </label>
    <label class="field">
      <span class="label">Most pages</span>
      <ElInputNumber
        :model-value="settings.pageCap ?? 0"
        :min="0"
        :max="100000"
        :step="500"
        @change="(v: number | undefined) => set({ pageCap: v ?? 0 })"
      />
      <span class="hint">0 for 5,000</span>
    </label>
    <label class="field">
      <span class="label">Milliseconds between requests</span>
      <ElInputNumber
        :model-value="settings.delay ?? 0"
        :min="0"
        :max="600000"
        :step="250"
        @change="(v: number | undefined) => set({ delay: v ?? 0 })"
      />
      <span class="hint">0 for 1,000; none on this machine</span>
    </label>
    <label class="field">
      <span class="label">Run page scripts</span>
      <ElSelect
        :model-value="settings.render || 'never'"
        class="short"
        aria-label="Run page scripts"
        @change="(v: Settings['render']) => set({ render: v })"
      >
        <ElOption value="never" label="never" />
        <ElOption value="empty" label="when one comes back empty" />
        <ElOption value="always" label="always" />
      </ElSelect>
    </label>
    <label v-if="settings.render && settings.render !== 'never'" class="field">
      <span class="label">Milliseconds of quiet before a page is read</span>
      <ElInputNumber
        :model-value="settings.quiet || 600"
        :min="100"
        :max="20000"
        :step="200"
        @change="(v: number | undefined) => set({ quiet: v ?? 0 })"
      />
    </label>
    <ElCheckbox
      class="wide"
      :model-value="settings.closed !== true"
      @change="(on: unknown) => set({ closed: on !== true })"
      >Include closed panels and tabs</ElCheckbox
    >
    <label class="field wide">
      <span class="label">Further private hosts that it may reach</span>
      <ElInput
        v-model="hosts"
        placeholder="wiki.internal:8080"
        class="mono"
        @change="set({ privateHosts: lines(hosts.replaceAll(',', '\n')) })"
      />
      <span class="hint">host:port, with commas between them</span>
    </label>
    <label class="field">
      <span class="label">Ask me when a visit would take away more than</span>
      <span class="row"
        ><ElInputNumber
          :model-value="settings.lossShare || 20"
          :min="1"
          :max="100"
          @change="(v: number | undefined) => set({ lossShare: v ?? 0 })"
        />
        % of the documents</span
      >
    </label>
    <label class="field">
      <span class="label">and at least</span>
      <span class="row"
        ><ElInputNumber
          :model-value="settings.lossLeast || 5"
          :min="1"
          :max="100000"
          @change="(v: number | undefined) => set({ lossLeast: v ?? 0 })"
        />
        documents</span
      >
    </label>
  </div>
</template>

<style scoped>
.grid {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(200px, 1fr));
  gap: 12px;
}
.wide {
  grid-column: 1 / -1;
  margin: 0;
}
.hint.wide {
  margin-top: -8px;
}
.short {
  width: 210px;
}
</style>
