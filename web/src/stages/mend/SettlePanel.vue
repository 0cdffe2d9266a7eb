<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, ok, type DocumentRow, type Schema } from '@/api/client'
import { useCorpus } from '@/stores/corpus'
import SettledForm from './SettledForm.vue'

/** The ways to settle a snag: a settled answer, its source, an expected question, or a change that was proposed. */
const props = defineProps<{ snag: Schema['OpenSnag'] }>()
const emit = defineEmits<{ settle: [x: Omit<Schema['Settlement'], 'version'>] }>()

const corpus = useCorpus()
const ways = [
  { key: 'answer', label: 'Write a settled answer' },
  { key: 'source', label: 'Mend the source' },
  { key: 'set', label: 'Expect it in a question set' },
  { key: 'change', label: 'Take a proposed change' },
] as const
const way = ref<'' | (typeof ways)[number]['key']>('')
const set = ref('From users')
const found = ref<DocumentRow[]>([])
const document = ref('')
const searching = ref(false)
const failed = ref('')

const fixes = computed(() => (props.snag.diagnosis?.fixes ?? []).filter((f) => f.change !== undefined))
const proposed = computed(
  () => props.snag.diagnosis?.fixes.find((f) => f.change?.settled !== undefined)?.change?.settled?.[0]?.answer ?? '',
)

async function seek(text: string): Promise<void> {
  searching.value = true
  try {
    const got = await ok(
      api.GET('/api/corpora/{corpus}/documents', {
        params: { path: { corpus: corpus.name }, query: { text, limit: 20 } },
      }),
    )
    found.value = got.documents
    failed.value = ''
  } catch (e) {
    found.value = []
    failed.value = (e as Error).message
  }
  searching.value = false
}

const wordings = computed(() => {
  const seen = new Set([props.snag.title.toLowerCase()])
  return props.snag.lines
    .map((l) => l.question)
    .filter((q) => q.length <= 200 && !seen.has(q.toLowerCase()) && seen.add(q.toLowerCase()))
    .slice(0, 7)
})
</script>

<template>
  <section aria-label="Settle" class="stack">
    <h3>Settle it</h3>
    <div class="row" role="tablist" aria-label="Ways to settle it">
      <ElButton
        v-for="w in ways"
        :key="w.key"
        size="small"
        role="tab"
        :aria-selected="way === w.key"
        :type="way === w.key ? 'primary' : ''"
        :disabled="w.key === 'change' && fixes.length === 0"
        :title="w.key === 'change' && fixes.length === 0 ? 'Find the cause first: it proposes changes' : ''"
        @click="way = way === w.key ? '' : w.key"
        >{{ w.label }}</ElButton
      >
    </div>
    <SettledForm
      v-if="way === 'answer'"
      :answer="{
        question: snag.title,
        answer: snag.fact === '' ? proposed : snag.fact,
        wordings,
        owner: snag.owner,
        expires: '',
      }"
      :snag="snag.id"
      save="Settle with this answer"
      @save="(a) => emit('settle', { how: 'answer', answer: a })"
    />
    <div v-else-if="way === 'source'" class="stack">
      <p class="muted">
        Choose the page or file that is to be mended. The snag waits, and asks again by itself when a visit finds it
        changed.
      </p>
      <p v-if="failed !== ''" class="notice bad" role="alert">Could not search documents: {{ failed }}</p>
      <div class="row">
        <ElSelect
          v-model="document"
          class="grow"
          filterable
          remote
          :remote-method="seek"
          :loading="searching"
          placeholder="Search documents"
          aria-label="Document to mend"
        >
          <ElOption v-for="d in found" :key="d.id" :value="d.id" :label="`${d.title || d.address} · ${d.address}`" />
        </ElSelect>
        <ElButton
          type="primary"
          size="small"
          :disabled="document === ''"
          @click="emit('settle', { how: 'source', document })"
          >Wait for the source</ElButton
        >
      </div>
    </div>
    <div v-else-if="way === 'set'" class="stack">
      <p class="muted">Its wordings become expected questions, and what is true is what they expect.</p>
      <div class="row">
        <ElInput v-model="set" class="set" maxlength="120" aria-label="Question set" />
        <ElButton
          type="primary"
          size="small"
          :disabled="snag.fact === '' || set.trim() === ''"
          :title="snag.fact === '' ? 'Say what is true first' : ''"
          @click="emit('settle', { how: 'set', set: set.trim() })"
          >Add to the set</ElButton
        >
      </div>
    </div>
    <ul v-else-if="way === 'change'" class="fixes">
      <li v-for="f in fixes" :key="f.label">
        {{ f.label }}
        <b v-if="f.cures" class="good">cures it</b><span v-else class="muted">does not cure it alone</span>
        <span v-if="f.others" class="muted figure">
          · others: {{ f.others.after }} of {{ f.others.of }} still pass</span
        >
        <ElButton size="small" @click="emit('settle', { how: 'change', change: f.change, note: f.label })"
          >Apply to the draft</ElButton
        >
      </li>
    </ul>
  </section>
</template>

<style scoped>
.row :deep(.el-button + .el-button) {
  margin-left: 0;
}
.grow {
  flex: 1;
}
.set {
  width: 200px;
}
.fixes {
  padding-left: 18px;
  margin: 0;
}
.fixes li {
  padding: 3px 0;
}
h3 {
  font-size: 13px;
}
</style>
