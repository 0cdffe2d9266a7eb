<script setup lang="ts">
import { ref, watch } from 'vue'
import { api, ok } from '@/api/client'
import { useCorpus } from '@/stores/corpus'
import { kindNames } from '@/api/names'
import { useProve, type Question } from './store'

/** Variants of one question that try to make the assistant fail, to be taken or left. */
const props = defineProps<{ question: Question }>()
const emit = defineEmits<{ added: [] }>()

const corpus = useCorpus()
const prove = useProve()
const variants = ref<Question[]>()
const taken = ref(new Set<string>())

async function propose(): Promise<void> {
  variants.value = await prove.attempt(() =>
    ok(api.POST('/api/corpora/{corpus}/stress', { params: { path: { corpus: corpus.name } }, body: props.question })),
  )
  taken.value = new Set((variants.value ?? []).map((v) => v.id))
}

async function keep(): Promise<void> {
  const chosen = (variants.value ?? []).filter((v) => taken.value.has(v.id))
  if (chosen.length === 0 || (await prove.add(chosen, `stress of ${props.question.id}`)) === undefined) return
  variants.value = undefined
  emit('added')
}

function turn(id: string): void {
  const next = new Set(taken.value)
  if (!next.delete(id)) next.add(id)
  taken.value = next
}

const expects = (q: Question): string =>
  q.expect.map((e) => `${kindNames[e.kind]} ${(e.values ?? []).join(' or ')}`.trim()).join('; ')

watch(
  () => props.question.id,
  () => (variants.value = undefined),
)
</script>

<template>
  <section class="stack" aria-label="Stress kit">
    <ElButton v-if="variants === undefined" @click="propose">Propose variants that try to make it fail</ElButton>
    <template v-else>
      <table class="plain">
        <thead>
          <tr>
            <th />
            <th>Kind</th>
            <th>Question</th>
            <th>Expects</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="v in variants" :key="v.id">
            <td>
              <input type="checkbox" :checked="taken.has(v.id)" :aria-label="`Take ${v.id}`" @change="turn(v.id)" />
            </td>
            <td class="muted">{{ (v.tags ?? []).join(', ') }}</td>
            <td><input v-model="v.question" class="text" :aria-label="`Question ${v.id}`" /></td>
            <td class="muted">{{ expects(v) }}</td>
          </tr>
        </tbody>
      </table>
      <div class="row">
        <ElButton type="primary" :disabled="taken.size === 0" @click="keep">Add {{ taken.size }} to the set</ElButton>
        <ElButton @click="variants = undefined">Leave them</ElButton>
      </div>
    </template>
  </section>
</template>

<style scoped>
.text {
  width: 100%;
  border: 1px solid transparent;
  border-bottom-color: var(--line);
  background: transparent;
  color: var(--ink);
  font: inherit;
}
</style>
