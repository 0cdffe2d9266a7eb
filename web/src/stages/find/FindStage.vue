<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Reply, type Variant } from '@/api/client'
import { passNames } from '@/api/names'
import ConnectionForm from '@/components/ConnectionForm.vue'
import SettingsForm from '@/components/SettingsForm.vue'
import { useCorpus } from '@/stores/corpus'
import { onKeys } from '@/stores/keys'
import { nameOf } from '../gather/store'
import HitList from './HitList.vue'
import ManyQuestions from './ManyQuestions.vue'
import RewriteBench from './RewriteBench.vue'
import SideBySide from './SideBySide.vue'
import { useFind } from './store'
import ThreeWordings from './ThreeWordings.vue'
import WorthView from './WorthView.vue'

const corpus = useCorpus()
const find = useFind()
const route = useRoute()
const router = useRouter()
const hits = useTemplateRef<InstanceType<typeof HitList>>('hits')
const question = ref(String(route.query.q ?? ''))
const reply = ref<Reply>()
const before = ref<Reply>()
const problem = ref('')
const busy = ref(false)
const ready = ref(false)

const views = [
  { key: 'one', label: 'One question' },
  { key: 'sides', label: 'Side by side' },
  { key: 'many', label: 'Many questions' },
  { key: 'rewriting', label: 'Rewriting' },
  { key: 'wordings', label: 'Compare wordings' },
  { key: 'worth', label: 'Effect of each part' },
] as const
const view = computed({
  get: () => String(route.query.view ?? 'one'),
  set: (v) => void router.replace({ query: { ...route.query, view: v === 'one' ? undefined : v } }),
})
const kinds = ['page', 'file', 'film', 'text', 'pairs'] as const
const reading = computed(() => reply.value?.trail?.reading)
const fieldsOf = (stage: string) => computed(() => find.fields.filter((f) => f.key.startsWith(`${stage}.`)))
const findFields = fieldsOf('find')
const queryFields = fieldsOf('query')
const embedFields = fieldsOf('embed')
const narrowed = computed(
  () =>
    (find.filter.sources ?? []).length + (find.filter.kinds ?? []).length + (find.filter.languages ?? []).length > 0 ||
    (find.filter.since ?? '') !== '' ||
    (find.filter.until ?? '') !== '',
)

function search(v: Variant): Promise<Reply> {
  return ok(
    api.POST('/api/corpora/{corpus}/find', {
      params: { path: { corpus: corpus.name } },
      body: { question: question.value.trim(), surface: 'bench', audience: find.audience, ...v },
    }),
  )
}

let searching = 0
async function run(): Promise<void> {
  if (question.value.trim() === '' || find.tried === undefined) return
  const mine = ++searching
  busy.value = true
  try {
    const now = await search(find.variant)
    const was = view.value === 'sides' ? await search(find.asApplied) : undefined
    if (mine !== searching) return
    reply.value = now
    before.value = was
    problem.value = ''
  } catch (e) {
    if (mine === searching) problem.value = (e as Error).message
  }
  if (mine === searching) busy.value = false
}
const runSoon = useDebounceFn(run, 80)

function submit(): void {
  const q = question.value.trim()
  if (q !== route.query.q) void router.replace({ query: { ...route.query, q } })
  else void run()
}

function narrow(change: Partial<typeof find.filter>): void {
  find.filter = { ...find.filter, ...change }
}

watch(
  () => route.query.q,
  (q) => {
    question.value = typeof q === 'string' ? q : ''
    void run()
  },
)
watch([() => find.tried, () => find.filter, () => find.audience, view], () => void runSoon(), { deep: true })
const stopKeys = onKeys((key) => view.value === 'one' && (hits.value?.act(key) ?? false))
onMounted(async () => {
  await find.load()
  ready.value = true
  void run()
})
onUnmounted(stopKeys)
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <h1>Find</h1>
      <form class="stack" @submit.prevent="submit">
        <ElInput
          v-model="question"
          type="textarea"
          :rows="2"
          maxlength="4000"
          placeholder="A question, or two words"
          aria-label="Question"
          @keydown.enter.exact.prevent="submit"
        />
        <div class="row">
          <ElButton type="primary" native-type="submit" :loading="busy" :disabled="question.trim() === ''"
            >Find</ElButton
          >
          <label class="sr" for="find-as">Asked as</label>
          <select id="find-as" v-model="find.audience" class="plain-select">
            <option value="public">as a public visitor</option>
            <option value="staff">as staff</option>
          </select>
        </div>
      </form>
      <p v-if="find.problem !== '' || problem !== ''" class="notice bad" role="alert">{{ find.problem || problem }}</p>
      <div v-if="find.changed" class="notice caution row" role="status">
        <span>Settings are being tried that are not applied.</span>
        <ElButton type="primary" @click="find.apply()">Apply</ElButton>
        <ElButton @click="find.reset()">Undo</ElButton>
      </div>
      <details v-if="reading" open>
        <summary>What was searched for</summary>
        <ol class="wordings">
          <li v-for="(s, i) in reading.searches ?? []" :key="i">
            <span class="muted">{{ passNames[s.pass] ?? s.pass }}</span><br />{{ s.text }}
          </li>
        </ol>
        <p class="terms">
          <span v-for="t in reading.terms" :key="t.stem" :title="`stem ${t.stem}, weight ${t.weight.toFixed(2)}`"
            >{{ t.word }}<small v-if="t.weight < 1" class="muted"> {{ t.weight.toFixed(1) }}</small></span
          >
        </p>
      </details>
      <template v-if="find.tried">
        <details>
          <summary>Ranking</summary>
          <SettingsForm
            :fields="findFields"
            :values="find.tried.find"
            :before="find.applied?.find"
            @change="(k, v) => find.set('find', k, v)"
          />
        </details>
        <details>
          <summary>Rewriting</summary>
          <SettingsForm
            :fields="queryFields"
            :values="find.tried.query"
            :before="find.applied?.query"
            @change="(k, v) => find.set('query', k, v)"
          />
        </details>
        <details>
          <summary>Embedding</summary>
          <p class="hint">
            Holds for the whole index: it cannot be tried out, only applied, and is then re-embedded in the background.
          </p>
          <SettingsForm
            :fields="embedFields"
            :values="find.tried.embed"
            :before="find.applied?.embed"
            @change="(k, v) => find.set('embed', k, v)"
          />
          <ConnectionForm
            kind="embeddings"
            label="External embeddings"
            connected="come from"
            unconnected="are not connected"
            path="/embeddings, of any endpoint of the widely used embeddings protocol"
          />
        </details>
        <details>
          <summary>Source priority</summary>
          <p v-for="s in find.sources" :key="s.id" class="row between">
            <label :for="`prefer-${s.id}`">{{ nameOf(s) }}</label>
            <ElInputNumber
              :id="`prefer-${s.id}`"
              size="small"
              :min="-3"
              :max="3"
              :model-value="find.tried.priority?.[s.id] ?? 0"
              :aria-label="`Priority of ${nameOf(s)}`"
              @update:model-value="(v: number | undefined) => find.prefer(s.id, v ?? 0)"
            />
          </p>
        </details>
        <details :open="narrowed">
          <summary>Filters{{ narrowed ? ' (on)' : '' }}</summary>
          <p class="hint">For the searches here; it is no part of the draft.</p>
          <ElSelect
            :model-value="find.filter.sources ?? []"
            multiple
            placeholder="All sources"
            aria-label="Sources"
            @update:model-value="(v: string[]) => narrow({ sources: v })"
          >
            <ElOption v-for="s in find.sources" :key="s.id" :value="s.id" :label="nameOf(s)" />
          </ElSelect>
          <ElSelect
            :model-value="find.filter.kinds ?? []"
            multiple
            placeholder="All kinds"
            aria-label="Kinds"
            @update:model-value="(v: string[]) => narrow({ kinds: v })"
          >
            <ElOption v-for="k in kinds" :key="k" :value="k" :label="k" />
          </ElSelect>
          <p class="row between">
            <label for="language">Language, as its code</label>
            <input
              id="language"
              maxlength="12"
              size="6"
              placeholder="any"
              :value="(find.filter.languages ?? []).join('')"
              @change="
                (e) => {
                  const code = (e.target as HTMLInputElement).value.trim()
                  narrow({ languages: code === '' ? [] : [code] })
                }
              "
            />
          </p>
          <p class="row between">
            <label for="since">Changed since</label>
            <input
              id="since"
              type="date"
              :value="find.filter.since ?? ''"
              @change="(e) => narrow({ since: (e.target as HTMLInputElement).value })"
            />
          </p>
          <p class="row between">
            <label for="until">and until</label>
            <input
              id="until"
              type="date"
              :value="find.filter.until ?? ''"
              @change="(e) => narrow({ until: (e.target as HTMLInputElement).value })"
            />
          </p>
        </details>
      </template>
    </div>
    <div class="right stack">
      <div class="tabs" role="tablist" aria-label="Views">
        <button v-for="v in views" :key="v.key" role="tab" :aria-selected="view === v.key" @click="view = v.key">
          {{ v.label }}
        </button>
      </div>
      <template v-if="ready">
        <ManyQuestions v-if="view === 'many'" />
        <WorthView v-else-if="view === 'worth'" />
        <RewriteBench v-else-if="view === 'rewriting'" />
        <ThreeWordings v-else-if="view === 'wordings'" />
        <p v-else-if="reply === undefined" class="notice">
          Ask at the left to see which chunks a question reaches, in which order, and why each ranks where it does.
        </p>
        <SideBySide v-else-if="view === 'sides' && before" :before="before" :after="reply" />
        <HitList v-else-if="view === 'one'" ref="hits" :reply="reply" :question="question.trim()" />
      </template>
    </div>
  </div>
</template>

<style scoped>
details {
  border-top: 1px solid var(--line);
  padding-top: 10px;
}
summary {
  font-weight: 650;
  cursor: pointer;
  margin-bottom: 8px;
}
details > * + * {
  margin-top: 8px;
}
.wordings {
  margin: 0;
  padding-left: 18px;
}
.terms {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  margin: 8px 0 0;
}
.terms small {
  margin-left: 4px;
}
.terms span {
  background: var(--lit);
  padding: 0 6px;
}
.between {
  justify-content: space-between;
  margin: 6px 0 0;
}
.plain-select,
#language,
input[type='date'] {
  border: 1px solid var(--control);
  border-radius: var(--radius);
  padding: 5px 4px;
  color: var(--ink);
  background: var(--raised);
}
</style>
