<script setup lang="ts">
import { onUnmounted, ref } from 'vue'
import { api, ok } from '@/api/client'
import { count, moment, percent } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import { rangeOf, stamp } from './range'

/** How often users are answered rightly, from samples drawn by chance. */
const corpus = useCorpus()
const { value, problem, state, load } = useAsk(() =>
  ok(api.GET('/api/corpora/{corpus}/log/samples', { params: { path: { corpus: corpus.name } } })),
)
onUnmounted(corpus.on('talk', () => void load()))

const days = ref('30')
const size = ref(100)
const failed = ref('')

async function draw(): Promise<void> {
  const r = rangeOf(days.value, new Date())
  try {
    await ok(
      api.POST('/api/corpora/{corpus}/log/samples', {
        params: { path: { corpus: corpus.name } },
        body: { since: stamp(r.from), until: stamp(r.to), size: size.value },
      }),
    )
    failed.value = ''
    await load()
  } catch (e) {
    failed.value = (e as Error).message
  }
}
</script>

<template>
  <section class="stack" aria-label="Accuracy">
    <p class="muted words">
      How often are users answered rightly? Draw questions at random, mark each reply right or wrong, and read the share
      with the interval that the number judged allows. A sample of 100 tells it to within about 10 points, one of 400 to
      within 5.
    </p>
    <div class="row">
      <ElSelect v-model="days" class="days" aria-label="Time">
        <ElOption value="7" label="Last 7 days" />
        <ElOption value="30" label="Last 30 days" />
        <ElOption value="365" label="Last year" />
      </ElSelect>
      <ElInputNumber v-model="size" :min="10" :max="2000" :step="10" aria-label="Questions to draw" />
      <ElButton type="primary" @click="draw">Draw a sample</ElButton>
    </div>
    <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
    <AskState :state="state" what="the samples" :problem="problem" @again="load">
      <p v-if="(value ?? []).length === 0" class="notice">No sample yet. Draw one to begin.</p>
      <table v-else class="plain">
        <thead>
          <tr>
            <th>Drawn</th>
            <th>Asked</th>
            <th class="num">Drawn of</th>
            <th class="num">Judged</th>
            <th class="num">Right</th>
            <th>95 % interval</th>
            <th class="num">To judge for ± 5 points</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in value" :key="s.id">
            <td class="figure">{{ moment(s.at).text }}</td>
            <td class="figure">
              {{ new Date(s.since).toLocaleDateString() }} –
              {{ new Date(Date.parse(s.until) - 1).toLocaleDateString() }}
            </td>
            <td class="num">{{ count(s.drawn) }} of {{ count(s.of) }}</td>
            <td class="num">{{ count(s.judged) }}</td>
            <td class="num">
              <b>{{ s.right + s.wrong > 0 ? percent(s.rate) : '–' }}</b>
            </td>
            <td class="figure">
              {{ s.right + s.wrong > 0 ? `${percent(s.interval.low)} to ${percent(s.interval.high)}` : '' }}
            </td>
            <td class="num">{{ count(s.needed) }}</td>
            <td><RouterLink :to="{ query: { sample: s.id } }">Judge</RouterLink></td>
          </tr>
        </tbody>
      </table>
    </AskState>
  </section>
</template>

<style scoped>
.words {
  max-width: 72ch;
}
.days {
  width: 140px;
}
</style>
