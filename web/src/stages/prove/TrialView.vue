<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { api, ok, type Field, type Schema, type Study } from '@/api/client'
import { count, duration, moment } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import TrialOutcome from './TrialOutcome.vue'
import { useProve } from './store'

/** Many methods over one set: what is varied, what it would take, and what came of it. */
const corpus = useCorpus()
const prove = useProve()
const fields = ref<Field[]>([])
const trials = ref<Study[]>([])
const plan = ref<Schema['ProvePlan']>({ search: 'grid', budget: 64, seed: 1, factors: [] })
const cost = ref<Schema['TrialCost']>()
const chosen = ref('')

const can = computed(() => fields.value.filter((f) => f.try.length > 0))
const field = (key: string): Field | undefined => fields.value.find((f) => f.key === key)
const shown = computed(() => trials.value.find((t) => t.id === chosen.value) ?? trials.value[0])
const job = computed(() => corpus.active.find((j) => j.kind === 'study'))
const methods = computed(() => plan.value.factors.reduce((n, f) => n * Math.max(1, f.values.length), 1))

function vary(key: string): void {
  const f = field(key)
  if (f === undefined || plan.value.factors.some((x) => x.key === key)) return
  plan.value.factors.push({ key, values: [...f.try] })
}

function values(i: number, text: string): void {
  const f = plan.value.factors[i]
  if (f === undefined) return
  f.values = text
    .split(/[,\s]+/)
    .map((v) => v.trim())
    .filter((v, k, all) => v !== '' && all.indexOf(v) === k)
}

const ready = computed(
  () => prove.set !== '' && plan.value.factors.length > 0 && plan.value.factors.every((f) => f.values.length > 0),
)
const body = (): Schema['ProvePlan'] =>
  plan.value.search === 'grid' ? { ...plan.value, budget: undefined, seed: undefined } : plan.value

async function reckon(): Promise<void> {
  cost.value = await prove.attempt(() =>
    ok(api.POST('/api/corpora/{corpus}/sets/{set}/trials/estimate', { params: { path: prove.inSet() }, body: body() })),
  )
}

async function go(): Promise<void> {
  const got = await prove.attempt(() =>
    ok(api.POST('/api/corpora/{corpus}/sets/{set}/trials', { params: { path: prove.inSet() }, body: body() })),
  )
  if (got === undefined) return
  cost.value = undefined
  await load()
  chosen.value = got.study.id
}

async function load(): Promise<void> {
  const got = await prove.attempt(() =>
    ok(api.GET('/api/corpora/{corpus}/studies', { params: { path: { corpus: corpus.name } } })),
  )
  trials.value = (got ?? []).filter((s) => s.kind === 'trial')
}

async function stopEarly(): Promise<void> {
  const id = job.value?.id
  if (id === undefined) return
  await prove.attempt(() =>
    ok(api.POST('/api/corpora/{corpus}/jobs/{job}/cancel', { params: { path: { corpus: corpus.name, job: id } } })),
  )
}

watch(plan, () => (cost.value = undefined), { deep: true })
watch(
  () => job.value?.done,
  () => void load(),
)
let stop = (): void => undefined
onMounted(async () => {
  fields.value = (await prove.attempt(() => ok(api.GET('/api/settings')))) ?? []
  await load()
  stop = corpus.onJobEnd((j) => {
    if (j.kind === 'study') void load()
  })
})
onUnmounted(() => stop())
</script>

<template>
  <section class="stack plan" aria-label="Plan of a trial">
    <div class="row">
      <ElSelect
        model-value=""
        filterable
        placeholder="Vary a setting"
        aria-label="Vary a setting"
        class="wide"
        @update:model-value="vary"
      >
        <ElOption v-for="f in can" :key="f.key" :value="f.key" :label="`${f.label} (${f.key})`" />
      </ElSelect>
      <ElSelect v-model="plan.search" aria-label="Search" class="search">
        <ElOption value="grid" label="every combination" />
        <ElOption value="random" label="random sample" />
        <ElOption value="halving" label="narrow down in rounds" />
      </ElSelect>
      <label v-if="plan.search !== 'grid'" class="row">
        at most
        <ElInputNumber
          v-model="plan.budget"
          :min="2"
          :max="2000"
          :controls="false"
          size="small"
          aria-label="Most methods"
        />
      </label>
    </div>
    <p v-if="plan.factors.length === 0" class="notice">
      Choose settings to vary. Every combination of their values is run over the set, beside the draft as it is, and a
      winner has to be better than chance allows after that many tries.
    </p>
    <table v-else class="plain">
      <tbody>
        <tr v-for="(f, i) in plan.factors" :key="f.key">
          <td>
            {{ field(f.key)?.label ?? f.key }} <span class="muted mono">{{ f.key }}</span>
          </td>
          <td>
            <ElSelect
              v-if="(field(f.key)?.options ?? []).length > 0"
              v-model="f.values"
              multiple
              :aria-label="`Values of ${f.key}`"
            >
              <ElOption v-for="o in field(f.key)?.options ?? []" :key="o.value" :value="o.value" :label="o.label" />
            </ElSelect>
            <input
              v-else
              class="values"
              :value="f.values.join(', ')"
              :aria-label="`Values of ${f.key}`"
              @change="(e) => values(i, (e.target as HTMLInputElement).value)"
            />
          </td>
          <td><button class="linkish" @click="plan.factors.splice(i, 1)">remove</button></td>
        </tr>
      </tbody>
    </table>
    <div class="row">
      <ElButton :disabled="!ready" @click="reckon">Estimate time and cost</ElButton>
      <ElButton type="primary" :disabled="!ready || job !== undefined" @click="go">{{
        plan.factors.length === 0 ? 'Try' : `Try ${count(methods)} methods`
      }}</ElButton>
      <ElButton v-if="job" @click="stopEarly">Stop early, keep what has come</ElButton>
      <span v-if="cost" role="status">
        {{ count(cost.methods) }} methods, the draft among them, over {{ count(cost.indexes + 1) }}
        {{ cost.indexes === 0 ? 'index' : 'indexes' }}; {{ count(cost.questions) }} questions to ask: about
        {{ duration(cost.seconds)
        }}<template v-if="cost.cost.in > 0"
          >, {{ count(Math.round(cost.cost.in + cost.cost.out)) }} tokens<template v-if="cost.priced"
            >, a price of {{ cost.cost.price.toLocaleString(undefined, { maximumSignificantDigits: 3 }) }}</template
          ></template
        ><template v-if="cost.unread > 0">, more if up to {{ count(cost.unread) }} chunks have to be read anew</template
        >.
      </span>
    </div>
  </section>
  <div v-if="trials.length > 1" class="row">
    <label for="which">Trial</label>
    <select id="which" :value="shown?.id" @change="(e) => (chosen = (e.target as HTMLSelectElement).value)">
      <option v-for="t in trials" :key="t.id" :value="t.id">
        {{ moment(t.createdAt).text }}, {{ t.trial?.arms.length ?? 0 }} methods
      </option>
    </select>
  </div>
  <TrialOutcome v-if="shown?.trial" :key="shown.id" :study="shown" :trial="shown.trial" :fields="fields" />
</template>

<style scoped>
.wide {
  width: 300px;
}
.search {
  width: 260px;
}
.values {
  width: 100%;
  border: 1px solid var(--control);
  border-radius: var(--radius);
  padding: 4px 8px;
  font: 13px var(--mono);
  color: var(--ink);
  background: var(--raised);
}
select {
  border: 1px solid var(--control);
  border-radius: var(--radius);
  padding: 5px 4px;
  color: var(--ink);
  background: var(--raised);
}
</style>
