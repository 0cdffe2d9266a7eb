<script setup lang="ts">
import { computed, onUnmounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { counted, moment, percent, shortAddress } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import GateForm from './GateForm.vue'

/** The gate between the draft and the line of releases, and how the draft came about. */
const corpus = useCorpus()
const params = () => ({ path: { corpus: corpus.name } })
const {
  value: releases,
  state,
  problem,
  load: loadReleases,
} = useAsk(() => ok(api.GET('/api/corpora/{corpus}/releases', { params: params() })))
const { value: gate, load: loadGate } = useAsk(() => ok(api.GET('/api/corpora/{corpus}/gate', { params: params() })))
const { value: changes, load: loadChanges } = useAsk(() =>
  ok(api.GET('/api/corpora/{corpus}/method/history', { params: params() })),
)
const { value: coming, load: loadComing } = useAsk(() =>
  ok(api.GET('/api/corpora/{corpus}/releases/changes', { params: params() })),
)
const load = () => Promise.all([loadReleases(), loadGate(), loadChanges(), loadComing()])
onUnmounted(corpus.on('method', () => void load()))
const measuredAnew = () => void Promise.all([loadGate(), loadComing()])
onUnmounted(corpus.on('index', measuredAnew))
onUnmounted(corpus.on('job', (j) => j.state === 'done' && measuredAnew()))

const note = ref('')
const reason = ref('')
const failed = ref('')
const editing = ref(false)

async function attempt(call: () => Promise<unknown>): Promise<void> {
  failed.value = ''
  try {
    await call()
  } catch (e) {
    failed.value = (e as Error).message
  }
  await Promise.all([load(), corpus.load()])
}

const release = () =>
  attempt(async () => {
    await ok(
      api.POST('/api/corpora/{corpus}/releases', {
        params: params(),
        body: { note: note.value, overrule: reason.value },
      }),
    )
    note.value = ''
    reason.value = ''
  })

/** Runs what has not been measured on this draft, one set after the other. */
const measure = () =>
  attempt(async () => {
    for (const s of gate.value?.sets ?? []) {
      if (s.state !== 'unmeasured') continue
      await ok(
        api.POST('/api/corpora/{corpus}/sets/{set}/runs', { params: { path: { corpus: corpus.name, set: s.id } } }),
      )
    }
  })

const goLive = (number: number) =>
  attempt(() =>
    ok(api.POST('/api/corpora/{corpus}/releases/{number}/live', { params: { path: { corpus: corpus.name, number } } })),
  )

const bringBack = (c: Schema['MethodChange']) =>
  attempt(() =>
    ok(
      api.POST('/api/corpora/{corpus}/method/history/{number}', {
        params: { path: { corpus: corpus.name, number: c.number } },
      }),
    ),
  )

async function gateSet(): Promise<void> {
  editing.value = false
  await loadGate()
}

const unmeasured = computed(() => (gate.value?.sets ?? []).some((s) => s.state === 'unmeasured'))
const measuring = computed(() => corpus.active.some((j) => j.kind === 'run'))
const since = computed(() => corpus.current?.release)
const differs = computed(() =>
  [
    ...((since.value?.settings.length ?? 0) > 0 ? [counted(since.value?.settings.length ?? 0, 'setting')] : []),
    ...(since.value?.index === true ? ['the index'] : []),
  ].join(', '),
)
/** What is other in the material, kind by kind. */
const material = computed(() => {
  const c = coming.value
  if (c === undefined) return []
  return [
    { word: 'New', list: c.added, count: c.counts.added },
    { word: 'Changed', list: c.altered, count: c.counts.altered },
    { word: 'Gone', list: c.gone, count: c.counts.gone },
  ].filter((m) => m.count > 0)
})
const flips = computed(() => coming.value?.flips ?? [])

/** Where what was measured can be looked at again. */
const measured = (e: Schema['Measured']) => ({
  name: 'prove',
  params: { corpus: corpus.name },
  query: e.run ? { run: e.run } : { view: 'trials' },
})
const run = (id: string) => ({ name: 'prove', params: { corpus: corpus.name }, query: { run: id } })
const states: Record<Schema['Held']['state'], string> = {
  passed: 'passes',
  below: 'below the floor',
  unmeasured: 'not measured on this draft',
}
const tone = (s: Schema['Held']) => (s.state === 'passed' ? 'good' : s.state === 'below' ? 'bad' : 'caution')
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <h1>Gate</h1>
      <p v-if="gate" class="notice" :class="gate.open ? '' : 'caution'" role="status">
        <b>{{ gate.open ? 'Open' : 'Shut' }}</b>: {{ gate.why }}.
      </p>
      <template v-if="gate && !editing">
        <div v-for="s in gate.sets" :key="s.id" class="set">
          <b>{{ s.set }}</b> <span :class="tone(s)">{{ states[s.state] }}</span>
          <div class="muted figure">
            floor {{ percent(s.floor) }}, {{ counted(s.questions, 'question')
            }}<template v-if="s.run && s.interval">
              · <RouterLink :to="run(s.run)">{{ percent(s.pass ?? 0) }}</RouterLink> ({{ percent(s.interval.low) }} to
              {{ percent(s.interval.high) }})</template
            >
          </div>
          <div v-if="s.unsure" class="caution">The set is small: its interval reaches below the floor.</div>
        </div>
        <div class="row">
          <ElButton v-if="unmeasured" size="small" :loading="measuring" @click="measure">Measure the draft</ElButton>
          <button class="linkish" @click="editing = true">
            {{ gate.sets.length === 0 ? 'Ask for a question set' : 'Change the floors' }}
          </button>
        </div>
      </template>
      <GateForm v-if="gate && editing" :sets="gate.sets" @saved="gateSet" @cancel="editing = false" />
      <h2>Release the draft</h2>
      <p v-if="since && (since.settings.length > 0 || since.index)" class="muted">
        Changed since release {{ since.number }}: {{ differs }}.
      </p>
      <label class="field">
        <span class="label">What it is for</span>
        <ElInput v-model="note" maxlength="500" placeholder="winter fares, new bar" />
      </label>
      <label v-if="gate && !gate.open" class="field">
        <span class="label">Why release all the same</span>
        <ElInput v-model="reason" maxlength="500" />
        <span class="hint">Kept with the release.</span>
      </label>
      <ElButton type="primary" :disabled="!gate || (!gate.open && reason.trim() === '')" @click="release"
        >Release the draft</ElButton
      >
      <p v-if="gate && !gate.open && reason.trim() === ''" class="hint">The gate is shut: {{ gate.why }}.</p>
      <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
    </div>
    <div class="right stack">
      <h2>Releases</h2>
      <AskState :state="state" what="the releases" :problem="problem" @again="loadReleases">
        <p v-if="(releases ?? []).length === 0" class="notice">
          No release yet. A release freezes the draft with its index: visitors get that, whatever is gathered and
          changed afterwards.
        </p>
        <table v-else class="plain releases">
          <thead>
            <tr>
              <th class="num">Number</th>
              <th>When</th>
              <th>What for</th>
              <th>Question sets</th>
              <th />
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in releases" :key="r.number">
              <td class="num figure">{{ r.number }}</td>
              <td :title="moment(r.at).zone">
                {{ moment(r.at).text }}
                <div v-if="r.madeBy" class="muted">{{ r.madeBy }}</div>
              </td>
              <td>
                {{ r.note }}
                <div v-if="r.overruled" class="caution">Against the gate: {{ r.overruled }}</div>
              </td>
              <td>
                <div v-for="s in r.gate" :key="s.id">
                  {{ s.set }} <span :class="tone(s)">{{ s.run ? percent(s.pass ?? 0) : 'not measured' }}</span>
                </div>
              </td>
              <td>
                <b v-if="r.live" class="good">Live</b>
                <button v-else class="linkish" title="Visitors get this release at once" @click="goLive(r.number)">
                  Go back to this
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </AskState>
      <template v-if="material.length > 0 || flips.length > 0">
        <h2>What the draft changes for visitors since release {{ coming?.release }}</h2>
        <details v-for="m in material" :key="m.word">
          <summary>{{ m.word }}: {{ counted(m.count, 'document') }}</summary>
          <ul class="material">
            <li v-for="d in m.list" :key="d.id" dir="auto">
              {{ d.title || d.address }} <span class="muted">{{ shortAddress(d.address) }}</span>
            </li>
            <li v-if="m.count > m.list.length" class="muted">and {{ m.count - m.list.length }} more</li>
          </ul>
        </details>
        <table v-if="flips.length > 0" class="plain" aria-label="Expected questions with another verdict">
          <thead>
            <tr>
              <th>Expected question</th>
              <th>Set</th>
              <th>Verdict</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="f in flips" :key="f.set + f.question">
              <td dir="auto">
                <RouterLink :to="run(f.run)">{{ f.text || f.question }}</RouterLink>
              </td>
              <td>{{ f.set }}</td>
              <td :class="f.fixed ? 'good' : 'bad'">{{ f.fixed ? 'passes now' : 'fails now' }}</td>
            </tr>
          </tbody>
        </table>
      </template>
      <template v-if="(since?.settings ?? []).length > 0">
        <h2>What changed in the draft since release {{ since?.number }}</h2>
        <table class="plain">
          <tbody>
            <tr v-for="s in since?.settings" :key="s.key">
              <td>{{ s.label }}</td>
              <td>{{ s.before }}</td>
              <td>{{ s.after }}</td>
            </tr>
          </tbody>
        </table>
      </template>
      <template v-if="(changes ?? []).length > 0">
        <h2>Draft history</h2>
        <table class="plain changes">
          <thead>
            <tr>
              <th>When</th>
              <th>What changed</th>
              <th>Evidence</th>
              <th />
            </tr>
          </thead>
          <tbody>
            <tr v-for="(c, i) in changes" :key="c.number">
              <td :title="moment(c.at).zone">{{ moment(c.at).text }}</td>
              <td>
                <template v-if="c.number === 0">what it was at first</template>
                <div v-if="c.why !== ''">{{ c.why }}</div>
                <div v-for="s in c.settings" :key="s.key" class="muted">
                  {{ s.label }}: {{ s.before || 'none' }} → {{ s.after || 'none' }}
                </div>
              </td>
              <td>
                <RouterLink v-if="c.evidence" :to="measured(c.evidence)">{{ c.evidence.text }}</RouterLink>
              </td>
              <td>
                <button
                  v-if="i > 0"
                  class="linkish"
                  title="The settings as they were then; documents stay"
                  @click="bringBack(c)"
                >
                  Bring back
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </template>
    </div>
  </div>
</template>

<style scoped>
.material {
  margin: 4px 0 8px;
  padding-left: 20px;
}
.set {
  padding: 6px 0;
  border-bottom: 1px solid var(--line);
}
</style>
