<script setup lang="ts">
import type { Chunk } from '@/api/client'

/** A document as layers, one for each chunk: height by tokens, hatching where it repeats the chunk before. */
defineProps<{ chunks: Chunk[]; chosen?: number }>()
const emit = defineEmits<{ choose: [ordinal: number] }>()

function height(c: Chunk): string {
  return `${Math.max(14, Math.min(160, c.tokens / 2.2))}px`
}

function hatch(c: Chunk): string {
  const whole = c.span.end - c.span.start
  if (c.overlap === undefined || whole === 0) return '0%'
  return `${Math.round((100 * (c.overlap.end - c.overlap.start)) / whole)}%`
}
</script>

<template>
  <ol class="strata" aria-label="Strata: one layer for each chunk">
    <li v-for="c in chunks" :key="c.ordinal">
      <button
        :class="{ chosen: c.ordinal === chosen }"
        :style="{ height: height(c), '--hatch': hatch(c) }"
        :aria-label="`Chunk ${c.ordinal + 1}, ${c.tokens} tokens, ${(c.path ?? []).join(', ')}`"
        @click="emit('choose', c.ordinal)"
      >
        <span class="figure">{{ c.tokens }}</span>
      </button>
    </li>
  </ol>
</template>

<style scoped>
.strata {
  list-style: none;
  margin: 0;
  padding: 0;
  width: 84px;
}
li {
  display: block;
}
button {
  position: relative;
  display: block;
  width: 100%;
  border: 1px solid var(--raised);
  border-width: 0 0 2px;
  background: color-mix(in srgb, var(--strata-9) 22%, var(--strata-0));
  color: var(--ink);
  font-size: 11px;
  text-align: right;
  padding: 0 6px;
  cursor: pointer;
}
button::before {
  content: '';
  position: absolute;
  inset: 0 0 auto 0;
  height: var(--hatch);
  background: repeating-linear-gradient(-45deg, var(--accent) 0 1px, transparent 1px 5px);
  opacity: 0.55;
}
button.chosen {
  background: var(--strata-9);
  color: var(--raised);
}
.figure {
  position: relative;
}
</style>
