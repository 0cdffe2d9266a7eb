<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Evidence, Reply } from '@/api/client'
import { outcomeNames, outcomeOf, passNames, signalNames } from '@/api/names'
import { shortAddress } from '@/api/words'
import LitText from './LitText.vue'

/** The evidence trail of one reply in four columns: asked, searched, kept, said. */
const props = defineProps<{ reply: Reply; corpus: string }>()

const hovered = ref(-1)
const trail = computed(() => props.reply.trail)
const steps = computed(() => (trail.value?.reading?.steps ?? []).filter((s) => s.changed))
const searches = computed(() => trail.value?.reading?.searches ?? [])
const written = computed(() => trail.value?.written)
const spent = computed(() => (trail.value?.timings ?? []).map((t) => `${t.step} ${(t.micros / 1000).toFixed(1)} ms`))
const calls = computed(() => trail.value?.spent ?? [])
const purposes = { reword: 'wordings of the question', word: 'the reply', opinion: 'a second opinion' }
const parts = computed(() => trail.value?.parts ?? [])
const kept = computed(() => props.reply.evidence.map((e, i) => ({ ...e, index: i })).filter((e) => e.kept))
const said = computed(() =>
  (trail.value?.reply ?? []).map((s, i) => ({
    ...s,
    cited: props.reply.cited.find((c) => c.sentence === i),
  })),
)
const outcome = computed(() => outcomeOf(props.reply))

function shares(e: Evidence): { name: string; share: number }[] {
  return e.signals.map((s) => ({ name: signalNames[s.name], share: s.share })).filter((s) => s.share >= 0.01)
}

type Span = { start: number; end: number }

/** Where a passage stands, with the cells of it that are told, when it is a record. */
function link(c: { document: string; version: string; span: Span }, cells: Span[] = []) {
  const told = cells.map((x) => `${x.start}-${x.end}`).join(',')
  return {
    name: 'document',
    params: { corpus: props.corpus, document: c.document },
    query: {
      version: c.version,
      from: String(c.span.start),
      to: String(c.span.end),
      cells: told === '' ? undefined : told,
    },
  }
}
</script>

<template>
  <div class="trail">
    <section aria-label="Asked">
      <h3>Asked</h3>
      <p v-for="(t, i) in trail?.turns ?? []" :key="i" class="muted turn">{{ t.role }}: {{ t.text }}</p>
      <p class="question">{{ trail?.question }}</p>
      <p v-if="(trail?.reading?.wants ?? []).length > 0" class="muted">
        asks for a {{ (trail?.reading?.wants ?? []).join(' or a ') }}
      </p>
    </section>
    <section aria-label="Searched">
      <h3>Searched</h3>
      <ol v-if="searches.length > 0" class="wordings">
        <li v-for="(s, i) in searches" :key="i">
          <span class="muted">{{ passNames[s.pass] ?? s.pass }}</span><br />{{ s.text }}
        </li>
      </ol>
      <p v-for="s in steps" :key="s.pass" class="step">
        <span class="muted">{{ passNames[s.pass] ?? s.pass }}:</span> {{ s.why }}
      </p>
      <details v-for="(p, i) in parts" :key="`part${i}`" class="step">
        <summary>{{ p.question }}</summary>
        <p class="muted">{{ outcomeNames[p.outcome] ?? p.outcome }}, support {{ p.support.toFixed(2) }}: {{ p.why }}</p>
        <p v-for="s in (p.reading.steps ?? []).filter((x) => x.changed)" :key="s.pass" class="muted">
          {{ passNames[s.pass] ?? s.pass }}: {{ s.why }}
        </p>
      </details>
      <p class="terms">
        <span v-for="t in trail?.reading?.terms ?? []" :key="t.stem" class="mono" :title="`weight ${t.weight}`">{{
          t.word
        }}</span>
      </p>
      <p class="muted figure">
        {{ reply.evidence.length }} chunks found, {{ kept.length }} kept,
        <span :title="spent.join(', ')">{{ reply.millis.toFixed(0) }} ms</span>
      </p>
    </section>
    <section aria-label="Kept">
      <h3>Kept</h3>
      <p v-if="kept.length === 0" class="muted">Nothing was kept.</p>
      <article v-for="e in kept" :key="e.index" :class="{ on: said[hovered]?.candidate === e.index }">
        <RouterLink :to="link(e)">{{ [e.title, ...e.path].join(' › ') }}</RouterLink>
        <p class="muted figure">
          {{ shortAddress(e.address) }} · score {{ e.score.toFixed(2) }} · support {{ (e.support ?? 0).toFixed(2)
          }}<template v-if="searches.length > 1 && (e.found ?? []).length > 0">
            · found
            {{
              (e.found ?? []).map((n) => (passNames[searches[n]?.pass ?? ''] ?? '').toLowerCase()).join(', ')
            }}</template
          >
        </p>
        <p
          class="bar"
          :aria-label="
            shares(e)
              .map((s) => `${s.name} ${Math.round(100 * s.share)} %`)
              .join(', ')
          "
        >
          <span
            v-for="(s, k) in shares(e)"
            :key="s.name"
            :style="{ width: `${100 * s.share}%`, opacity: 1 - 0.17 * k }"
            :title="`${s.name} ${Math.round(100 * s.share)} %`"
          />
        </p>
        <p class="passage"><LitText :text="e.text.slice(0, 220)" :lit="e.lit.filter((l) => l.end <= 200)" /></p>
      </article>
    </section>
    <section aria-label="Said" aria-live="polite">
      <h3>
        Said
        <span :class="outcome === 'Refused' ? 'caution' : 'good'">{{ outcome }}</span>
      </h3>
      <p
        v-for="(s, i) in said"
        :key="i"
        class="sentence"
        :class="{ on: hovered === i, unsupported: s.unsupported }"
        @mouseenter="hovered = i"
        @mouseleave="hovered = -1"
      >
        {{ s.text }}
        <RouterLink v-if="s.cited" :to="link(s.cited, s.cells)" class="cite" :title="s.cited.passage">{{
          s.cited.title
        }}</RouterLink>
      </p>
      <p class="muted figure">{{ trail?.why }}</p>
      <p v-for="f in trail?.rules?.fired ?? []" :key="f.rule" class="muted">house rule “{{ f.name }}”: {{ f.why }}</p>
      <template v-if="written">
        <p v-if="written.note" class="caution">{{ written.note }}</p>
        <p v-for="(w, i) in written.withheld ?? []" :key="i" class="withheld">
          <b class="caution">withheld</b> <s>{{ w.text }}</s>
          <span class="muted">
            {{
              (w.grounding.troubles ?? []).map((t) => `“${t.said}”: ${t.why}`).join('; ') ||
              'the evidence does not carry it'
            }}</span
          >
        </p>
        <details v-if="written.prompt.length > 0">
          <summary>What the model was told, and wrote</summary>
          <pre v-for="(m, i) in written.prompt" :key="i">{{ m.role }}: {{ m.text }}</pre>
          <pre>{{ written.raw }}</pre>
        </details>
      </template>
      <p v-for="(c, i) in calls" :key="`call-${i}`" class="muted figure">
        {{ c.model }}, {{ purposes[c.for] }}: {{ c.in }} tokens read, {{ c.out }} written<template v-if="c.price > 0"
          >, {{ c.price.toFixed(5) }}</template
        >
      </p>
      <slot />
    </section>
  </div>
</template>

<style scoped>
.trail {
  display: grid;
  grid-template-columns: minmax(120px, 0.7fr) minmax(150px, 0.9fr) minmax(220px, 1.4fr) minmax(260px, 1.7fr);
  gap: 0;
}
section {
  padding: 0 14px;
  min-width: 0;
  overflow-wrap: anywhere;
}
section + section {
  border-left: 1px solid var(--line);
}
h3 {
  font-size: 12.5px;
  color: var(--muted);
  margin-bottom: 8px;
  display: flex;
  justify-content: space-between;
}
p {
  margin: 0 0 6px;
}
.question {
  font-weight: 600;
}
.turn {
  font-size: 12.5px;
}
.wordings {
  margin: 0 0 8px;
  padding-left: 18px;
}
.wordings li + li {
  margin-top: 6px;
}
.terms {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.terms span {
  background: var(--sunk);
  padding: 0 5px;
}
article {
  border-left: 3px solid var(--line);
  padding: 0 0 2px 10px;
  margin-bottom: 12px;
}
article.on {
  border-left-color: var(--accent);
  background: var(--accent-soft);
}
.bar {
  display: flex;
  height: 5px;
  background: var(--sunk);
}
.bar span {
  background: var(--accent);
  border-right: 1px solid var(--raised);
}
.passage {
  font-size: 12.5px;
}
.sentence {
  max-width: 72ch;
  padding: 2px 4px;
}
.sentence.on {
  background: var(--accent-soft);
}
.sentence.unsupported {
  text-decoration: underline wavy var(--caution);
}
.step {
  font-size: 12.5px;
  margin-bottom: 4px;
}
.withheld {
  font-size: 12.5px;
}
pre {
  font: 12px var(--mono);
  white-space: pre-wrap;
  background: var(--sunk);
  padding: 6px 8px;
  margin: 6px 0 0;
}
.cite {
  font-size: 12px;
  white-space: nowrap;
}
</style>
