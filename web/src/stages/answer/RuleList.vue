<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import ConnectionForm from '@/components/ConnectionForm.vue'
import { useCorpus } from '@/stores/corpus'
import RuleForm from './RuleForm.vue'
import { useAnswer, type Rule } from './store'

/** The house rules in the order in which they are tried, a message to try them on, and what gets in their way. */
const corpus = useCorpus()
const answer = useAnswer()
const open = ref('')
const message = ref('')
const tested = ref<Schema['RuleTest']>()
const problem = ref('')
const labelled = ref('')
const busy = ref(false)

const rules = computed(() => answer.tried?.rules ?? [])
const put = (rs: Rule[]): void => answer.put({ rules: rs })
const nameOf = (id: string): string => rules.value.find((r) => r.id === id)?.name ?? id

function add(): void {
  const id = crypto.randomUUID()
  put([
    ...rules.value,
    { id, name: `Rule ${rules.value.length + 1}`, when: { like: [] }, then: [{ kind: 'line', text: '…' }] },
  ])
  open.value = id
}

function change(r: Rule): void {
  put(rules.value.map((x) => (x.id === r.id ? r : x)))
}

function move(i: number, by: number): void {
  const out = [...rules.value]
  const [r] = out.splice(i, 1)
  if (r !== undefined) out.splice(i + by, 0, r)
  put(out)
}

/** Labelled messages, one a line: the message, a bar, and the names of the rules that ought to fire. */
const messages = computed(() =>
  labelled.value
    .split('\n')
    .map((l) => l.split('|'))
    .filter((p) => (p[0] ?? '').trim() !== '')
    .map(([text = '', names = '']) => ({
      text: text.trim(),
      rules: names
        .split(',')
        .map((n) => n.trim().toLowerCase())
        .filter((n) => n !== '')
        .map((n) => rules.value.find((r) => r.name.toLowerCase() === n)?.id ?? n),
    })),
)

let round = 0
async function attempt(): Promise<void> {
  if (rules.value.length === 0) {
    tested.value = undefined
    return
  }
  const mine = ++round
  busy.value = true
  try {
    const got = await ok(
      api.POST('/api/corpora/{corpus}/rules/try', {
        params: { path: { corpus: corpus.name } },
        body: { rules: rules.value, message: message.value.trim(), labelled: messages.value },
      }),
    )
    if (mine === round) {
      tested.value = got
      problem.value = ''
    }
  } catch (e) {
    if (mine === round) problem.value = (e as Error).message
  }
  if (mine === round) busy.value = false
}
const soon = useDebounceFn(attempt, 400)
watch([rules, message, labelled], () => void soon(), { deep: true })
onMounted(attempt)

const fired = (id: string): Schema['RuleMatch'] | undefined => tested.value?.state?.matches?.find((m) => m.rule === id)
const warnings = (id: string): Schema['RuleWarning'][] => (tested.value?.warnings ?? []).filter((w) => w.rule === id)
const share = (x: number): string => `${Math.round(100 * x)} %`
</script>

<template>
  <div class="stack">
    <p v-if="rules.length === 0" class="notice">
      A house rule says: when somebody asks something like this, then do that as well as, or instead of, answering.
      There is none yet.
    </p>
    <label v-else class="field">
      <span class="label">A message to try them on</span>
      <ElInput v-model="message" maxlength="4000" placeholder="What somebody might say" />
    </label>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <p v-if="message !== '' && tested?.state?.say" class="notice">It says: {{ tested.state.say }}</p>
    <ol class="rules">
      <li v-for="(r, i) in rules" :key="r.id" :class="{ off: r.off, fires: message !== '' && fired(r.id)?.holds }">
        <div class="row head">
          <span class="figure muted">{{ i + 1 }}</span>
          <button class="linkish name" :aria-expanded="open === r.id" @click="open = open === r.id ? '' : r.id">
            {{ r.name }}
          </button>
          <span v-if="message !== '' && fired(r.id)" :class="fired(r.id)?.holds ? 'good' : 'muted'">{{
            fired(r.id)?.holds ? 'fires' : 'does not fire'
          }}</span>
          <button class="linkish" :disabled="i === 0" :aria-label="`Try ${r.name} earlier`" @click="move(i, -1)">
            earlier
          </button>
          <button
            class="linkish"
            :disabled="i + 1 === rules.length"
            :aria-label="`Try ${r.name} later`"
            @click="move(i, 1)"
          >
            later
          </button>
          <button class="linkish" @click="change({ ...r, off: !r.off })">
            {{ r.off ? 'switch on' : 'switch off' }}
          </button>
          <button class="linkish" :aria-label="`Remove ${r.name}`" @click="put(rules.filter((x) => x.id !== r.id))">
            remove
          </button>
        </div>
        <p v-if="message !== '' && fired(r.id)" class="hint">{{ fired(r.id)?.why }}</p>
        <p v-for="(w, k) in warnings(r.id)" :key="k" class="warning caution">
          <b>{{
            {
              overlap: 'Overlaps',
              behind: 'Never reached',
              shadows: 'Stands before a source',
              disagree: 'Disagrees with a source',
            }[w.kind]
          }}</b>
          {{ w.text }}
        </p>
        <RuleForm v-if="open === r.id" :rule="r" @change="change" />
      </li>
    </ol>
    <ElButton @click="add">Add a rule</ElButton>
    <details v-if="rules.length > 0">
      <summary>Labelled messages</summary>
      <label class="field">
        <span class="sr">Messages, one a line</span>
        <ElInput
          v-model="labelled"
          type="textarea"
          :rows="5"
          placeholder="I lost my bag on the boat | Lost things
Where can I leave my luggage? |"
        />
        <span class="hint">One a line: the message, a bar, the names of the rules that ought to fire.</span>
      </label>
      <table v-if="(tested?.tested ?? []).length > 0" class="plain">
        <thead>
          <tr>
            <th>Rule</th>
            <th class="num">Precision</th>
            <th class="num">Recall</th>
            <th>Wrong and missed</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="t in tested?.tested ?? []" :key="t.rule">
            <td>{{ nameOf(t.rule) }}</td>
            <td class="num figure">{{ t.right + t.wrong.length === 0 ? '–' : share(t.precision) }}</td>
            <td class="num figure">{{ t.right + t.missed.length === 0 ? '–' : share(t.recall) }}</td>
            <td>
              <span v-for="m in t.wrong" :key="m" class="bad">fired: {{ m }}<br /></span>
              <span v-for="m in t.missed" :key="m" class="caution">missed: {{ m }}<br /></span>
            </td>
          </tr>
        </tbody>
      </table>
    </details>
    <ConnectionForm
      kind="mail"
      label="Mail for alerts"
      connected="goes out by"
      unconnected="has no server: alerts by mail are not sent"
    />
    <p v-if="busy" class="sr" role="status">trying</p>
  </div>
</template>

<style scoped>
.rules {
  list-style: none;
  margin: 0;
  padding: 0;
}
.rules li {
  background: var(--raised);
  border: 1px solid var(--line);
  border-left: 3px solid var(--control);
  padding: 7px 10px;
  margin-bottom: 8px;
}
.rules li.fires {
  border-left-color: var(--good);
}
.rules li.off .name {
  text-decoration: line-through;
  color: var(--muted);
}
.name {
  flex: 1;
  font-weight: 650;
}
.warning {
  font-size: 12.5px;
  margin: 4px 0 0;
}
summary {
  font-weight: 650;
  cursor: pointer;
}
button:disabled {
  color: var(--muted);
  text-decoration: none;
  cursor: default;
}
</style>
