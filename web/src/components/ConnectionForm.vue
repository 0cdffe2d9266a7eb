<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count } from '@/api/words'

/** A connection to an endpoint that others run: shown in a sentence, changed in a form. Its key is never shown. */
const props = defineProps<{
  kind: 'speech' | 'embeddings' | 'chat' | 'mail' | 'signin'
  label: string
  connected: string
  unconnected: string
  path?: string
}>()
const emit = defineEmits<{ saved: [connected: boolean] }>()

/** What its parts are called, where they are not an endpoint's. */
const parts = {
  mail: { model: 'Sent from', key: 'Password', example: 'smtp://host:25' },
  signin: { model: 'Client id', key: 'Client secret', example: 'https://login.example.org' },
  model: { model: 'Model', key: 'Key', example: 'http://127.0.0.1:9000/v1' },
}
const called = computed(() => (props.kind === 'mail' || props.kind === 'signin' ? parts[props.kind] : parts.model))

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
  if (props.kind === 'chat') {
    const calls = c.calls ?? 0
    const spent = c.spent ?? 0
    const cost =
      spent > 0 || (c.cap ?? 0) > 0 ? `, ${spent.toFixed(4)} spent${c.cap ? ` of at most ${c.cap}` : ''}` : ''
    const forecast =
      spent > 0 && calls > 0 ? `; a thousand calls like these cost ${((1000 * spent) / calls).toFixed(2)}` : ''
    return `${props.connected} ${c.base} as ${c.model || 'its own choice'}; this month ${count(calls)} calls${cost}${forecast}.`
  }
  const more = c.dimensions ? `, ${c.dimensions} numbers a vector, ${count(c.tokens ?? 0)} tokens so far` : ''
  return `${props.connected} ${c.base}${more}.`
})

/** How long a model is waited for when nobody says otherwise, in seconds. */
const usualWait = 20

const more = ref({ window: 8000, priceIn: 0, priceOut: 0, cap: 0, wait: usualWait })

function take(c: Schema['Connection']): void {
  connection.value = c
  base.value = c.base
  model.value = c.model
  key.value = ''
  more.value = {
    window: c.window || 8000,
    priceIn: c.priceIn ?? 0,
    priceOut: c.priceOut ?? 0,
    cap: c.cap ?? 0,
    wait: c.wait || usualWait,
  }
}

const at = `/api/connections/${props.kind}` as '/api/connections/speech'
const read = () => api.GET(at)

async function save(): Promise<void> {
  const body = { base: base.value.trim(), model: model.value.trim(), key: key.value === '' ? undefined : key.value }
  busy.value = true
  try {
    take(await ok(api.PUT(at, { body: props.kind === 'chat' ? { ...body, ...more.value } : body })))
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
        <ElInput v-model="base" :placeholder="called.example" />
        <span class="hint"
          ><template v-if="path">The address without {{ path }}. </template>Empty to disconnect.</span
        >
      </label>
      <div class="row">
        <label class="field">
          <span class="label">{{ called.model }}</span>
          <ElInput v-model="model" />
        </label>
        <label class="field">
          <span class="label">{{ called.key }}</span>
          <ElInput
            v-model="key"
            type="password"
            autocomplete="off"
            :placeholder="connection?.keyed ? 'one is stored' : 'none'"
          />
        </label>
      </div>
      <div v-if="kind === 'chat'" class="row">
        <label class="field">
          <span class="label">Window, in tokens</span>
          <ElInputNumber v-model="more.window" :min="1000" :max="2000000" :controls="false" />
        </label>
        <label class="field">
          <span class="label">Price of a million read</span>
          <ElInputNumber v-model="more.priceIn" :min="0" :precision="4" :controls="false" />
        </label>
        <label class="field">
          <span class="label">of a million written</span>
          <ElInputNumber v-model="more.priceOut" :min="0" :precision="4" :controls="false" />
        </label>
        <label class="field">
          <span class="label">Most to spend in a month</span>
          <ElInputNumber v-model="more.cap" :min="0" :precision="2" :controls="false" />
        </label>
        <label class="field">
          <span class="label">Longest wait, in seconds</span>
          <ElInputNumber v-model="more.wait" :min="1" :max="600" :precision="0" :controls="false" />
          <span class="hint">After that the reply is made without the model.</span>
        </label>
      </div>
      <ElButton native-type="submit" :loading="busy">{{
        called === parts.model ? 'Try it and save' : 'Save'
      }}</ElButton>
    </form>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
  </section>
</template>

<style scoped>
.narrow {
  max-width: 640px;
}
.hint {
  display: block;
}
</style>
