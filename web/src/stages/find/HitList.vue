<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, ok, type Evidence, type Reply, type Signal } from '@/api/client'
import { signalNames } from '@/api/names'
import { shortAddress } from '@/api/words'
import LitText from '@/components/LitText.vue'
import { useCorpus } from '@/stores/corpus'
import { useFind } from './store'

/** The ranked chunks of one question, each with its reasons; j and k move, Enter opens, x says: this is the one. */
const props = defineProps<{ reply: Reply; question: string }>()

const corpus = useCorpus()
const find = useFind()
const whole = ref(new Set<number>())
const at = ref(-1)
const pinning = ref<number>()
const setName = ref('')
const passage = ref('')
const told = ref('')
const problem = ref('')

/** The widest bar of all signals: points are drawn to one scale over the list. */
const most = computed(() =>
  Math.max(0.5, ...props.reply.evidence.flatMap((e) => e.signals.map((s) => Math.abs(s.points)))),
)
const bars = (e: Evidence): Signal[] => e.signals.filter((s) => Math.abs(s.points) >= 0.005)
const width = (s: Signal): string => `${(50 * Math.abs(s.points)) / most.value}%`

const whyLeft: Record<string, string> = {
  repeats: 'says the same as rank',
  section: 'stands in the section of rank',
  'filter: source': 'not from the sources chosen',
  'filter: kind': 'not of the kinds chosen',
  'filter: language': 'in another language',
  'filter: since': 'changed too long ago',
  'filter: until': 'changed after the end date',
}

function toggle(i: number): void {
  if (!whole.value.delete(i)) whole.value.add(i)
}

function link(e: { document: string; version: string; span: { start: number; end: number } }) {
  return {
    name: 'document',
    params: { corpus: corpus.name, document: e.document },
    query: { version: e.version, from: String(e.span.start), to: String(e.span.end) },
  }
}

function startPin(i: number): void {
  const chosen = document.getSelection()?.toString().trim() ?? ''
  const text = props.reply.evidence[i]?.text ?? ''
  passage.value = chosen !== '' && text.includes(chosen) ? chosen : ''
  setName.value = find.sets[0]?.name ?? 'Pinned'
  pinning.value = i
  told.value = ''
  problem.value = ''
}

async function pin(): Promise<void> {
  const e = props.reply.evidence[pinning.value ?? -1]
  if (e === undefined) return
  try {
    const q = await ok(
      api.POST('/api/corpora/{corpus}/pins', {
        params: { path: { corpus: corpus.name } },
        body: {
          set: setName.value,
          question: props.question,
          document: e.document,
          version: e.version,
          span: e.span,
          passage: passage.value === '' ? undefined : passage.value,
        },
      }),
    )
    const words = q.expect.find((x) => x.kind === 'reaches')?.values?.[0] ?? ''
    told.value = `“${setName.value}” now expects this question to reach “${words}”.`
    pinning.value = undefined
    await find.loadSets()
  } catch (err) {
    problem.value = (err as Error).message
  }
}

function move(by: number): void {
  const n = props.reply.evidence.length
  if (n === 0) return
  at.value = Math.max(0, Math.min(n - 1, at.value + by))
  document.getElementById(`hit-${at.value}`)?.focus()
}

function act(key: string): boolean {
  if (key === 'j') move(1)
  else if (key === 'k') move(-1)
  else if (key === 'x' && at.value >= 0) startPin(at.value)
  else return false
  return true
}
defineExpose({ act })

watch(
  () => props.reply,
  (now, before) => {
    whole.value.clear()
    const p = before.evidence[pinning.value ?? -1] // what is being pinned may stand elsewhere now, or be gone
    if (p !== undefined) {
      const k = now.evidence.findIndex((e) => e.version === p.version && e.span.start === p.span.start)
      pinning.value = k < 0 ? undefined : k
    }
    const focused = /^hit-(\d+)$/.exec(document.activeElement?.id ?? '') // who is reading the list stays where they are
    at.value = focused ? Math.min(Number(focused[1]), props.reply.evidence.length - 1) : -1
  },
)
watch(
  () => props.question,
  () => (told.value = ''), // a later search for the same question takes nothing back
)
</script>

<template>
  <div class="stack">
    <p v-if="told !== ''" class="notice" role="status">{{ told }}</p>
    <p v-if="reply.evidence.length === 0" class="notice">Nothing in the corpus resembles the question.</p>
    <p v-else class="muted figure">
      {{ reply.evidence.length }} best chunks, {{ reply.millis.toFixed(0) }} ms. Bars: what each signal adds, in
      standard deviations of the candidates' scores.
    </p>
    <article v-for="(e, i) in reply.evidence" :id="`hit-${i}`" :key="i" class="hit" tabindex="-1" @focusin="at = i">
      <div class="rank figure">{{ i + 1 }}</div>
      <div>
        <RouterLink :to="link(e)" class="title">{{ [e.title, ...e.path].join(' › ') }}</RouterLink>
        <p class="muted mono">{{ shortAddress(e.address) }}</p>
        <p class="why">
          {{ e.why.slice(0, 4).join('; ') }}<span v-if="e.kept" class="good"> · kept for the reply</span>
        </p>
        <p class="passage" :class="{ whole: whole.has(i) }"><LitText :text="e.text" :lit="e.lit" /></p>
        <p v-if="e.section && whole.has(i)" class="passage whole section">
          <span class="muted">Its section:</span> {{ e.section }}
        </p>
        <p class="row">
          <button
            v-if="e.text.length > 420 || e.section"
            class="linkish"
            :aria-expanded="whole.has(i)"
            @click="toggle(i)"
          >
            {{ whole.has(i) ? 'Show less' : e.section ? 'Show its section' : 'Show the whole chunk' }}
          </button>
          <button class="linkish" @click="startPin(i)">Mark as the expected passage</button>
        </p>
        <form v-if="pinning === i" class="pin row" @submit.prevent="pin">
          <label :for="`pin-${i}`">Expected from now on, in the question set</label>
          <input :id="`pin-${i}`" v-model="setName" list="sets" required maxlength="120" />
          <datalist id="sets"><option v-for="s in find.sets" :key="s.id" :value="s.name" /></datalist>
          <ElButton size="small" type="primary" native-type="submit">Save</ElButton>
          <ElButton size="small" @click="pinning = undefined">Cancel</ElButton>
          <p class="hint">
            {{
              passage === ''
                ? 'The sentence nearest to the question is expected; select words in the text first to expect just those.'
                : `Expected words: “${passage}”`
            }}
          </p>
          <p v-if="problem !== ''" class="bad" role="alert">{{ problem }}</p>
        </form>
      </div>
      <table class="bars" :aria-label="`Why it ranks ${i + 1}`">
        <tbody>
          <tr class="sum">
            <th scope="row">score</th>
            <td class="figure">{{ e.score.toFixed(2) }}</td>
            <td></td>
          </tr>
          <tr v-for="s in bars(e)" :key="s.name">
            <th scope="row">{{ signalNames[s.name] }}</th>
            <td class="figure">{{ s.points > 0 ? '+' : '' }}{{ s.points.toFixed(2) }}</td>
            <td>
              <span class="axis"
                ><span class="bar" :class="{ minus: s.points < 0 }" :style="{ width: width(s) }"></span
              ></span>
            </td>
          </tr>
        </tbody>
      </table>
    </article>
    <section v-if="reply.left.length > 0">
      <h2>Left out</h2>
      <ul class="left-out">
        <li v-for="(l, i) in reply.left" :key="i">
          <RouterLink :to="link(l)">{{ [l.title, ...l.path].join(' › ') }}</RouterLink>
          <span class="muted"> {{ whyLeft[l.why] ?? l.why }}{{ l.of ? ` ${l.of}` : '' }}</span>
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.hit {
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr) 250px;
  gap: 12px;
  border-top: 1px solid var(--line);
  padding-top: 10px;
}
.hit:focus {
  outline: 2px solid var(--accent);
  outline-offset: 3px;
}
.rank {
  font-size: 17px;
  font-weight: 650;
  color: var(--accent);
  text-align: right;
}
.title {
  font-weight: 600;
}
.hit p {
  margin: 2px 0 5px;
}
.why {
  font-size: 12.5px;
}
.passage {
  max-width: 72ch;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 4;
  line-clamp: 4;
  overflow: hidden;
}
.passage.whole {
  display: block;
}
.section {
  border-left: 3px solid var(--line);
  padding-left: 10px;
}
.pin {
  background: var(--sunk);
  padding: 8px 10px;
}
.pin input {
  border: 1px solid var(--control);
  border-radius: var(--radius);
  padding: 3px 6px;
  background: var(--raised);
  color: var(--ink);
}
.pin p {
  flex-basis: 100%;
}
.bars {
  font-size: 12px;
  border-collapse: collapse;
  align-self: start;
  width: 100%;
}
.bars th {
  font-weight: 400;
  color: var(--muted);
  text-align: left;
  white-space: nowrap;
}
.bars .sum th,
.bars .sum td {
  font-weight: 650;
  color: var(--ink);
}
.bars td {
  text-align: right;
  padding: 0 0 0 8px;
}
.bars td:last-child {
  width: 96px;
}
.axis {
  position: relative;
  display: block;
  height: 9px;
  background: linear-gradient(var(--control), var(--control)) 50% 0 / 1px 100% no-repeat;
}
.bar {
  position: absolute;
  left: 50%;
  top: 1px;
  height: 7px;
  background: var(--accent);
}
.bar.minus {
  left: auto;
  right: 50%;
  background: repeating-linear-gradient(-45deg, var(--bad) 0 2px, transparent 2px 4px);
}
.left-out {
  margin: 6px 0 0;
  padding-left: 18px;
}
</style>
