<script setup lang="ts">
import { computed } from 'vue'
import { count, counted } from '@/api/words'
import type { Bar } from './range'

/** How much was asked by hour or by day, and how it ended: a bar each, from answered at the foot to refused at the top. */
const props = defineProps<{ bars: Bar[]; byHour: boolean }>()
const emit = defineEmits<{ open: [from: Date] }>()

const most = computed(() => Math.max(1, ...props.bars.map((b) => b.all)))
const total = computed(() => props.bars.reduce((n, b) => n + b.all, 0))
const refused = computed(() => props.bars.reduce((n, b) => n + b.refused, 0))
const wrong = computed(() => props.bars.reduce((n, b) => n + b.wrong, 0))
const share = (n: number): string => `${(100 * n) / most.value}%`

const when = (b: Bar): string =>
  props.byHour
    ? b.from.toLocaleTimeString(undefined, { hour: '2-digit', minute: '2-digit' })
    : b.from.toLocaleDateString(undefined, { weekday: 'short', day: 'numeric', month: 'short' })

const tells = (b: Bar): string =>
  `${when(b)}: ${counted(b.all, 'question')}, ${count(b.refused)} refused${b.wrong > 0 ? `, ${count(b.wrong)} wrong or thumb down` : ''}`

/** Which bars carry their hour or day beneath. */
const labelled = (i: number): boolean =>
  props.byHour ? i % 6 === 0 : i % Math.max(1, Math.ceil(props.bars.length / 7)) === 0
</script>

<template>
  <figure class="strip" :aria-label="`${total} questions by ${byHour ? 'hour' : 'day'}`">
    <figcaption class="figure muted">
      {{ counted(total, 'question') }} · {{ count(refused) }} refused · {{ count(wrong) }} wrong or thumb down
      <span class="key"><i class="answered" /> answered <i class="other" /> other <i class="refused" /> refused</span>
    </figcaption>
    <div class="bars">
      <component
        :is="byHour ? 'span' : 'button'"
        v-for="(b, i) in bars"
        :key="b.from.getTime()"
        class="slot"
        :role="byHour ? 'img' : undefined"
        :title="tells(b)"
        :aria-label="tells(b)"
        @click="byHour ? undefined : emit('open', b.from)"
      >
        <span class="stackup">
          <span class="refused" :style="{ height: share(b.refused) }" />
          <span class="other" :style="{ height: share(b.other) }" />
          <span class="answered" :style="{ height: share(b.answered) }" />
        </span>
        <span class="label figure">{{ labelled(i) ? when(b) : '' }}</span>
      </component>
    </div>
  </figure>
</template>

<style scoped>
.strip {
  margin: 0;
}
figcaption {
  display: flex;
  justify-content: space-between;
  font-size: 12.5px;
}
.key i {
  display: inline-block;
  width: 9px;
  height: 9px;
  margin-left: 8px;
}
.bars {
  display: flex;
  gap: 1px;
  height: 64px;
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 4px 4px 0;
}
.slot {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
  background: none;
  border: 0;
  padding: 0;
  font: inherit;
  color: inherit;
}
button.slot {
  cursor: pointer;
}
.stackup {
  flex: 1;
  display: flex;
  flex-direction: column;
  justify-content: flex-end;
}
.answered {
  background: var(--accent);
}
.other {
  background: var(--control);
}
.refused {
  background: repeating-linear-gradient(45deg, var(--caution) 0 3px, var(--raised) 3px 5px);
  outline: 1px solid var(--caution);
  outline-offset: -1px;
}
.label {
  height: 15px;
  font-size: 10.5px;
  color: var(--muted);
  white-space: nowrap;
  text-align: left;
}
</style>
