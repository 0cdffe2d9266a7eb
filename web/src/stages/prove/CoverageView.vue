<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count, shortAddress } from '@/api/words'
import AskState from '@/components/AskState.vue'
import VirtualTable, { type Column } from '@/components/VirtualTable.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import { useProve } from './store'

/** What of the corpus the questions of a set reach: documents by untested, tested, failing; chunks by how often they were of use. */
type Use = Schema['DocumentUse']
const corpus = useCorpus()
const prove = useProve()
const {
  value: got,
  problem,
  state,
  load,
} = useAsk(
  async () =>
    prove.set === ''
      ? undefined
      : ok(api.GET('/api/corpora/{corpus}/sets/{set}/coverage', { params: { path: prove.inSet() } })),
  [() => prove.set],
)
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
const columns: Column[] = [
  { key: 'title', label: 'Document', width: '32%', sortable: true },
  { key: 'strata', label: 'Chunks, darker: cited more often', width: '30%' },
  { key: 'tested', label: 'Expected by', width: '12%', sortable: true, align: 'right' },
  { key: 'failing', label: 'Failing', width: '9%', sortable: true, align: 'right' },
  { key: 'found', label: 'Found', width: '9%', sortable: true, align: 'right' },
  { key: 'cited', label: 'Cited', width: '8%', sortable: true, align: 'right' },
]
const sort = ref({ key: 'tested', down: false })
const shown = computed(() => {
  const by = sort.value.key as 'title' | 'tested' | 'failing' | 'found' | 'cited'
  const rows = (got.value?.documents ?? [])
    .filter((d) => is[show.value]?.(d) ?? true)
    .map((d) => ({ ...d, id: d.document }))
  rows.sort((a, b) => (by === 'title' ? a.title.localeCompare(b.title) : a[by] - b[by]))
  return sort.value.down ? rows.reverse() : rows
})
const most = computed(() => Math.max(1, ...(got.value?.documents ?? []).flatMap((d) => d.strata.map((s) => s.cited))))

function shade(s: Schema['UseOf']): Record<string, string> {
  const full = s.cited === 0 ? (s.found > 0 ? 8 : 0) : 20 + Math.round(80 * Math.sqrt(s.cited / most.value))
  return {
    width: `${Math.max(6, Math.min(44, s.tokens / 8))}px`,
    background: `color-mix(in srgb, var(--strata-9) ${full}%, var(--strata-0))`,
  }
}
</script>

<template>
  <p v-if="prove.set === ''" class="notice">Coverage is read from a question set. Import one, or take proposals.</p>
  <AskState
    v-else-if="got === undefined || state === 'failed'"
    :state="state"
    what="coverage"
    :problem="problem"
    @again="load"
  />
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
    <VirtualTable v-else v-model:sort="sort" class="documents" :rows="shown" :columns="columns" label="Documents">
      <template #title="{ row }">
        <RouterLink
          :to="{ name: 'document', params: { corpus: corpus.name, document: row.document } }"
          :title="shortAddress(row.address)"
          >{{ row.title || shortAddress(row.address) }}</RouterLink
        >
      </template>
      <template #strata="{ row }">
        <span class="layers">
          <i
            v-for="(s, i) in row.strata.slice(0, 24)"
            :key="i"
            :style="shade(s)"
            :title="`${s.tokens} tokens: found ${s.found}, kept ${s.kept}, cited ${s.cited} times`"
          />
        </span>
      </template>
      <template #tested="{ row }"
        ><span class="figure" :title="row.asks.join(', ')">{{ row.tested }}</span></template
      >
      <template #failing="{ row }"
        ><span class="figure" :class="{ bad: row.failing > 0 }">{{ row.failing }}</span></template
      >
      <template #found="{ row }"
        ><span class="figure">{{ row.found }}</span></template
      >
      <template #cited="{ row }"
        ><span class="figure">{{ row.cited }}</span></template
      >
    </VirtualTable>
  </template>
</template>

<style scoped>
.documents {
  height: 60vh;
}
.layers {
  display: inline-flex;
  gap: 2px;
  vertical-align: middle;
}
.layers i {
  height: 18px;
  border: 1px solid var(--line);
}
</style>
