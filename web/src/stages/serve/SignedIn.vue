<script setup lang="ts">
import { ref } from 'vue'
import { api, ok } from '@/api/client'
import { useCorpus } from '@/stores/corpus'

/** How sites say which of their members asks. */
const props = defineProps<{ place: string; identity: '' | 'HS256' | 'EdDSA' }>()
const emit = defineEmits<{ changed: [] }>()
const corpus = useCorpus()
const way = ref(props.identity === '' ? 'none' : props.identity)
const key = ref('')
const secret = ref('')
const problem = ref('')

async function save(): Promise<void> {
  problem.value = ''
  try {
    const got = await ok(
      api.PUT('/api/corpora/{corpus}/place/identity', {
        params: { path: { corpus: corpus.name } },
        body: { algorithm: way.value === 'none' ? '' : (way.value as 'HS256'), key: key.value },
      }),
    )
    secret.value = got.secret ?? ''
    emit('changed')
  } catch (e) {
    problem.value = (e as Error).message
  }
}
</script>

<template>
  <section class="stack" aria-label="Visitors who are signed in on the site">
    <h2>Visitors who are signed in on the site</h2>
    <p class="muted">
      The site says who asks, by a token that it signs (JWT). Members of a group are then answered from that group's
      material, too.
    </p>
    <form class="row" @submit.prevent="save">
      <ElSelect v-model="way" class="way" aria-label="How the site signs">
        <ElOption value="none" label="The site does not say who asks" />
        <ElOption value="HS256" label="Signed with a secret (HS256)" />
        <ElOption value="EdDSA" label="Signed with a key pair (EdDSA)" />
      </ElSelect>
      <ElButton native-type="submit" :disabled="way === 'EdDSA' && key.trim() === ''">{{
        way === 'HS256' ? 'Make a new secret' : 'Save'
      }}</ElButton>
    </form>
    <label v-if="way === 'EdDSA'" class="field">
      <span class="label">Public key of the site</span>
      <ElInput v-model="key" type="textarea" :rows="3" class="mono" placeholder="-----BEGIN PUBLIC KEY-----" />
    </label>
    <p v-if="secret !== ''" class="notice" role="status">
      The secret, shown this once: <span class="mono secret">{{ secret }}</span>
    </p>
    <p v-if="problem !== ''" class="bad" role="alert">{{ problem }}</p>
    <p v-if="identity !== ''" class="hint">
      The token goes into <span class="mono">data-visitor</span> of the line, with <span class="mono">sub</span> (who),
      <span class="mono">aud</span> <span class="mono">{{ place }}</span>, <span class="mono">exp</span> (at most an
      hour ahead), and, where they apply, <span class="mono">group</span> and <span class="mono">name</span>.
    </p>
  </section>
</template>

<style scoped>
.way {
  width: 290px;
}
.secret {
  overflow-wrap: anywhere;
}
</style>
