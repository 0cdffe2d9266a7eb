<script setup lang="ts">
import { computed, onUnmounted, ref } from 'vue'
import { api, ok } from '@/api/client'
import { moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'

/** What house rules had to tell somebody: details, hand-overs, alerts, each with its conversation. */
const corpus = useCorpus()
const { value, problem, state, load } = useAsk(() =>
  ok(api.GET('/api/corpora/{corpus}/notices', { params: { path: { corpus: corpus.name } } })),
)
const notices = computed(() => value.value ?? [])
const open = ref('')
const kinds = { details: 'Details told', handOver: 'Handed over', alert: 'Alert' }

onUnmounted(corpus.on('notice', () => void load()))
</script>

<template>
  <section class="stack" aria-label="Alerts and hand-overs">
    <div class="row head">
      <h2>Alerts and hand-overs</h2>
      <a v-if="notices.length > 0" :href="`/api/corpora/${encodeURIComponent(corpus.name)}/notices/export`"
        >Export as CSV</a
      >
    </div>
    <AskState :state="state" what="alerts and hand-overs" :problem="problem" @again="load" />
    <p v-if="state === 'there' && notices.length === 0" class="notice">
      Details that rules ask for, hand-overs and alerts are listed here, each with its conversation.
    </p>
    <table v-if="notices.length > 0" class="plain">
      <thead>
        <tr>
          <th>When</th>
          <th>What</th>
          <th>Rule</th>
          <th>Told</th>
          <th>To</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="n in notices" :key="n.id">
          <tr>
            <td class="figure" :title="moment(n.at).zone">{{ moment(n.at).text }}</td>
            <td>
              <button class="linkish" :aria-expanded="open === n.id" @click="open = open === n.id ? '' : n.id">
                {{ kinds[n.kind] }}
              </button>
              <span v-if="n.state === 'failed'" class="bad" :title="n.problem"> not sent: {{ n.problem }}</span>
              <span v-else-if="n.state === 'sending'" class="muted"> being sent</span>
            </td>
            <td>{{ n.name }}</td>
            <td>
              <template v-if="n.told.length > 0">{{ n.told.map((t) => `${t.name}: ${t.value}`).join('; ') }}</template>
              <template v-else>{{ n.summary }}</template>
            </td>
            <td>{{ n.recipient }}</td>
          </tr>
          <tr v-if="open === n.id">
            <td colspan="5">
              <p v-for="(t, i) in n.talk" :key="i" class="turn">
                <span class="muted">{{ t.role }}</span> {{ t.text }}
              </p>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.head {
  justify-content: space-between;
}
.turn {
  margin: 2px 0;
}
</style>
