<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count, shortAddress } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { useProve } from './store'

/** What of the corpus the questions of a set reach: documents by untested, tested, failing; chunks by how often they were of use. */
type Use = Schema['DocumentUse']
const corpus = useCorpus()
const prove = useProve()
const got = ref<Schema['Coverage']>()
const show = ref<'all' | 'untested' | 'tested' | 'failing' | 'neverFound'>('all')

const is: Record<string, (d: Use) => boolean> = {
  all: () => true,
  untested: (d) => d.tested === 0,
  tested: (d) => d.tested > 0 && d.failing === 0,
  failing: (d) => d.failing > 0,
  neverFound: (d) => d.found === 0,
}
const of = (k: string): number => (got.value?.documents ?? []).filter((d) => is[k]?.(d) ?? false).length
const labels: Record<string, string> = {
  all: 'all',
  untested: 'untested',
  tested: 'tested, none failing',
  failing: 'failing',
  neverFound: 'never found',
}
const shown = computed(() => (got.value?.documents ?? []).filter((d) => is[show.value]?.(d) ?? true))
const most = computed(() => Math.max(1, ...(got.value?.documents ?? []).flatMap((d) => d.strata.map((s) => s.cited))))

function shade(s: Schema['UseOf']): Record<string, string> {
  const full = s.cited === 0 ? (s.found > 0 ? 8 : 0) : 20 + Math.round(80 * Math.sqrt(s.cited / most.value))
  return {
    width: `${Math.max(6, Math.min(44, s.tokens / 8))}px`,
    background: `color-mix(in srgb, var(--strata-9) ${full}%, var(--strata-0))`,
  }
}

onMounted(async () => {
  if (prove.set === '') return
  got.value = await prove.attempt(() =>
    ok(api.GET('/api/corpora/{corpus}/sets/{set}/coverage', { params: { path: prove.inSet() } })),
  )
})
</script>

<template>
  <p v-if="prove.set === ''" class="notice">Coverage is read from a question set. Import one, or take proposals.</p>
  <p v-else-if="got === undefined" class="muted">Reading the last run.</p>
  <template v-else>
    <p v-if="got.run === ''" class="notice">
      No run of this set has ended yet: only what its questions expect is known.
    </p>
    <p>
      <b class="figure">{{ count(got.untested) }}</b> of {{ count(got.documents.length) }} documents are expected by no
      question. Of {{ count(got.chunks) }} chunks, <b class="figure">{{ count(got.neverFound) }}</b> were never found in
      the last run and <b class="figure">{{ count(got.neverCited) }}</b> were found and never cited.
    </p>
    <p v-if="got.uncovered.length > 0" class="notice">
      Asked and not covered by anything: {{ got.uncovered.join(' · ') }}
    </p>
    <ElRadioGroup v-model="show" size="small" aria-label="Show">
      <ElRadioButton v-for="(label, k) in labels" :key="k" :value="k">
        {{ label }} <span class="figure">{{ count(of(k)) }}</span>
      </ElRadioButton>
    </ElRadioGroup>
    <p v-if="shown.length === 0" class="notice">No document of that kind.</p>
    <table v-else class="plain">
      <thead>
        <tr>
          <th>Document</th>
          <th>Chunks, darker the oftener cited</th>
          <th class="num">Expected by</th>
          <th class="num">Failing</th>
          <th class="num">Found</th>
          <th class="num">Cited</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="d in shown" :key="d.document">
          <td>
            <RouterLink :to="{ name: 'document', params: { corpus: corpus.name, document: d.document } }">{{
              d.title || shortAddress(d.address)
            }}</RouterLink>
            <template v-if="shortAddress(d.address) !== d.title"
              ><br /><span class="muted mono">{{ shortAddress(d.address) }}</span></template
            >
          </td>
          <td>
            <span class="layers">
              <i
                v-for="(s, i) in d.strata.slice(0, 60)"
                :key="i"
                :style="shade(s)"
                :title="`${s.tokens} tokens: found ${s.found}, kept ${s.kept}, cited ${s.cited} times`"
              />
            </span>
          </td>
          <td class="num figure" :title="d.asks.join(', ')">{{ d.tested }}</td>
          <td class="num figure" :class="{ bad: d.failing > 0 }">{{ d.failing }}</td>
          <td class="num figure">{{ d.found }}</td>
          <td class="num figure">{{ d.cited }}</td>
        </tr>
      </tbody>
    </table>
  </template>
</template>

<style scoped>
.layers {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
}
.layers i {
  height: 18px;
  border: 1px solid var(--line);
}
</style>
