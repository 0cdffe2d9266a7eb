<script setup lang="ts">
import { computed } from 'vue'

/** How many chunks there are of each size, in steps of 40 tokens; the draft's own beside those being tried, as lines. */
const props = defineProps<{ sizes: number[]; before?: number[] }>()

const most = computed(() => Math.max(1, ...props.sizes, ...(props.before ?? [])))
const step = 40
const name = (i: number): string =>
  i === props.sizes.length - 1 ? `${i * step} tokens and more` : `${i * step} to ${(i + 1) * step - 1} tokens`
const height = (n: number): string => `${n === 0 ? 0 : Math.max(2, (44 * n) / most.value)}px`
</script>

<template>
  <figure class="bars" aria-label="Chunks by size">
    <div class="plot">
      <div v-for="(n, i) in sizes" :key="i" class="bar" :title="`${name(i)}: ${n} chunks`">
        <span class="now" :style="{ height: height(n) }"></span>
        <span v-if="before" class="was" :style="{ bottom: height(before[i] ?? 0) }"></span>
      </div>
    </div>
    <figcaption class="muted figure"><span>0</span><span>tokens</span><span>600 +</span></figcaption>
  </figure>
</template>

<style scoped>
.bars {
  margin: 0;
  width: 210px;
}
.plot {
  display: flex;
  align-items: flex-end;
  gap: 2px;
  height: 46px;
  border-bottom: 1px solid var(--control);
}
.bar {
  position: relative;
  flex: 1;
  height: 100%;
  display: flex;
  align-items: flex-end;
}
.now {
  width: 100%;
  background: var(--accent);
}
.was {
  position: absolute;
  left: -1px;
  right: -1px;
  border-top: 2px solid var(--caution);
}
figcaption {
  display: flex;
  justify-content: space-between;
  font-size: 11px;
}
</style>
