<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count, counted, languageName, moment, percent } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import { rangeOf, stamp } from './range'
import { useInAddress } from './store'

type Counts = Schema['Counts']

/** What users asked over time and how it ended; what they asked about, and what grows. */
const corpus = useCorpus()
const inAddress = useInAddress()
const days = inAddress('days', '30')
const minutes = inAddress('minutes', '6')
const now = new Date()
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
const week = computed(() => Number(days.value) > 60)
const query = computed(() => {
  const r = rangeOf(days.value, now)
  return { since: stamp(r.from), until: stamp(r.to), zone, week: week.value }
})
const path = () => ({ corpus: corpus.name })
const figures = useAsk(
  () => ok(api.GET('/api/corpora/{corpus}/figures', { params: { path: path(), query: query.value } })),
  [query],
)
const subjects = useAsk(
  () => ok(api.GET('/api/corpora/{corpus}/figures/subjects', { params: { path: path(), query: query.value } })),
  [query],
)
const asTable = ref(false)
const f = computed(() => figures.value.value)
const s = computed(() => subjects.value.value)

const of = (n: number, all: number): string => (all > 0 ? percent(n / all) : '–')
const tiles = computed(() => {
  const c = f.value
  if (c === undefined) return []
  return [
    { name: 'questions', value: count(c.questions), help: `in ${counted(c.conversations, 'conversation')}` },
    { name: 'answered', value: of(c.answered, c.questions), help: count(c.answered) },
    { name: 'settled unaided', value: of(c.unaided, c.conversations), help: 'of conversations' },
    { name: 'refused', value: of(c.refused, c.questions), help: count(c.refused) },
    { name: 'asked back', value: of(c.askedBack, c.questions), help: count(c.askedBack) },
    { name: 'handed over', value: of(c.handedOver, c.questions), help: count(c.handedOver) },
    { name: 'marked wrong', value: of(c.wrong, c.questions), help: count(c.wrong) },
  ]
})
const saved = computed(() => (Number(minutes.value) > 0 ? ((f.value?.unaided ?? 0) * Number(minutes.value)) / 60 : 0))

const width = 900
const height = 150
const top = computed(() => Math.max(1, ...(f.value?.steps ?? []).map((x) => x.questions)))
const bar = computed(() => (width - 66) / Math.max(1, f.value?.steps.length ?? 1))
const y = (v: number): number => 8 + (1 - v / top.value) * (height - 30)
const day = (d: string): string =>
  new Date(`${d}T12:00`).toLocaleDateString(undefined, { day: 'numeric', month: 'short' })
const rest = (c: Counts): number => c.questions - c.answered - c.refused
const grow = computed(() => (s.value?.subjects ?? []).filter((x) => x.grows))

const csv = computed(() => {
  const head = 'from,questions,answered,refused,asked back,handed over,wrong,conversations,settled unaided'
  const rows = (f.value?.steps ?? []).map((x) =>
    [x.from, x.questions, x.answered, x.refused, x.askedBack, x.handedOver, x.wrong, x.conversations, x.unaided].join(),
  )
  return `data:text/csv;charset=utf-8,${encodeURIComponent([head, ...rows].join('\r\n'))}`
})
</script>

<template>
  <section class="scroll stack" aria-label="Figures">
    <div class="row">
      <ElSelect v-model="days" class="days" aria-label="Time">
        <ElOption value="7" label="Last 7 days" />
        <ElOption value="30" label="Last 30 days" />
        <ElOption value="90" label="Last 90 days" />
        <ElOption value="365" label="Last year" />
      </ElSelect>
      <span class="muted">Users only; tests by staff are not counted.</span>
      <a :href="csv" download="figures.csv">Export as CSV</a>
    </div>
    <AskState :state="figures.state.value" what="the figures" :problem="figures.problem.value" @again="figures.load">
      <template v-if="f">
        <p v-if="f.questions === 0" class="notice">Users asked nothing in this time.</p>
        <template v-else>
          <dl class="tiles">
            <div v-for="t in tiles" :key="t.name">
              <dt class="muted">{{ t.name }}</dt>
              <dd class="figure">
                <b>{{ t.value }}</b> <span class="muted">{{ t.help }}</span>
              </dd>
            </div>
          </dl>
          <p>
            At
            <ElInput
              :model-value="minutes"
              class="minutes"
              aria-label="Minutes of a person saved by a conversation settled unaided"
              @change="(v: string) => (minutes = v.replace(/[^0-9.]/g, ''))"
            />
            minutes of a person for each conversation settled unaided, this saved
            <b class="figure">{{ count(Math.round(saved)) }} hours</b>.
          </p>
          <svg
            v-if="!asTable"
            :viewBox="`0 0 ${width} ${height}`"
            role="img"
            :aria-label="`Questions by ${week ? 'week' : 'day'}, the most ${top}`"
          >
            <defs>
              <pattern id="hatched" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
                <rect width="3" height="5" class="hatch" />
              </pattern>
            </defs>
            <g v-for="v in [0, top]" :key="v">
              <line x1="60" :x2="width" :y1="y(v)" :y2="y(v)" class="rule" />
              <text x="54" :y="y(v) + 4" text-anchor="end">{{ v }}</text>
            </g>
            <text x="4" :y="y(top / 2) + 4">questions</text>
            <g v-for="(x, i) in f.steps" :key="x.from">
              <rect
                class="answered"
                :x="62 + i * bar"
                :width="Math.max(1, bar - 1)"
                :y="y(x.answered)"
                :height="y(0) - y(x.answered)"
              />
              <rect
                class="other"
                :x="62 + i * bar"
                :width="Math.max(1, bar - 1)"
                :y="y(x.answered + rest(x))"
                :height="y(0) - y(rest(x))"
              />
              <rect
                class="refused"
                :x="62 + i * bar"
                :width="Math.max(1, bar - 1)"
                :y="y(x.questions)"
                :height="y(0) - y(x.refused)"
              />
              <title>{{ day(x.from) }}: {{ x.questions }} questions, {{ x.refused }} refused</title>
              <text v-if="i % Math.ceil(f.steps.length / 10) === 0" :x="62 + i * bar" :y="height - 4">
                {{ day(x.from) }}
              </text>
            </g>
          </svg>
          <table v-else class="plain">
            <thead>
              <tr>
                <th>{{ week ? 'Week from' : 'Day' }}</th>
                <th class="num">Questions</th>
                <th class="num">Answered</th>
                <th class="num">Refused</th>
                <th class="num">Handed over</th>
                <th class="num">Wrong</th>
                <th class="num">Conversations</th>
                <th class="num">Settled unaided</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="x in f.steps" :key="x.from">
                <td class="figure">{{ x.from }}</td>
                <td class="num">{{ x.questions }}</td>
                <td class="num">{{ x.answered }}</td>
                <td class="num">{{ x.refused }}</td>
                <td class="num">{{ x.handedOver }}</td>
                <td class="num">{{ x.wrong }}</td>
                <td class="num">{{ x.conversations }}</td>
                <td class="num">{{ x.unaided }}</td>
              </tr>
            </tbody>
          </table>
          <p class="muted key">
            <i class="answered" /> answered <i class="other" /> other <i class="refused" /> refused ·
            <button class="linkish" @click="asTable = !asTable">
              {{ asTable ? 'Show as a plot' : 'Show as a table' }}
            </button>
          </p>
          <div class="two">
            <table class="plain">
              <caption class="sr">
                By where it was asked
              </caption>
              <thead>
                <tr>
                  <th>Where</th>
                  <th class="num">Questions</th>
                  <th class="num">Answered</th>
                  <th class="num">Refused</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="x in f.surfaces" :key="x.name">
                  <td>{{ x.name }}</td>
                  <td class="num">{{ count(x.questions) }}</td>
                  <td class="num">{{ of(x.answered, x.questions) }}</td>
                  <td class="num">{{ of(x.refused, x.questions) }}</td>
                </tr>
              </tbody>
            </table>
            <table class="plain">
              <caption class="sr">
                By language
              </caption>
              <thead>
                <tr>
                  <th>Language</th>
                  <th class="num">Questions</th>
                  <th class="num">Answered</th>
                  <th class="num">Refused</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="x in f.languages" :key="x.name">
                  <td>{{ x.name === '' ? 'as the corpus' : languageName(x.name) }}</td>
                  <td class="num">{{ count(x.questions) }}</td>
                  <td class="num">{{ of(x.answered, x.questions) }}</td>
                  <td class="num">{{ of(x.refused, x.questions) }}</td>
                </tr>
              </tbody>
            </table>
          </div>
          <template v-if="f.releases.length > 0">
            <h2>Before and after a release</h2>
            <ul>
              <li v-for="r in f.releases" :key="r.number">
                Release {{ r.number }}, {{ moment(r.at).text }}: answered
                {{ of(r.before.answered, r.before.questions) }} of {{ count(r.before.questions) }} in the
                {{ counted(r.days, 'day') }} before, {{ of(r.after.answered, r.after.questions) }} of
                {{ count(r.after.questions) }} after; difference {{ percent(r.difference) }} ({{
                  percent(r.interval.low)
                }}
                to {{ percent(r.interval.high) }}){{
                  r.interval.low <= 0 && r.interval.high >= 0 ? ', no clear effect' : ''
                }}.
              </li>
            </ul>
          </template>
        </template>
      </template>
    </AskState>
    <AskState
      :state="subjects.state.value"
      what="the subjects"
      :problem="subjects.problem.value"
      @again="subjects.load"
    >
      <template v-if="s && s.subjects.length > 0">
        <p v-if="s.incidents.length > 0" class="notice">
          <b>{{ counted(s.incidents.length, 'incident') }}</b>: many like questions in one day. Refused
          {{ counted(s.plain, 'time') }}, or {{ counted(s.once, 'time') }} when each incident counts once.
          <span v-for="i in s.incidents.slice(0, 4)" :key="i.day + i.title">
            “{{ i.title }}” {{ i.count }} times on {{ day(i.day) }}, {{ i.usual }} on other days.
          </span>
        </p>
        <h2>Subjects</h2>
        <p v-if="grow.length > 0">
          Growing: <b>{{ grow.map((x) => x.title).join('; ') }}</b>
        </p>
        <table class="plain">
          <thead>
            <tr>
              <th>Subject, by its most used wording</th>
              <th class="num">Questions</th>
              <th class="num">Answered</th>
              <th class="num">Wrong</th>
              <th class="num">First half</th>
              <th class="num">Second half</th>
              <th>Trend</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="x in s.subjects.slice(0, 30)" :key="x.title">
              <td :title="x.wordings.join('\n')" dir="auto">
                <RouterLink :to="{ query: { when: days, q: x.title } }">{{ x.title }}</RouterLink>
                <span v-if="!x.covered" class="caution"> mostly unanswered</span>
              </td>
              <td class="num">{{ count(x.questions) }}</td>
              <td class="num">{{ of(x.answered, x.questions) }}</td>
              <td class="num">{{ count(x.wrong) }}</td>
              <td class="num">{{ count(x.earlier) }}</td>
              <td class="num">{{ count(x.later) }}</td>
              <td>{{ x.grows ? 'grows' : x.p < 0.05 ? 'shrinks' : 'no clear trend' }}</td>
            </tr>
          </tbody>
        </table>
      </template>
    </AskState>
  </section>
</template>

<style scoped>
.scroll {
  overflow: auto;
  padding-bottom: 16px;
}
.days {
  width: 150px;
}
.minutes {
  width: 60px;
}
.tiles {
  display: grid;
  grid-template-columns: repeat(7, 1fr);
  margin: 14px 0 0;
  background: var(--raised);
  border: 1px solid var(--line);
}
.tiles div {
  padding: 8px 12px;
  border-left: 1px solid var(--line);
}
.tiles div:first-child {
  border-left: 0;
}
.tiles dd {
  margin: 0;
}
.tiles b {
  font-size: 18px;
}
svg {
  width: 100%;
  background: var(--raised);
  border: 1px solid var(--line);
}
text {
  font-size: 10.5px;
  fill: var(--muted);
}
.rule {
  stroke: var(--line);
}
rect.answered,
i.answered {
  fill: var(--accent);
  background: var(--accent);
}
rect.other,
i.other {
  fill: var(--control);
  background: var(--control);
}
rect.refused {
  fill: url(#hatched);
  stroke: var(--caution);
}
.hatch {
  fill: var(--caution);
}
i.refused {
  background: repeating-linear-gradient(45deg, var(--caution) 0 3px, var(--raised) 3px 5px);
}
.key i {
  display: inline-block;
  width: 9px;
  height: 9px;
  margin-left: 8px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 16px;
}
</style>
