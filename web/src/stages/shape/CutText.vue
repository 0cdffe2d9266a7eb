<script setup lang="ts">
import { computed } from 'vue'
import type { ByteText } from '@/api/bytes'
import type { Expected, Layer } from '@/api/client'

/** The text of a document as its chunks: what repeats the chunk before is hatched, expected passages are underlined. */
const props = defineProps<{
  id: string
  text: ByteText
  chunks: Layer[]
  passages: Expected[]
  chosen?: number
  lit?: number
  compare?: boolean
}>()
const emit = defineEmits<{ choose: [ordinal: number] }>()

interface Part {
  text: string
  passage?: Expected
}

function partsOf(from: number, to: number): Part[] {
  const out: Part[] = []
  let at = from
  for (const p of props.passages) {
    const a = Math.max(at, p.span.start)
    const b = Math.min(to, p.span.end)
    if (a >= b) continue
    if (a > at) out.push({ text: props.text.slice(at, a) })
    out.push({ text: props.text.slice(a, b), passage: p })
    at = b
  }
  if (at < to) out.push({ text: props.text.slice(at, to) })
  return out
}

const cuts = computed(() =>
  props.chunks.map((c) => ({
    layer: c,
    repeated: c.overlap ? props.text.slice(c.overlap.start, c.overlap.end) : '',
    parts: partsOf(c.overlap ? c.overlap.end : c.span.start, c.span.end),
  })),
)
</script>

<template>
  <div class="text">
    <section
      v-for="{ layer: c, repeated, parts } in cuts"
      :id="`${id}-${c.ordinal}`"
      :key="c.ordinal"
      :class="{ chosen: c.ordinal === chosen || c.ordinal === lit, apart: compare && !c.same }"
      @click="emit('choose', c.ordinal)"
    >
      <p class="muted figure head">
        <b>{{ c.ordinal + 1 }}</b> · {{ c.tokens }} tokens<template v-if="(c.path ?? []).length > 0">
          · {{ (c.path ?? []).join(' › ') }}</template
        ><template v-if="c.seen > 0"> · kept {{ c.seen }} times</template
        ><span v-if="compare && !c.same" class="caution"> · cut differently</span>
      </p>
      <p v-if="c.carried" class="carried muted">context added: {{ c.carried.replaceAll('\n', ' · ') }}</p>
      <p class="mono body">
        <span v-if="repeated !== ''" class="repeated" title="Repeated from the chunk before">{{
          repeated
        }}</span><template v-for="(p, i) in parts" :key="i"
          ><u v-if="p.passage" :class="{ cut: p.passage.cut }" :title="`Expected for: ${p.passage.text}`">{{
            p.text
          }}</u
          ><template v-else>{{ p.text }}</template></template
        >
      </p>
    </section>
  </div>
</template>

<style scoped>
section {
  background: var(--raised);
  border: 1px solid var(--line);
  border-left: 3px solid var(--accent);
  padding: 5px 10px 7px;
  margin-bottom: 8px;
}
section.apart {
  border-left-color: var(--caution);
}
section.chosen {
  border-color: var(--accent);
  box-shadow: inset 0 0 0 1px var(--accent);
}
.head,
.carried {
  margin: 0 0 3px;
  font-size: 12px;
}
.body {
  margin: 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-width: 96ch;
}
u {
  text-decoration: underline dotted var(--good) 2px;
  text-underline-offset: 3px;
}
u.cut {
  text-decoration: underline wavy var(--bad) 1px;
}
.repeated {
  background: repeating-linear-gradient(-45deg, var(--accent-soft) 0 4px, transparent 4px 8px);
  color: var(--muted);
}
</style>
