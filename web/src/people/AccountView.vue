<script setup lang="ts">
import { ref } from 'vue'
import { api, ok } from '@/api/client'
import { moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useSelf } from '@/stores/self'

/** One's own account: name, password, and where one is signed in. */
const self = useSelf()
const name = ref(self.self?.name ?? '')
const old = ref('')
const next = ref('')
const done = ref('')
const problem = ref('')
const { value: sessions, state, problem: sessionsProblem, load } = useAsk(() => ok(api.GET('/api/self/sessions')))

async function attempt(said: string, call: () => Promise<unknown>): Promise<void> {
  try {
    await call()
    done.value = said
    problem.value = ''
  } catch (e) {
    done.value = ''
    problem.value = (e as Error).message
  }
  await load()
}

const rename = () =>
  attempt('Your name was changed.', async () => {
    await ok(api.PUT('/api/self/name', { body: { name: name.value.trim() } }))
    await self.load()
  })

const change = () =>
  attempt('Your password was changed. You are signed out everywhere else.', async () => {
    await ok(api.PUT('/api/self/password', { body: { old: old.value, password: next.value } }))
    old.value = ''
    next.value = ''
  })

const end = (session: string) =>
  attempt('That browser is signed out.', () =>
    ok(api.DELETE('/api/self/sessions/{session}', { params: { path: { session } } })),
  )
</script>

<template>
  <div class="page stack">
    <h1>Your account</h1>
    <p class="muted">{{ self.self?.mail }}</p>
    <p v-if="done !== ''" class="notice" role="status">{{ done }}</p>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <form class="row" aria-label="Name" @submit.prevent="rename">
      <ElInput v-model="name" class="short" aria-label="Your name" maxlength="120" />
      <ElButton native-type="submit" :disabled="name.trim() === '' || name === self.self?.name">Change name</ElButton>
    </form>
    <form class="row" aria-label="Password" @submit.prevent="change">
      <ElInput
        v-model="old"
        class="short"
        type="password"
        placeholder="Password now"
        aria-label="Password now"
        autocomplete="current-password"
      />
      <ElInput
        v-model="next"
        class="short"
        type="password"
        placeholder="New password, 12 characters or more"
        aria-label="New password, 12 characters or more"
        autocomplete="new-password"
      />
      <ElButton native-type="submit" :disabled="next.length < 12">Change password</ElButton>
    </form>
    <h2>Where you are signed in</h2>
    <AskState :state="state" what="your sessions" :problem="sessionsProblem" @again="load">
      <table class="plain">
        <thead>
          <tr>
            <th>Browser</th>
            <th>Address</th>
            <th>Since</th>
            <th>Last used</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in sessions" :key="s.id">
            <td class="agent">{{ s.agent }}</td>
            <td class="mono">{{ s.address }}</td>
            <td :title="moment(s.beganAt).zone">{{ moment(s.beganAt).text }}</td>
            <td :title="moment(s.seenAt).zone">{{ moment(s.seenAt).text }}</td>
            <td>
              <span v-if="s.here" class="muted">this browser</span>
              <button v-else class="linkish" @click="end(s.id)">Sign out</button>
            </td>
          </tr>
        </tbody>
      </table>
    </AskState>
  </div>
</template>

<style scoped>
.page {
  max-width: 960px;
  padding: 24px;
}
.short {
  width: 290px;
}
.agent {
  overflow-wrap: anywhere;
}
</style>
