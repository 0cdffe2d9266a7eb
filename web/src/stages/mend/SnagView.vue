<script setup lang="ts">
import { computed, onUnmounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { causeNames, outcomeNames } from '@/api/names'
import { counted, moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import TextEntry from '@/components/TextEntry.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import SettlePanel from './SettlePanel.vue'
import { endOf, howWords, snagKinds, snagStates, type Snag } from './store'

/** One snag: what was asked, what is true, why it went wrong, how it is settled, and what is said since. */
const props = defineProps<{ snag: string; all: Snag[] }>()
const emit = defineEmits<{ gone: [] }>()

const corpus = useCorpus()
const path = () => ({ corpus: corpus.name, snag: props.snag })
const { value, problem, state, load } = useAsk(() =>
  ok(api.GET('/api/corpora/{corpus}/snags/{snag}', { params: { path: path() } })),
)
onUnmounted(corpus.on('talk', () => void load()))

const failed = ref('')
const looking = ref(false)
const reason = ref('')
const dismissing = ref(false)
const whole = ref(false)
const picked = ref(new Set<string>())
const ended = computed(() => value.value?.state === 'settled' || value.value?.state === 'dismissed')
const others = computed(() => props.all.filter((s) => s.id !== props.snag && s.state === 'open'))

async function attempt(call: () => Promise<unknown>): Promise<boolean> {
  try {
    await call()
    failed.value = ''
    await load()
    return true
  } catch (e) {
    failed.value = (e as Error).message
    await load()
    return false
  }
}

const change = (x: Omit<Schema['Change'], 'version'>) =>
  attempt(() =>
    ok(
      api.PATCH('/api/corpora/{corpus}/snags/{snag}', {
        params: { path: path() },
        body: { ...x, version: value.value?.version ?? 0 } as Schema['Change'],
      }),
    ),
  )

async function look(): Promise<void> {
  looking.value = true
  await attempt(() => ok(api.POST('/api/corpora/{corpus}/snags/{snag}/cause', { params: { path: path() } })))
  looking.value = false
}

async function dismiss(): Promise<void> {
  if (await change({ dismiss: reason.value })) dismissing.value = false
}

const merge = (into: string) =>
  attempt(async () => {
    await ok(api.POST('/api/corpora/{corpus}/snags/{snag}/merge/{into}', { params: { path: { ...path(), into } } }))
    emit('gone')
  })

const split = () =>
  attempt(async () => {
    await ok(
      api.POST('/api/corpora/{corpus}/snags/split', {
        params: { path: { corpus: corpus.name } },
        body: { exchanges: [...picked.value] },
      }),
    )
    picked.value = new Set()
  })

function pick(id: string): void {
  const next = new Set(picked.value)
  if (!next.delete(id)) next.add(id)
  picked.value = next
}

const settle = (x: Omit<Schema['Settlement'], 'version'>) =>
  attempt(() =>
    ok(
      api.POST('/api/corpora/{corpus}/snags/{snag}/settle', {
        params: { path: path() },
        body: { ...x, version: value.value?.version ?? 0 } as Schema['Settlement'],
      }),
    ),
  )

const mailed = ref('')
const mail = () =>
  attempt(async () => {
    const got = await ok(api.POST('/api/corpora/{corpus}/snags/{snag}/mail', { params: { path: path() } }))
    mailed.value = `${counted(got.mails, 'mail')} on the way`
  })

const pairs = computed(() =>
  (value.value?.before ?? []).map((b) => ({
    before: b,
    after: (value.value?.after ?? []).find((a) => a.question === b.question),
  })),
)
</script>

<template>
  <section class="snag stack" aria-label="Snag">
    <AskState :state="state" what="the snag" :problem="problem" @again="load">
      <template v-if="value">
        <h2 dir="auto">{{ value.title }}</h2>
        <p class="muted facts">
          <b :class="value.state === 'open' ? 'caution' : 'good'">{{ snagStates[value.state] }}</b>
          <template v-if="value.how !== '' && value.state !== 'open'">{{ ` ${howWords[value.how]}` }}</template>
          · {{ snagKinds[value.kind] }}
          <template v-if="value.asked > 0">
            · asked {{ counted(value.asked, 'time') }} in {{ counted(value.visitors, 'conversation') }},
            {{ counted(value.refused, 'time') }} without an answer · first {{ moment(value.first).text }}
          </template>
          <template v-if="value.reason !== ''"> · {{ value.reason }}</template>
        </p>
        <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>

        <template v-if="pairs.length > 0">
          <h3>Before and after</h3>
          <p
            v-if="value.after.length === 0 && value.state === 'settled' && value.how !== 'set'"
            class="muted"
            role="status"
          >
            Being asked again once the change is in the index
          </p>
          <table class="plain pairs">
            <thead>
              <tr>
                <th>Question</th>
                <th>Before</th>
                <th>After</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="p in pairs" :key="p.before.question">
                <td dir="auto">{{ p.before.question }}</td>
                <td>
                  <b :class="p.before.passed ? 'good' : 'bad'">{{ p.before.passed ? '✓' : '✗' }}</b>
                  {{ (outcomeNames[p.before.outcome] ?? '').toLowerCase() }}
                  <p class="reply" dir="auto">{{ p.before.reply }}</p>
                </td>
                <td>
                  <template v-if="p.after">
                    <b :class="p.after.passed ? 'good' : 'bad'">{{ p.after.passed ? '✓' : '✗' }}</b>
                    {{ (outcomeNames[p.after.outcome] ?? '').toLowerCase() }}
                    <p class="reply" dir="auto">{{ p.after.reply }}</p>
                  </template>
                </td>
              </tr>
            </tbody>
          </table>
          <p class="muted">
            What else changed: <RouterLink :to="{ name: 'prove' }">run a question set and compare</RouterLink>.
          </p>
        </template>

        <div class="fields">
          <label class="field wide"
            ><span class="label">What is true</span>
            <TextEntry
              :text="value.fact"
              lines
              label="What is true"
              placeholder="In a sentence, with its figures"
              @take="(t) => change({ fact: t })"
            />
          </label>
          <label class="field"
            ><span class="label">Who</span
            ><TextEntry :text="value.owner" label="Who" @take="(t) => change({ owner: t })" />
          </label>
          <label class="field"
            ><span class="label">Due</span>
            <ElDatePicker
              :model-value="value.due"
              value-format="YYYY-MM-DD"
              aria-label="Due"
              @update:model-value="(d: string | null) => change({ due: d ?? '' })"
            />
          </label>
          <label class="field wide"
            ><span class="label">Note</span
            ><TextEntry :text="value.note" lines label="Note" @take="(t) => change({ note: t })" />
          </label>
        </div>

        <div>
          <h3>Likely cause</h3>
          <p v-if="value.diagnosis">
            <b>{{ causeNames[value.diagnosis.cause] }}</b>: {{ value.diagnosis.why }}
          </p>
          <p v-if="value.fact === ''" class="muted">
            Say what is true, and the cause is looked for in what was gathered.
          </p>
          <p v-else>
            <ElButton size="small" :loading="looking" @click="look">{{
              value.diagnosis ? 'Look again' : 'Find the cause'
            }}</ElButton>
          </p>
        </div>

        <SettlePanel v-if="!ended" :key="value.version" :snag="value" @settle="settle" />

        <h3>Asked</h3>
        <ul class="lines">
          <li v-for="l in whole ? value.lines : value.lines.slice(0, 6)" :key="l.id">
            <input
              type="checkbox"
              :checked="picked.has(l.id)"
              :aria-label="`Select “${l.question}”`"
              @change="pick(l.id)"
            />
            <RouterLink :to="{ query: { when: l.at.slice(0, 10), open: l.id } }" dir="auto">{{
              l.question
            }}</RouterLink>
            <span :class="endOf(l).tone"> {{ endOf(l).text }}</span>
            <q v-if="l.word !== ''">{{ l.word }}</q>
          </li>
          <li v-for="i in value.items" :key="i.ref" dir="auto">
            <RouterLink
              v-if="i.ref.startsWith('run/')"
              :to="{
                name: 'prove',
                query: { run: i.ref.split('/')[1], question: i.ref.split('/').slice(2).join('/') },
              }"
              >{{ i.question }}</RouterLink
            >
            <template v-else>{{ i.question }}</template>
          </li>
        </ul>
        <p v-if="value.lines.length > 6 && !whole">
          <button class="linkish" @click="whole = true">All {{ value.lines.length }}</button>
        </p>
        <p v-if="picked.size > 0">
          <ElButton size="small" @click="split">Make a snag of its own of the {{ picked.size }} selected</ElButton>
        </p>

        <div class="row">
          <template v-if="ended">
            <ElButton @click="change({ reopen: true })">Open it again</ElButton>
            <ElButton v-if="value.state === 'settled' && value.after.length > 0" @click="mail"
              >Mail the answer to those who left an address</ElButton
            >
            <span class="muted" role="status">{{ mailed }}</span>
          </template>
          <template v-else>
            <ElSelect
              v-if="others.length > 0"
              placeholder="Merge into another snag"
              aria-label="Merge into another snag"
              filterable
              class="merge"
              :model-value="''"
              @update:model-value="(id: string) => merge(id)"
            >
              <ElOption v-for="o in others" :key="o.id" :value="o.id" :label="o.title" />
            </ElSelect>
            <button v-if="!dismissing" class="linkish" @click="dismissing = true">Dismiss</button>
            <template v-else>
              <ElInput
                v-model="reason"
                class="grow"
                maxlength="500"
                placeholder="Why it needs no mending"
                aria-label="Why it needs no mending"
              />
              <ElButton size="small" :disabled="reason.trim() === ''" @click="dismiss">Dismiss</ElButton>
            </template>
          </template>
          <button class="linkish" @click="emit('gone')">Close</button>
        </div>
      </template>
    </AskState>
  </section>
</template>

<style scoped>
.snag {
  overflow: auto;
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 12px 16px;
}
.facts {
  font-size: 12.5px;
}
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px 12px;
}
.wide {
  grid-column: 1 / -1;
}
.fields :deep(.el-date-editor) {
  width: 100%;
}
.lines {
  list-style: none;
  padding: 0;
  margin: 6px 0 0;
}
.lines li {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  padding: 3px 0;
}
.reply {
  margin: 3px 0 0;
  font-size: 13px;
}
.pairs td {
  width: 36%;
}
.pairs td:first-child {
  width: 28%;
}
.merge {
  width: 220px;
}
.grow {
  flex: 1;
}
h3 {
  font-size: 13px;
}
</style>
