<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'
import { api, ok, type Evidence, type Reply } from '@/api/client'
import { useCorpus } from '@/stores/corpus'
import { useFind } from './store'

/** One need in two words, as a whole question, and clumsily: whether all reach the same passage, and where they part. */
const corpus = useCorpus()
const find = useFind()
/** What was typed is kept for each corpus. */
const wordings = useLocalStorage(`jolvex-wordings-${corpus.name}`, [
  { name: 'In two words', text: '', hint: 'two words' },
  { name: 'As a question', text: '', hint: 'the same as a whole question' },
  { name: 'Clumsily', text: '', hint: 'the same with slips and small talk' },
])
const replies = ref<(Reply | undefined)[]>([])
const problem = ref('')
const busy = ref(false)
const shown = 6

const key = (e: Evidence): string => `${e.version} ${e.span.start}`
const lists = computed(() => replies.value.map((r) => (r?.evidence ?? []).slice(0, shown)))
const names = ['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h', 'i', 'j', 'k', 'l', 'm', 'n', 'o', 'p', 'q', 'r']
/** Passages that more than one wording reaches are lettered alike. */
const letters = computed(() => {
  const count = new Map<string, number>()
  for (const l of lists.value) for (const e of l) count.set(key(e), (count.get(key(e)) ?? 0) + 1)
  const out = new Map<string, string>()
  for (const l of lists.value)
    for (const e of l) if ((count.get(key(e)) ?? 0) > 1 && !out.has(key(e))) out.set(key(e), names[out.size] ?? '·')
  return out
})
const firsts = computed(() => new Set(lists.value.map((l) => (l[0] === undefined ? '' : key(l[0])))))
const verdict = computed(() => {
  if (lists.value.length < 3 || lists.value.some((l) => l.length === 0)) return ''
  if (firsts.value.size === 1) return 'All three put the same passage first.'
  const common = lists.value[0]?.filter((e) => lists.value.every((l) => l.some((x) => key(x) === key(e)))) ?? []
  return common.length > 0
    ? `They differ from the first result on; ${common.length} of the first ${shown} passages are reached by all.`
    : 'They differ: no passage is among the first of all three.'
})

const ready = computed(() => wordings.value.every((w) => w.text.trim() !== ''))

async function run(): Promise<void> {
  if (!ready.value) return
  busy.value = true
  try {
    replies.value = await Promise.all(
      wordings.value.map((w) =>
        ok(
          api.POST('/api/corpora/{corpus}/find', {
            params: { path: { corpus: corpus.name } },
            body: { question: w.text.trim(), surface: 'bench', audience: find.audience, ...find.variant },
          }),
        ),
      ),
    )
    problem.value = ''
  } catch (e) {
    problem.value = (e as Error).message
  }
  busy.value = false
}

/** What a wording searched for that the whole question did not, and the other way round. */
function lacks(i: number): string {
  const own = new Set((replies.value[i]?.trail?.reading?.terms ?? []).map((t) => t.stem))
  const all = replies.value[1]?.trail?.reading?.terms ?? []
  const missing = all.filter((t) => !own.has(t.stem)).map((t) => t.word)
  return missing.length === 0 ? '' : `lacks: ${missing.join(', ')}`
}

onMounted(run)
</script>

<template>
  <section class="stack" aria-label="Compare wordings">
    <form class="stack" @submit.prevent="run">
      <label v-for="w in wordings" :key="w.name" class="field row">
        <span class="name">{{ w.name }}</span>
        <ElInput v-model="w.text" class="grow" maxlength="4000" :placeholder="w.hint" />
      </label>
      <div class="row">
        <ElButton type="primary" native-type="submit" :loading="busy" :disabled="!ready">Compare</ElButton>
        <span v-if="!ready" class="muted"
          >Ask for one thing in three ways to see whether all reach the same passage.</span
        >
      </div>
    </form>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <p v-if="verdict !== ''" class="notice" role="status">{{ verdict }}</p>
    <div class="three">
      <div v-for="(l, i) in lists" :key="i">
        <h3>{{ wordings[i]?.name }}</h3>
        <p v-if="i !== 1" class="muted">{{ lacks(i) }}</p>
        <ol>
          <li v-for="e in l" :key="key(e)" :class="{ shared: letters.has(key(e)) }">
            <b v-if="letters.has(key(e))" class="letter figure">{{ letters.get(key(e)) }}</b>
            {{ [e.title, ...e.path].join(' › ') }}
          </li>
        </ol>
      </div>
    </div>
  </section>
</template>

<style scoped>
.name {
  width: 110px;
  font-weight: 600;
}
.grow {
  flex: 1;
}
.three {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 16px;
}
ol {
  padding-left: 20px;
  margin: 0;
}
li {
  padding: 4px 6px;
  border-bottom: 1px solid var(--line);
}
li.shared {
  background: var(--accent-soft);
}
.letter {
  display: inline-block;
  width: 18px;
  color: var(--accent);
}
</style>
