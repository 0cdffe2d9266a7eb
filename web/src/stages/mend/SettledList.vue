<script setup lang="ts">
import { computed, onUnmounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count, counted, moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import SettledForm from './SettledForm.vue'
import { useInAddress } from './store'

type Answer = Schema['Answer']

/** Settled answers: what persons wrote and signed off, with how often it was used and what sources say now. */
const corpus = useCorpus()
const inAddress = useInAddress()
const opened = inAddress('open')
const search = inAddress('q')
const { value, problem, state, load } = useAsk(() =>
  ok(api.GET('/api/corpora/{corpus}/settled', { params: { path: { corpus: corpus.name } } })),
)
onUnmounted(corpus.on('talk', () => void load()))
const failed = ref('')
const history = ref<Schema['SettledVersion'][]>()
const fresh: Answer = { question: '', answer: '', wordings: [], owner: '', expires: '' }
const states: Record<string, string> = { inForce: 'in force', expired: 'expired', withdrawn: 'withdrawn' }
const rows = computed(() => {
  const q = search.value.toLowerCase()
  return (value.value ?? []).filter((a) => q === '' || `${a.question} ${a.answer}`.toLowerCase().includes(q))
})
const open = computed(() => (opened.value === 'new' ? fresh : value.value?.find((a) => a.id === opened.value)))

async function attempt(call: () => Promise<unknown>): Promise<void> {
  try {
    await call()
    failed.value = ''
  } catch (e) {
    failed.value = (e as Error).message
  }
  await load()
}

const save = (a: Answer) =>
  attempt(async () => {
    const got = await ok(
      api.PUT('/api/corpora/{corpus}/settled', { params: { path: { corpus: corpus.name } }, body: a }),
    )
    opened.value = got.id ?? ''
  })

const setState = (a: Answer, to: 'inForce' | 'withdrawn') =>
  attempt(() =>
    ok(
      api.POST('/api/corpora/{corpus}/settled/{settled}/state', {
        params: { path: { corpus: corpus.name, settled: a.id ?? '' } },
        body: { state: to, version: a.version ?? 0 },
      }),
    ),
  )

const versions = (a: Answer) =>
  attempt(async () => {
    history.value = await ok(
      api.GET('/api/corpora/{corpus}/settled/{settled}/history', {
        params: { path: { corpus: corpus.name, settled: a.id ?? '' } },
      }),
    )
  })

const exportOf = (form: string): string => `/api/corpora/${encodeURIComponent(corpus.name)}/settled/export?form=${form}`
const told = ref('')

const bring = (e: Event) =>
  attempt(async () => {
    const file = (e.target as HTMLInputElement).files?.[0]
    if (file === undefined) return
    const got = await ok(
      api.POST('/api/corpora/{corpus}/settled/import', {
        params: { path: { corpus: corpus.name } },
        body: file as never,
        bodySerializer: (b: unknown) => b as File,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    )
    told.value = [`${count(got.fresh)} new, ${count(got.changed)} changed`, ...got.problems].join('; ')
  })

function show(id: string): void {
  opened.value = opened.value === id ? '' : id
  history.value = undefined
}
</script>

<template>
  <section class="stack scroll" aria-label="Settled answers">
    <div class="row">
      <ElInput
        :model-value="search"
        class="search"
        clearable
        placeholder="Search settled answers"
        aria-label="Search settled answers"
        @input="(v: string) => (search = v)"
      />
      <ElButton type="primary" @click="show('new')">Write a settled answer</ElButton>
      <label class="linkish"
        >Import from JSONL or CSV<input class="sr" type="file" accept=".jsonl,.csv" @change="bring"
      /></label>
      <span v-if="(value ?? []).length > 0" class="muted"
        >Export: <a :href="exportOf('jsonl')" download>JSONL</a>, <a :href="exportOf('csv')" download>CSV</a></span
      >
      <span class="muted" role="status">{{ told }}</span>
    </div>
    <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
    <SettledForm v-if="open && opened === 'new'" key="new" :answer="open" save="Save" @save="save">
      <button type="button" class="linkish" @click="opened = ''">Cancel</button>
    </SettledForm>
    <AskState :state="state" what="the settled answers" :problem="problem" @again="load">
      <p v-if="(value ?? []).length === 0 && opened !== 'new'" class="notice">
        No settled answers yet. Write one here, or settle a snag with one: it is found like any passage, ranks first
        when its question is asked, and stays yours to change.
      </p>
      <table v-else-if="rows.length > 0" class="plain">
        <thead>
          <tr>
            <th>Question</th>
            <th>Answer</th>
            <th>State</th>
            <th class="num">Used</th>
            <th class="num">Helped</th>
            <th>Changed</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="a in rows" :key="a.id">
            <tr>
              <td dir="auto">
                <button class="linkish" :aria-expanded="opened === a.id" @click="show(a.id ?? '')">
                  {{ a.question }}
                </button>
                <span v-if="a.wordings.length > 0" class="muted"> + {{ counted(a.wordings.length, 'wording') }}</span>
              </td>
              <td dir="auto" class="said">
                {{ a.answer }}
                <p v-if="a.warning" class="caution">{{ a.warning }}</p>
              </td>
              <td>
                {{ states[a.state ?? ''] }}
                <span v-if="a.expires !== ''" class="muted figure"> until {{ a.expires }}</span>
              </td>
              <td class="num">{{ count(a.use?.used ?? 0) }}</td>
              <td class="num" :title="`${a.use?.up ?? 0} right or thumb up, ${a.use?.down ?? 0} wrong or thumb down`">
                {{
                  (a.use?.up ?? 0) + (a.use?.down ?? 0) > 0
                    ? `${a.use?.up ?? 0} of ${(a.use?.up ?? 0) + (a.use?.down ?? 0)}`
                    : '–'
                }}
              </td>
              <td class="figure">{{ moment(a.changedAt ?? '').text }}</td>
            </tr>
            <tr v-if="opened === a.id">
              <td colspan="6">
                <SettledForm :key="`${a.id} ${a.version}`" :answer="a" :snag="a.snag" save="Save" @save="save">
                  <button v-if="a.state === 'inForce'" type="button" class="linkish" @click="setState(a, 'withdrawn')">
                    Withdraw
                  </button>
                  <button v-else type="button" class="linkish" @click="setState(a, 'inForce')">
                    Put into force again
                  </button>
                  <button type="button" class="linkish" @click="versions(a)">History</button>
                </SettledForm>
                <ol v-if="history" class="history" reversed>
                  <li v-for="v in history" :key="v.version" :value="v.version">
                    <span class="muted figure">{{ moment(v.at).text }}, {{ states[v.state] }}</span> {{ v.question }} —
                    {{ v.answer }}
                  </li>
                </ol>
              </td>
            </tr>
          </template>
        </tbody>
      </table>
      <p v-else-if="search !== ''" class="notice">No settled answer matches.</p>
    </AskState>
  </section>
</template>

<style scoped>
.scroll {
  overflow: auto;
  padding-bottom: 16px;
}
.search {
  width: 280px;
}
.said {
  max-width: 46ch;
}
.said p {
  margin: 4px 0 0;
}
.history {
  margin: 8px 0 0;
}
</style>
