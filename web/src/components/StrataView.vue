<script setup lang="ts">
import { computed } from 'vue'
import type { Layer } from '@/api/client'

/** A document as layers, one for each chunk: height by tokens, hatching where it repeats the chunk before, shade by how
 * often what stands there was kept for a reply, a bar at the side where the other settings cut differently. */
const props = defineProps<{ chunks: Layer[]; chosen?: number; compare?: boolean; label?: string }>()
const emit = defineEmits<{ choose: [ordinal: number]; hover: [ordinal: number | undefined] }>()

const most = computed(() => Math.max(1, ...props.chunks.map((c) => c.seen)))

function height(c: Layer): string {
  return `${Math.max(14, Math.min(160, c.tokens / 2.2))}px`
}

function hatch(c: Layer): string {
  const whole = c.span.end - c.span.start
  if (c.overlap === undefined || whole === 0) return '0%'
  return `${Math.round((100 * (c.overlap.end - c.overlap.start)) / whole)}%`
}

const shade = (c: Layer): number => (c.seen === 0 ? 0 : 0.12 + 0.88 * Math.sqrt(c.seen / most.value))

function style(c: Layer) {
  const s = shade(c)
  return {
    height: height(c),
    '--hatch': hatch(c),
    background: `color-mix(in srgb, var(--strata-9) ${Math.round(100 * s)}%, var(--strata-0))`,
    color: s > 0.5 ? 'var(--strata-light)' : 'var(--ink)',
  }
}
</script>

<template>
  <ol class="strata" :aria-label="label ?? 'Strata: one layer for each chunk'">
    <li v-for="c in chunks" :key="c.ordinal">
      <button
        :class="{ chosen: c.ordinal === chosen, apart: compare && !c.same }"
        :style="style(c)"
        :title="`${c.tokens} tokens, kept for a reply ${c.seen} times`"
        :aria-label="`Chunk ${c.ordinal + 1}, ${c.tokens} tokens, kept ${c.seen} times, ${(c.path ?? []).join(', ')}${compare && !c.same ? ', cut differently' : ''}`"
        @click="emit('choose', c.ordinal)"
        @mouseenter="emit('hover', c.ordinal)"
        @mouseleave="emit('hover', undefined)"
        @focus="emit('hover', c.ordinal)"
        @blur="emit('hover', undefined)"
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
  width: 72px;
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
  outline: 2px solid var(--caution);
  outline-offset: -2px;
  z-index: 1;
}
button.apart {
  border-left: 4px solid var(--caution);
}
.figure {
  position: relative;
}
</style>
