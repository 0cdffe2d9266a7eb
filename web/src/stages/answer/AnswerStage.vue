<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'
import { api, ok, type Field, type Method } from '@/api/client'
import { useCorpus } from '@/stores/corpus'

const corpus = useCorpus()
const fields = ref<Field[]>([])
const method = ref<Method>()
const problem = ref('')

type AnswerSettings = Method['answer']
const answerFields = computed(() => fields.value.filter((f) => f.key.startsWith('answer.')))

function keyOf(f: Field): keyof AnswerSettings {
  return f.key.slice('answer.'.length) as keyof AnswerSettings
}

async function save(): Promise<void> {
  if (method.value === undefined) return
  try {
    await ok(api.PUT('/api/corpora/{corpus}/method', { params: { path: { corpus: corpus.name } }, body: method.value }))
    problem.value = ''
  } catch (e) {
    problem.value = (e as Error).message
  }
  corpus.saving = 0
}
const saveSoon = useDebounceFn(save, 400)

function set(f: Field, v: string | number | boolean | undefined): void {
  if (method.value === undefined || v === undefined) return
  method.value = { ...method.value, answer: { ...method.value.answer, [keyOf(f)]: v } }
  corpus.saving = 1
  void saveSoon()
}

onMounted(async () => {
  try {
    fields.value = await ok(api.GET('/api/settings'))
    method.value = await ok(api.GET('/api/corpora/{corpus}/method', { params: { path: { corpus: corpus.name } } }))
  } catch (e) {
    problem.value = (e as Error).message
  }
})
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <h1>Evidence and refusal</h1>
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
      <template v-if="method !== undefined">
        <div v-for="f in answerFields" :key="f.key" class="field">
          <span class="label"
            ><span>{{ f.label }}</span
            ><span class="muted figure">{{
              f.kind === 'text' ? '' : `${method.answer[keyOf(f)]} ${f.unit ?? ''}`
            }}</span></span
          >
          <ElInput
            v-if="f.kind === 'text'"
            :model-value="String(method.answer[keyOf(f)])"
            type="textarea"
            autosize
            :aria-label="f.label"
            @update:model-value="(v: string) => set(f, v)"
          />
          <ElSlider
            v-else
            :model-value="Number(method.answer[keyOf(f)])"
            :min="f.min"
            :max="f.max"
            :step="f.step ?? 1"
            :show-tooltip="false"
            :aria-label="f.label"
            @update:model-value="(v) => set(f, Number(v))"
          />
          <p class="hint">{{ f.help }}</p>
        </div>
      </template>
    </div>
    <div class="right stack">
      <h2>Try it</h2>
      <p class="notice">
        Settings save as they change. Ask in the strip below: the reply is made under this bar, and its trail shows the
        support of every passage that was kept.
      </p>
      <p class="muted">
        To come here: a sheet of pinned questions re-answered as settings move, manner, house rules, and a model
        connection.
      </p>
    </div>
  </div>
</template>
