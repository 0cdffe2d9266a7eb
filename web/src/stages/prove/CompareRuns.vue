<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, ok, type Run, type Schema } from '@/api/client'
import { moment, percent } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { marked } from './differ'

/** A run beside one or several others: what was fixed and broken, whether that can be told from chance, and what the methods differ in. */
const props = defineProps<{ run: Run; runs: Run[] }>()

const corpus = useCorpus()
const before = ref<string[]>([])
const all = ref<Schema['Compared'][]>([])
const problem = ref('')

const others = computed(() => props.runs.filter((r) => r.set === props.run.set && r.id !== props.run.id && r.summary))
const changes = { broken: 'bad', fixed: 'good', failing: 'muted' } as const
const points = (x: number): string => `${x > 0 ? '+' : ''}${(100 * x).toFixed(1)}`

async function load(): Promise<void> {
  problem.value = ''
  const wanted = [...before.value]
  try {
    const got = await Promise.all(
      wanted.map((id) =>
        ok(
          api.GET('/api/corpora/{corpus}/runs/{run}/against/{before}', {
            params: { path: { corpus: corpus.name, run: props.run.id, before: id } },
          }),
        ),
      ),
    )
    if (wanted.join() === before.value.join()) all.value = got
  } catch (e) {
    all.value = []
    problem.value = (e as Error).message
  }
}
watch(before, load)
watch(
  () => props.run.id,
  () => (before.value = []),
)
</script>

<template>
  <details v-if="others.length > 0" class="compare">
    <summary>Compare with other runs</summary>
    <ElSelect v-model="before" multiple placeholder="One run or several" aria-label="Other runs">
      <ElOption
        v-for="r in others"
        :key="r.id"
        :value="r.id"
        :label="`${moment(r.createdAt).text}, ${percent(r.summary?.passed.rate ?? 0)} passed`"
      />
    </ElSelect>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <template v-for="compared in all" :key="compared.before.id">
      <h3 v-if="all.length > 1">
        Beside {{ moment(compared.before.createdAt).text }}
        <span v-if="compared.before.note" class="muted">{{ compared.before.note }}</span>
      </h3>
      <p class="notice" role="status">
        Over {{ compared.sums.questions }} questions: <b class="good">{{ compared.sums.fixed.length }} fixed</b>,
        <b class="bad">{{ compared.sums.broken.length }} broken</b>, {{ compared.sums.failing.length }} fail in both.
        The pass rate moved by {{ points(compared.sums.rate) }} points ({{ points(compared.sums.interval.low) }} to
        {{ points(compared.sums.interval.high) }}), the mean reciprocal rank by {{ compared.sums.mrr.toFixed(3) }}.
        {{ compared.sums.effect === 'unclear' ? 'That cannot be told from chance' : 'That is more than chance' }}
        (p = {{ compared.sums.p.toFixed(3) }}, McNemar's exact test; a move of
        {{ points(compared.sums.smallest).replace('+', '') }} points one way could have been told).
      </p>
      <table class="plain">
        <thead>
          <tr>
            <th>Measure</th>
            <th class="num">Then</th>
            <th class="num">Now</th>
            <th>95 % interval of the difference</th>
            <th class="num">Over</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in compared.sums.measures ?? []" :key="d.key">
            <td>{{ d.label }}</td>
            <td class="num figure">{{ d.before.toFixed(3) }}</td>
            <td class="num figure">{{ d.after.toFixed(3) }}</td>
            <td class="figure">{{ d.interval.low.toFixed(3) }} to {{ d.interval.high.toFixed(3) }}</td>
            <td class="num figure">{{ d.of }}</td>
          </tr>
        </tbody>
      </table>
      <table v-if="compared.settings.length > 0" class="plain">
        <thead>
          <tr>
            <th>Setting</th>
            <th>Then</th>
            <th>Now</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in compared.settings" :key="s.key">
            <td>{{ s.label }}</td>
            <td>{{ s.before }}</td>
            <td>{{ s.after }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else class="muted">Both were made with the same settings: what differs is the material.</p>
      <table v-if="compared.replies.length > 0" class="plain">
        <thead>
          <tr>
            <th>Question</th>
            <th>Then</th>
            <th>Now</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in compared.replies" :key="r.question.id">
            <td>
              <b :class="changes[r.change]">{{ r.change }}</b><br />{{ r.question.question }}
            </td>
            <td>
              <component :is="x.kept ? 'span' : 'del'" v-for="(x, i) in marked(r.before, r.after)" :key="i">{{
                x.text
              }}</component>
            </td>
            <td>
              <component :is="x.kept ? 'span' : 'ins'" v-for="(x, i) in marked(r.after, r.before)" :key="i">{{
                x.text
              }}</component>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </details>
</template>

<style scoped>
.compare {
  margin-top: 12px;
}
.compare > * + * {
  margin-top: 10px;
}
summary {
  font-weight: 650;
  cursor: pointer;
}
del {
  text-decoration: line-through;
  text-decoration-color: var(--bad);
  background: color-mix(in srgb, var(--bad) 12%, transparent);
}
ins {
  text-decoration: underline;
  text-decoration-color: var(--good);
  background: color-mix(in srgb, var(--good) 14%, transparent);
}
</style>
