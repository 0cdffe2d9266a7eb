<script setup lang="ts">
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok } from '@/api/client'
import { useSelf } from '@/stores/self'

/** The door: a mail address and a password, or another service. */
const self = useSelf()
const route = useRoute()
const router = useRouter()
const mail = ref('')
const password = ref('')
const problem = ref(typeof route.query.problem === 'string' ? route.query.problem : '')
const busy = ref(false)

async function signIn(): Promise<void> {
  busy.value = true
  try {
    const got = await ok(api.POST('/api/sign-in', { body: { mail: mail.value.trim(), password: password.value } }))
    if (route.name === 'sign-in') await router.replace('/')
    self.take(got)
  } catch (e) {
    problem.value = (e as Error).message
  }
  busy.value = false
}
</script>

<template>
  <form class="door stack" aria-label="Sign in" @submit.prevent="signIn">
    <h1>Jolvex</h1>
    <p v-if="self.self?.begun === false" class="notice">
      Nobody has signed in here yet. The first owner comes in by the link that the program printed when it started;
      <span class="mono">jolvex people owner</span> prints another.
    </p>
    <label class="field">
      <span class="label">Mail address</span>
      <ElInput v-model="mail" type="email" name="mail" autocomplete="username" maxlength="254" autofocus />
    </label>
    <label class="field">
      <span class="label">Password</span>
      <ElInput
        v-model="password"
        type="password"
        name="password"
        autocomplete="current-password"
        maxlength="256"
        show-password
      />
    </label>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <div class="row">
      <ElButton type="primary" native-type="submit" :loading="busy" :disabled="mail.trim() === '' || password === ''">
        Sign in
      </ElButton>
      <a v-if="self.self?.openId" href="/api/openid/go">Sign in through your organisation</a>
    </div>
    <p class="hint">Password forgotten? An owner can make you a link for a new one.</p>
  </form>
</template>

<style scoped>
.door {
  width: 380px;
  max-width: calc(100vw - 32px);
  margin: 12vh auto 0;
  padding: 24px;
  background: var(--raised);
  border: 1px solid var(--line);
}
</style>
