<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count } from '@/api/words'
import { useProve } from './store'

/** What a run of the set, and a month of questions, are likely to cost of a model, and the most that the run may use. */
const prove = useProve()
const repeats = defineModel<number>('repeats', { required: true })
const cap = defineModel<number>('cap', { required: true })
const month = ref(1000)
const forecast = ref<Schema['Forecast']>()
const sampling = ref(false)
const emit = defineEmits<{ priced: [boolean] }>()

async function reckon(sample = false): Promise<void> {
  sampling.value = sample
  const params = { path: prove.inSet(), query: { repeats: repeats.value, month: month.value } }
  forecast.value = await prove.attempt(() =>
    ok(
      sample
        ? api.POST('/api/corpora/{corpus}/sets/{set}/forecast', { params })
        : api.GET('/api/corpora/{corpus}/sets/{set}/forecast', { params }),
    ),
  )
  sampling.value = false
  emit('priced', forecast.value?.priced === true)
}
watch([() => prove.set, () => prove.runs.length, repeats, month], () => void reckon(), { immediate: true })

const tokens = (c: Schema['Cost']): string => `${count(Math.round(c.in + c.out))} tokens`
const price = (c: Schema['Cost']): string => (forecast.value?.priced ? `, ${money(c.price)}` : '')
const money = (v: number): string => v.toLocaleString(undefined, { maximumSignificantDigits: 3 })
const from = computed(() => {
  const f = forecast.value
  if (f === undefined) return ''
  const of = { set: 'of this set', corpus: 'of another set of this corpus', sample: 'asked just now', '': '' }[f.from]
  return `Reckoned from ${f.measured === 1 ? '1 reply' : `${count(f.measured)} replies`} ${of}.`
})
</script>

<template>
  <details v-if="forecast && forecast.model !== ''" class="cost">
    <summary>
      <template v-if="forecast.measured > 0"
        >Cost of this run: about {{ tokens(forecast.run) }}{{ price(forecast.run) }}</template
      >
      <template v-else>Cost of this run: not measured yet</template>
    </summary>
    <div class="stack tight">
      <p v-if="forecast.measured === 0" class="muted">
        No reply of {{ forecast.model }} was measured in this corpus.
        <button class="linkish" :disabled="sampling" @click="reckon(true)">Ask 8 questions to measure it</button>
      </p>
      <template v-else>
        <p class="muted">{{ from }}</p>
        <p>
          <label
            >A month of
            <ElInputNumber
              v-model="month"
              :min="0"
              :max="1000000"
              :controls="false"
              size="small"
              aria-label="Questions in a month"
            />
            questions</label
          >
          costs about {{ tokens(forecast.month) }}{{ price(forecast.month) }}
        </p>
        <p v-if="forecast.priced" class="muted">
          Spent this month: {{ money(forecast.spent)
          }}<template v-if="forecast.cap > 0"> of at most {{ money(forecast.cap) }}</template>
        </p>
      </template>
      <label
        >Ask every question
        <ElInputNumber v-model="repeats" :min="1" :max="9" size="small" aria-label="How often each question is asked" />
        {{ repeats === 1 ? 'time' : 'times' }}</label
      >
      <label
        >Stop the run at
        <ElInputNumber
          v-model="cap"
          :min="0"
          :controls="false"
          size="small"
          :aria-label="forecast.priced ? 'Most that the run may spend' : 'Most tokens that the run may use'"
        />
        {{ forecast.priced ? '(price; 0 for no limit)' : 'tokens (0 for no limit)' }}</label
      >
    </div>
  </details>
</template>

<style scoped>
.cost summary {
  cursor: pointer;
}
.tight {
  gap: 6px;
  padding: 6px 0;
}
.tight p {
  margin: 0;
}
.tight label {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
}
.tight .el-input-number {
  width: 96px;
}
</style>
