<script setup lang="ts">
import { computed } from 'vue'
import { api, ok } from '@/api/client'
import { counted, shortAddress } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import { rangeOf, stamp } from './range'
import { useInAddress } from './store'

/** What users ask and no page answers, by subject: a brief for whoever writes the page. */
const corpus = useCorpus()
const inAddress = useInAddress()
const days = inAddress('days', '30')
const now = new Date()
const query = computed(() => {
  const r = rangeOf(days.value, now)
  return { since: stamp(r.from), until: stamp(r.to), zone: Intl.DateTimeFormat().resolvedOptions().timeZone }
})
const { value, problem, state, load } = useAsk(
  () =>
    ok(
      api.GET('/api/corpora/{corpus}/figures/uncovered', {
        params: { path: { corpus: corpus.name }, query: query.value },
      }),
    ),
  [query],
)
const brief = computed(
  () => `/api/corpora/${encodeURIComponent(corpus.name)}/figures/uncovered/export?${new URLSearchParams(query.value)}`,
)
</script>

<template>
  <section class="scroll stack" aria-label="Not covered">
    <div class="row">
      <ElSelect v-model="days" class="days" aria-label="Time">
        <ElOption value="7" label="Last 7 days" />
        <ElOption value="30" label="Last 30 days" />
        <ElOption value="90" label="Last 90 days" />
        <ElOption value="365" label="Last year" />
      </ElSelect>
      <a v-if="(value ?? []).length > 0" :href="brief" download>Brief for writers (Markdown)</a>
      <RouterLink :to="{ name: 'prove', query: { view: 'chart' } }">See the chart of the corpus</RouterLink>
    </div>
    <AskState :state="state" what="what is not covered" :problem="problem" @again="load">
      <p v-if="(value ?? []).length === 0" class="notice">Every question of this time was answered.</p>
      <article v-for="u in value" :key="u.title">
        <h2 dir="auto">{{ u.title }}</h2>
        <p class="muted">Asked {{ counted(u.asked, 'time') }} in {{ counted(u.people, 'conversation') }}</p>
        <div class="two">
          <div>
            <h3>In users’ words</h3>
            <ul>
              <li v-for="w in u.wordings" :key="w" dir="auto">{{ w }}</li>
            </ul>
          </div>
          <div>
            <h3>What near pages say</h3>
            <p v-if="u.near.length === 0" class="muted">Nothing comes near.</p>
            <p v-for="n in u.near" :key="n.document + n.text">
              <RouterLink :to="{ name: 'document', params: { corpus: corpus.name, document: n.document } }">{{
                [n.title, ...n.path].join(' › ')
              }}</RouterLink>
              <span class="mono muted">{{ ` ${shortAddress(n.address)}` }}</span><br />{{ n.text }}
            </p>
          </div>
        </div>
      </article>
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
article {
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 10px 14px;
  margin-top: 10px;
}
article p {
  margin: 2px 0 6px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1.4fr;
  gap: 20px;
}
h3 {
  font-size: 12.5px;
  color: var(--muted);
}
ul {
  margin: 4px 0;
  padding-left: 18px;
}
</style>
