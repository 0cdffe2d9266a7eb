<script setup lang="ts">
import { ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { counted } from '@/api/words'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'

/** Which question sets must pass before a release, and by how much. */
const props = defineProps<{ sets: Schema['Held'][] }>()
const emit = defineEmits<{ saved: []; cancel: [] }>()
const corpus = useCorpus()
const params = () => ({ path: { corpus: corpus.name } })
const { value: all } = useAsk(() => ok(api.GET('/api/corpora/{corpus}/sets', { params: params() })))
const floors = ref<Record<string, number>>(Object.fromEntries(props.sets.map((s) => [s.id, Math.round(100 * s.floor)])))
const problem = ref('')
const usual = 90

function choose(id: string, on: boolean): void {
  const others = Object.entries(floors.value).filter(([k]) => k !== id)
  floors.value = Object.fromEntries(on ? [...others, [id, usual]] : others)
}

async function save(): Promise<void> {
  try {
    const list = Object.entries(floors.value).map(([set, floor]) => ({ set, floor: floor / 100 }))
    await ok(api.PUT('/api/corpora/{corpus}/gate', { params: params(), body: { floors: list } }))
    emit('saved')
  } catch (e) {
    problem.value = (e as Error).message
  }
}
</script>

<template>
  <form class="stack" aria-label="Gate" @submit.prevent="save">
    <p v-if="(all ?? []).length === 0" class="muted">No question set yet: write one in Prove.</p>
    <div v-for="s in all" :key="s.id" class="row">
      <ElCheckbox :model-value="floors[s.id] !== undefined" @change="(on) => choose(s.id, on === true)">
        {{ s.name }} <span class="muted">{{ counted(s.count, 'question') }}</span>
      </ElCheckbox>
      <template v-if="floors[s.id] !== undefined">
        <ElInputNumber
          v-model="floors[s.id]"
          size="small"
          :min="0"
          :max="100"
          :precision="0"
          :controls="false"
          class="floor"
          :aria-label="`Floor of ${s.name}, in percent`"
        />
        % must pass
      </template>
    </div>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <div class="row">
      <ElButton type="primary" size="small" native-type="submit">Save</ElButton>
      <ElButton size="small" @click="$emit('cancel')">Cancel</ElButton>
    </div>
  </form>
</template>

<style scoped>
.floor {
  width: 64px;
}
</style>
