<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import { roleLabel, useSelf } from '@/stores/self'

/** Where an invitation leads: name, mail address, password. A link for a new password leads here too. */
const self = useSelf()
const route = useRoute()
const router = useRouter()
const token = String(route.params.token)
const invitation = ref<Schema['Invitation']>()
const problem = ref('')
const name = ref('')
const mail = ref('')
const password = ref('')
const busy = ref(false)

ok(api.GET('/api/welcome/{token}', { params: { path: { token } } }))
  .then((i) => {
    invitation.value = i
    mail.value = i.mail ?? ''
  })
  .catch((e: unknown) => (problem.value = (e as Error).message))

const anew = computed(() => (invitation.value?.person ?? '') !== '')
const what = computed(() => {
  const i = invitation.value
  if (i === undefined) return ''
  if (anew.value) return `${i.person ?? ''}, choose a new password. You will be signed out everywhere else.`
  if (i.owner) return 'You become an owner: you may do everything here, and invite others.'
  return `${i.invitedBy} invites you to ${i.corpus ?? ''} with the role "${roleLabel(i.role ?? '')}".`
})
const ready = computed(
  () => password.value.length >= 12 && (anew.value || (name.value.trim() !== '' && mail.value.trim() !== '')),
)

async function accept(): Promise<void> {
  busy.value = true
  try {
    const body = { name: name.value.trim(), mail: mail.value.trim(), password: password.value }
    const got = await ok(api.POST('/api/welcome/{token}', { params: { path: { token } }, body }))
    await router.replace('/')
    self.take(got)
  } catch (e) {
    problem.value = (e as Error).message
  }
  busy.value = false
}
</script>

<template>
  <form class="door stack" aria-label="Invitation" @submit.prevent="accept">
    <h1>Welcome to Jolvex</h1>
    <template v-if="invitation">
      <p>{{ what }}</p>
      <template v-if="!anew">
        <label class="field">
          <span class="label">Your name</span>
          <ElInput v-model="name" name="name" autocomplete="name" maxlength="120" autofocus />
        </label>
        <label class="field">
          <span class="label">Mail address</span>
          <ElInput
            v-model="mail"
            type="email"
            name="mail"
            autocomplete="username"
            maxlength="254"
            :disabled="(invitation.mail ?? '') !== ''"
          />
        </label>
      </template>
      <label class="field">
        <span class="label">Password</span>
        <ElInput
          v-model="password"
          type="password"
          name="password"
          autocomplete="new-password"
          maxlength="256"
          show-password
        />
        <span class="hint">At least 12 characters. A few words in a row are easy to remember.</span>
      </label>
    </template>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <ElButton v-if="invitation" type="primary" native-type="submit" :loading="busy" :disabled="!ready">
      {{ anew ? 'Set the password' : 'Come in' }}
    </ElButton>
    <p v-else><a href="/">To the front page</a></p>
  </form>
</template>

<style scoped>
.door {
  width: 420px;
  max-width: calc(100vw - 32px);
  margin: 10vh auto 0;
  padding: 24px;
  background: var(--raised);
  border: 1px solid var(--line);
}
</style>
