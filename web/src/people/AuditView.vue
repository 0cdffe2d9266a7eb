<script setup lang="ts">
import { ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import { count, moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'

/** Who did what to what, with what was before and after; the chain can be checked, and all of it exported. */
const route = useRoute()
const router = useRouter()
const text = (name: string): string => (typeof route.query[name] === 'string' ? String(route.query[name]) : '')
const search = ref(text('search'))
const day = ref(text('day'))
const page = 200
const before = ref(0)
const all = ref<Schema['TrailLine'][]>([])
const ended = ref(false)

/** The day as the viewer has it, as moments. */
function span(): { since?: string; until?: string } {
  if (day.value === '') return {}
  const from = new Date(`${day.value}T00:00:00`)
  const to = new Date(from)
  to.setDate(to.getDate() + 1)
  return { since: from.toISOString(), until: to.toISOString() }
}
const query = () => ({ search: search.value, ...span() })

const { state, problem, load } = useAsk(async () => {
  const got = await ok(api.GET('/api/audit', { params: { query: { ...query(), before: before.value, limit: page } } }))
  all.value = before.value === 0 ? got : [...all.value, ...got]
  ended.value = got.length < page
  return got
})
watch([search, day], () => {
  before.value = 0
  void router.replace({ query: { search: search.value || undefined, day: day.value || undefined } })
  void load()
})
function older(): void {
  before.value = all.value.at(-1)?.seq ?? 0
  void load()
}

const checked = ref('')
const broken = ref('')
async function check(): Promise<void> {
  checked.value = ''
  broken.value = ''
  try {
    const got = await ok(api.GET('/api/audit/check'))
    if ((got.problem ?? '') !== '') broken.value = `The trail is broken: ${got.problem ?? ''}.`
    else checked.value = `All ${count(got.entries)} entries follow from each other. Hash of the last: ${got.head}`
  } catch (e) {
    broken.value = (e as Error).message
  }
}

const outcomes: Record<string, string> = { done: '', refused: 'refused', failed: 'failed' }
const vias: Record<string, string> = { command: 'command line', machine: 'at this machine' }
const place = (c: Schema['Altered']) => c.path.replace(/^\//, '').replaceAll('/', ' › ')
const exported = (form: string) =>
  `/api/audit/export?${new URLSearchParams({ form, search: search.value, ...span() }).toString()}`
</script>

<template>
  <div class="page stack">
    <h1>Audit trail</h1>
    <div class="row">
      <ElInput v-model="search" class="search" placeholder="Search" aria-label="Search the audit trail" clearable />
      <ElDatePicker
        v-model="day"
        type="date"
        value-format="YYYY-MM-DD"
        placeholder="Any day"
        aria-label="Day"
        class="day"
      />
      <ElButton @click="check">Check that nothing was changed</ElButton>
      <a :href="exported('csv')" download>Export CSV</a>
      <a :href="exported('jsonl')" download>Export JSON Lines</a>
    </div>
    <p v-if="checked !== ''" class="notice hash" role="status">{{ checked }}</p>
    <p v-if="broken !== ''" class="notice bad" role="alert">{{ broken }}</p>
    <AskState
      :state="all.length > 0 && state === 'loading' ? 'there' : state"
      what="the audit trail"
      :problem="problem"
      @again="load"
    >
      <p v-if="all.length === 0" class="notice">Nothing was done that matches.</p>
      <table v-else class="plain">
        <thead>
          <tr>
            <th>When</th>
            <th>Who</th>
            <th>What</th>
            <th>Before and after</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="e in all" :key="e.seq">
            <td class="when" :title="moment(e.at).zone">{{ moment(e.at).text }}</td>
            <td class="who">
              {{ e.who || 'somebody' }}
              <div class="muted small">{{ [vias[e.via], e.address].filter((x) => x && x !== e.who).join(', ') }}</div>
            </td>
            <td>
              {{ e.what }} <span v-if="outcomes[e.outcome]" class="bad">{{ outcomes[e.outcome] }}</span>
              <div class="muted small">{{ e.corpus }}</div>
            </td>
            <td class="changes">
              <div v-for="(c, n) in e.changes.slice(0, 6)" :key="n">
                <span class="muted">{{ place(c) }}</span>
                <template v-if="c.before">
                  {{ ' ' }}<del>{{ c.before }}</del></template
                >
                <template v-if="c.after">
                  {{ ' ' }}<ins>{{ c.after }}</ins></template
                >
              </div>
              <details v-if="e.changes.length > 6">
                <summary>{{ count(e.changes.length - 6) }} more</summary>
                <div v-for="(c, n) in e.changes.slice(6)" :key="n">
                  <span class="muted">{{ place(c) }}</span> <del v-if="c.before">{{ c.before }}</del> {{ ' ' }}
                  <ins v-if="c.after">{{ c.after }}</ins>
                </div>
              </details>
            </td>
          </tr>
        </tbody>
      </table>
      <ElButton v-if="all.length > 0 && !ended" @click="older">Show older</ElButton>
    </AskState>
  </div>
</template>

<style scoped>
.page {
  padding: 24px;
}
.search {
  width: 220px;
}
.hash,
.changes {
  overflow-wrap: anywhere;
}
.when,
.who {
  white-space: nowrap;
}
.changes {
  width: 50%;
}
.small {
  font-size: 12px;
}
del {
  color: var(--bad);
}
ins {
  color: var(--good);
  text-decoration: none;
}
</style>
