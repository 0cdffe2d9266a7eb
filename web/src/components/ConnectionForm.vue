<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count } from '@/api/words'

/** A connection to an endpoint that others run: shown in a sentence, changed in a form. Its key is never shown. */
const props = defineProps<{
  kind: 'speech' | 'embeddings'
  label: string
  connected: string
  unconnected: string
  path: string
}>()
const emit = defineEmits<{ saved: [connected: boolean] }>()

const connection = ref<Schema['Connection']>()
const base = ref('')
const model = ref('')
const key = ref('')
const open = ref(false)
const problem = ref('')
const busy = ref(false)

const state = computed(() => {
  const c = connection.value
  if (c === undefined || c.base === '') return `${props.unconnected}.`
  const more = c.dimensions ? `, ${c.dimensions} numbers a vector, ${count(c.tokens ?? 0)} tokens so far` : ''
  return `${props.connected} ${c.base}${more}.`
})

function take(c: Schema['Connection']): void {
  connection.value = c
  base.value = c.base
  model.value = c.model
  key.value = ''
}

const read = () =>
  props.kind === 'speech' ? api.GET('/api/connections/speech') : api.GET('/api/connections/embeddings')

async function save(): Promise<void> {
  const body = { base: base.value.trim(), model: model.value.trim(), key: key.value === '' ? undefined : key.value }
  busy.value = true
  try {
    take(
      await ok(
        props.kind === 'speech'
          ? api.PUT('/api/connections/speech', { body })
          : api.PUT('/api/connections/embeddings', { body }),
      ),
    )
    problem.value = ''
    open.value = false
    emit('saved', connection.value?.base !== '')
  } catch (e) {
    problem.value = (e as Error).message
  }
  busy.value = false
}

onMounted(async () => {
  try {
    take(await ok(read()))
  } catch (e) {
    problem.value = (e as Error).message
  }
})
</script>

<template>
  <section class="narrow stack" :aria-label="label">
    <p v-if="connection !== undefined">
      <b>{{ label }}</b> {{ state }}
      <button class="linkish" :aria-expanded="open" @click="open = !open">{{ open ? 'Close' : 'Connect' }}</button>
    </p>
    <form v-if="open && connection !== undefined" class="stack" @submit.prevent="save">
      <label class="field">
        <span class="label">Address</span>
        <ElInput v-model="base" placeholder="http://127.0.0.1:9000/v1" />
        <span class="hint">What stands before {{ path }}. Empty to disconnect.</span>
      </label>
      <div class="row">
        <label class="field">
          <span class="label">Model</span>
          <ElInput v-model="model" />
        </label>
        <label class="field">
          <span class="label">Key</span>
          <ElInput
            v-model="key"
            type="password"
            autocomplete="off"
            :placeholder="connection?.keyed ? 'one is stored' : 'none'"
          />
        </label>
      </div>
      <ElButton native-type="submit" :loading="busy">Save connection</ElButton>
    </form>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
  </section>
</template>

<style scoped>
.narrow {
  max-width: 640px;
}
</style>
