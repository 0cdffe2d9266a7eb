<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { api, ok, type Study } from '@/api/client'
import { count, moment, percent } from '@/api/words'
import JobBar from '@/components/JobBar.vue'
import { useCorpus } from '@/stores/corpus'
import { useFind } from './store'

/** What each pass and signal is worth on a question set, and what moving the weights would be worth on unseen questions. */
const corpus = useCorpus()
const find = useFind()
const studies = ref<Study[]>([])
const set = ref(find.sets[0]?.id ?? '')
const problem = ref('')

const running = computed(() => corpus.active.filter((j) => j.kind === 'study'))
const broken = computed(() => Object.values(corpus.jobs).filter((j) => j.kind === 'study' && j.state === 'failed'))
const latest = (kind: Study['kind']) =>
  computed(() => studies.value.find((s) => s.kind === kind && s.set === set.value && s.endedAt !== ''))
const ablation = latest('ablation')
const fit = latest('fit')

type Worth = NonNullable<Study['ablation']>['parts'][number]
const parts = computed(() => [...(ablation.value?.ablation?.parts ?? [])].sort((a, b) => b.mrr - a.mrr))
const span = computed(() =>
  Math.max(0.02, ...parts.value.flatMap((p) => [Math.abs(p.interval.low), Math.abs(p.interval.high), Math.abs(p.mrr)])),
)
const x = (v: number): number => 90 + (84 * v) / span.value
const points = (v: number): string => `${v > 0 ? '+' : ''}${(100 * v).toFixed(1)}`

function verdict(p: Worth): { text: string; tone: string } {
  const of = {
    better: { text: 'helps', tone: 'good' },
    worse: { text: 'hurts', tone: 'bad' },
    unclear: { text: 'no clear effect', tone: 'muted' },
  }
  return of[p.effect]
}

const moved = computed(() => (fit.value?.fit?.moved ?? []).filter((m) => m.before !== m.after))
const labelOf = (key: string): string => find.fields.find((f) => f.key === `find.${key}`)?.label ?? key

async function load(): Promise<void> {
  try {
    studies.value = await ok(api.GET('/api/corpora/{corpus}/studies', { params: { path: { corpus: corpus.name } } }))
    if (set.value === '') set.value = find.sets[0]?.id ?? ''
  } catch (e) {
    problem.value = (e as Error).message
  }
}

async function start(kind: 'ablation' | 'fit'): Promise<void> {
  problem.value = ''
  try {
    const r = await ok(
      api.POST('/api/corpora/{corpus}/sets/{set}/studies', {
        params: { path: { corpus: corpus.name, set: set.value } },
        body: { kind },
      }),
    )
    corpus.jobs[r.job.id] ??= r.job
  } catch (e) {
    problem.value = (e as Error).message
  }
}

function use(): void {
  const f = fit.value?.fit
  if (f === undefined || find.tried === undefined) return
  for (const m of f.moved) find.set('find', m.key, m.after)
}

let stop = (): void => undefined
onMounted(() => {
  void load()
  stop = corpus.onJobEnd((j) => {
    if (j.kind === 'study') void load()
  })
})
onUnmounted(() => stop())
</script>

<template>
  <div class="stack">
    <p v-if="find.sets.length === 0" class="notice">
      A question set is needed.
      <RouterLink :to="{ name: 'prove', params: { corpus: corpus.name } }">Import one in Prove</RouterLink>, or say of
      some chunks that they are the one.
    </p>
    <div v-else class="row">
      <ElSelect v-model="set" class="from" aria-label="Question set">
        <ElOption v-for="s in find.sets" :key="s.id" :value="s.id" :label="`${s.name} (${count(s.count)})`" />
      </ElSelect>
      <ElButton type="primary" :disabled="running.length > 0" @click="start('ablation')">Measure each part</ElButton>
      <ElButton :disabled="running.length > 0" @click="start('fit')">Fit the weights</ElButton>
    </div>
    <p v-if="find.changed" class="notice caution">Both measure the draft as it is applied, not what is being tried.</p>
    <JobBar v-for="j in running" :key="j.id" :job="j" />
    <p v-for="j in broken" :key="j.id" class="notice bad" role="alert">{{ j.error }}</p>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>

    <section v-if="ablation?.ablation">
      <h2>Effect of each part</h2>
      <p class="muted figure">
        <time :title="moment(ablation.endedAt).zone">{{ moment(ablation.endedAt).text }}</time> ·
        {{ ablation.ablation.whole.questions }} questions with an expected passage, with all parts: MRR
        {{ ablation.ablation.whole.mrr.toFixed(3) }}, hit@1 {{ percent(ablation.ablation.whole.hit1) }}, hit@5
        {{ percent(ablation.ablation.whole.hit5) }}, nDCG@10 {{ ablation.ablation.whole.ndcg.toFixed(3) }}. A difference
        under {{ (100 * ablation.ablation.seen).toFixed(1) }} points cannot be told from chance on this set.<span
          v-if="ablation.stale.length > 0"
          class="caution"
        >
          Since then changed: {{ ablation.stale.join(', ') }}.</span
        >
      </p>
      <table class="plain">
        <thead>
          <tr>
            <th>Part</th>
            <th class="num">MRR, points</th>
            <th>95 % interval</th>
            <th class="num">hit@5, points</th>
            <th>Helped / hurt</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in parts" :key="p.key">
            <td>
              {{ p.label }} <span class="muted">{{ p.kind }}</span>
            </td>
            <td class="num">{{ points(p.mrr) }}</td>
            <td>
              <svg
                width="180"
                height="14"
                role="img"
                :aria-label="`from ${points(p.interval.low)} to ${points(p.interval.high)}`"
              >
                <line x1="90" x2="90" y1="0" y2="14" class="zero" />
                <line :x1="x(p.interval.low)" :x2="x(p.interval.high)" y1="7" y2="7" class="range" />
                <rect :x="x(p.mrr) - 3" y="3" width="6" height="8" class="mid" />
              </svg>
            </td>
            <td class="num">{{ points(p.hit5) }}</td>
            <td :title="`Helped: ${p.helped.join(', ') || 'none'}. Hurt: ${p.hurt.join(', ') || 'none'}.`">
              {{ p.helped.length }} / {{ p.hurt.length }}
            </td>
            <td :class="verdict(p).tone">{{ verdict(p).text }}</td>
          </tr>
        </tbody>
      </table>
    </section>

    <section v-if="fit?.fit">
      <h2>Weights fitted to the set</h2>
      <p class="notice" :class="fit.fit.kept ? '' : 'caution'">
        <template v-if="fit.fit.kept">Kept on questions that had no part in the fit: </template>
        <template v-else>Not kept: what was gained on the questions seen is not there on those unseen. </template>
        <span class="figure"
          >nDCG {{ fit.fit.before.toFixed(3) }} before, {{ fit.fit.after.toFixed(3) }} on the questions fitted to,
          {{ fit.fit.unseen.toFixed(3) }} on unseen ones: {{ points(fit.fit.gain) }} points, 95 %
          {{ points(fit.fit.interval.low) }} to {{ points(fit.fit.interval.high) }}, {{ fit.fit.folds }} folds over
          {{ fit.fit.clusters }} different questions.</span
        >
        <ElButton v-if="fit.fit.kept" size="small" type="primary" @click="use">Try these weights</ElButton>
      </p>
      <table v-if="moved.length > 0" class="plain">
        <thead>
          <tr>
            <th>Weight</th>
            <th class="num">Before</th>
            <th class="num">Fitted</th>
            <th>In each fold</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="m in moved" :key="m.key">
            <td>{{ labelOf(m.key) }}</td>
            <td class="num">{{ m.before.toFixed(2) }}</td>
            <td class="num">{{ m.after.toFixed(2) }}</td>
            <td class="figure">{{ m.folds.map((v) => v.toFixed(2)).join('  ') }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <p v-if="find.sets.length > 0 && !ablation && !fit && running.length === 0" class="notice">
      Nothing has been measured on this set yet. Measuring takes each pass and signal out in turn and ranks every
      question again; fitting moves the weights and says what is left of the gain on questions that it did not see.
    </p>
  </div>
</template>

<style scoped>
.from {
  width: 240px;
}
h2 {
  margin-top: 18px;
}
.zero {
  stroke: var(--control);
}
.range {
  stroke: var(--accent);
  stroke-width: 2;
}
.mid {
  fill: var(--accent);
}
</style>
