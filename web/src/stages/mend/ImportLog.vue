<script setup lang="ts">
import { ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { counted } from '@/api/words'
import { useCorpus } from '@/stores/corpus'

/** Takes in conversations that were held elsewhere. */
const emit = defineEmits<{ close: [] }>()
const corpus = useCorpus()
const file = ref<File>()
const read = ref<Schema['Imported']>()
const ask = ref(true)
const problem = ref('')
const busy = ref(false)
const done = ref(false)

async function send(keep: boolean): Promise<void> {
  if (file.value === undefined) return
  busy.value = true
  try {
    read.value = await ok(
      api.POST('/api/corpora/{corpus}/log/import', {
        params: { path: { corpus: corpus.name }, query: { keep, ask: ask.value } },
        body: file.value as never,
        bodySerializer: (b: unknown) => b as File,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    )
    done.value = keep
    problem.value = ''
  } catch (e) {
    read.value = undefined
    problem.value = (e as Error).message
  }
  busy.value = false
}

function choose(e: Event): void {
  file.value = (e.target as HTMLInputElement).files?.[0]
  done.value = false
  void send(false)
}
</script>

<template>
  <ElDialog model-value title="Import conversations" width="560" @close="emit('close')">
    <div class="stack">
      <p class="muted">
        JSON Lines with one conversation a line (<span class="mono">turns</span> with <span class="mono">role</span> and
        <span class="mono">text</span>), or one question a line (<span class="mono"
          >conversation, at, question, reply</span
        >); or CSV with a column <span class="mono">question</span>.
      </p>
      <input type="file" accept=".jsonl,.json,.csv,.txt" aria-label="File of conversations" @change="choose" />
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
      <template v-if="read">
        <p class="notice" role="status">
          {{ counted(read.conversations, 'conversation') }} with {{ counted(read.exchanges, 'question') }} read.
          <template v-if="read.failed > 0">{{ counted(read.failed, 'line') }} could not be taken in.</template>
          <template v-if="done">{{ counted(read.fresh, 'conversation') }} new.</template>
        </p>
        <ul v-if="read.problems.length > 0" class="problems">
          <li v-for="p in read.problems.slice(0, 20)" :key="p.line">line {{ p.line }}: {{ p.text }}</li>
        </ul>
        <ElRadioGroup v-if="!done" v-model="ask" class="ways">
          <ElRadio :value="true">Have the draft answer every question anew</ElRadio>
          <ElRadio :value="false">Keep the replies of the file; the draft answers only where there is none</ElRadio>
        </ElRadioGroup>
      </template>
    </div>
    <template #footer>
      <ElButton @click="emit('close')">{{ done ? 'Close' : 'Cancel' }}</ElButton>
      <ElButton
        v-if="!done"
        type="primary"
        :loading="busy"
        :disabled="read === undefined || read.conversations === 0"
        @click="send(true)"
        >Import</ElButton
      >
    </template>
  </ElDialog>
</template>

<style scoped>
.problems {
  max-height: 160px;
  overflow: auto;
  font-size: 12.5px;
}
.ways {
  display: grid;
  justify-items: start;
}
</style>
