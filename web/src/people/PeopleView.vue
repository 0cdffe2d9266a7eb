<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import { moment } from '@/api/words'
import AskState from '@/components/AskState.vue'
import ConnectionForm from '@/components/ConnectionForm.vue'
import { useAsk } from '@/stores/ask'
import { roleLabel, useSelf } from '@/stores/self'
import InvitationList from './InvitationList.vue'
import InviteForm from './InviteForm.vue'

/** Everybody who works here. Where nobody signs in yet, the way to begin with it. */
const self = useSelf()
const router = useRouter()
const { value: people, state, problem, load: loadPeople } = useAsk(() => ok(api.GET('/api/people')))
const { value: invitations, load: loadInvitations } = useAsk(() => ok(api.GET('/api/invitations')))
const failed = ref('')
const link = ref('')
const load = () => Promise.all([loadPeople(), loadInvitations()])

async function attempt(call: () => Promise<unknown>): Promise<void> {
  link.value = ''
  try {
    await call()
    failed.value = ''
  } catch (e) {
    failed.value = (e as Error).message
  }
  await load()
}

const change = (person: string, body: Schema['PersonChange']) =>
  attempt(() => ok(api.PATCH('/api/people/{person}', { params: { path: { person } }, body })))
const signOut = (person: string) =>
  attempt(() => ok(api.POST('/api/people/{person}/sign-out', { params: { path: { person } } })))
const withdraw = (invitation: string) =>
  attempt(() => ok(api.DELETE('/api/invitations/{invitation}', { params: { path: { invitation } } })))
const newPassword = (person: string, name: string) =>
  attempt(async () => {
    const got = await ok(api.POST('/api/people/{person}/password', { params: { path: { person } } }))
    link.value = `Give this link to ${name}; it is shown once: ${window.location.origin}/welcome/${got.token}`
  })

/** The first owner: from then on everybody signs in. */
const begin = () =>
  attempt(async () => {
    const got = await ok(api.POST('/api/invitations', { body: { owner: true } }))
    await router.push({ name: 'welcome', params: { token: got.token } })
  })

function act(p: Schema['Person'], what: string): void {
  if (what === 'owner') void change(p.id, { owner: !p.owner })
  else if (what === 'ended') void change(p.id, { ended: (p.endedAt ?? '') === '' })
  else if (what === 'password') void newPassword(p.id, p.name)
  else void signOut(p.id)
}

const allowed = (p: Schema['Person']) =>
  p.owner
    ? 'everything'
    : Object.entries(p.roles)
        .map(([corpus, role]) => `${roleLabel(role)}: ${corpus}`)
        .join(', ') || 'nothing yet'
</script>

<template>
  <div class="page stack">
    <h1>People</h1>
    <div v-if="self.self?.signsIn === false" class="notice stack">
      <p>
        Nobody signs in here: whoever is at this machine may do everything, and the program listens on this machine
        only. As soon as there is an owner, everybody signs in.
      </p>
      <ElButton type="primary" @click="begin">Become the owner</ElButton>
    </div>
    <template v-else>
      <p class="muted">
        Owners may do everything. Others are invited to a corpus: open it, then choose "People of this corpus".
      </p>
      <InviteForm @invited="load" />
    </template>
    <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
    <p v-if="link !== ''" class="notice link" role="status">{{ link }}</p>
    <AskState :state="state" what="the people" :problem="problem" @again="load">
      <table v-if="(people ?? []).length > 0" class="plain">
        <thead>
          <tr>
            <th>Name</th>
            <th>Mail address</th>
            <th>May do</th>
            <th>Last here</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in people" :key="p.id">
            <td>{{ p.name }}</td>
            <td class="mono">{{ p.mail }}</td>
            <td>
              <span v-if="p.endedAt" class="caution">may not come in</span>
              <template v-else>{{ allowed(p) }}</template>
            </td>
            <td :title="moment(p.seenAt ?? '').zone">{{ moment(p.seenAt ?? '').text }}</td>
            <td>
              <ElDropdown trigger="click" @command="(what: string) => act(p, what)">
                <button class="linkish" :aria-label="`Change ${p.name}`">Change</button>
                <template #dropdown>
                  <ElDropdownMenu>
                    <ElDropdownItem command="owner">{{
                      p.owner ? 'No longer an owner' : 'Make an owner'
                    }}</ElDropdownItem>
                    <ElDropdownItem command="password" :disabled="!!p.endedAt">Link for a new password</ElDropdownItem>
                    <ElDropdownItem command="out">Sign out everywhere</ElDropdownItem>
                    <ElDropdownItem command="ended" divided>{{
                      p.endedAt ? 'Let in again' : 'Do not let in any more'
                    }}</ElDropdownItem>
                  </ElDropdownMenu>
                </template>
              </ElDropdown>
            </td>
          </tr>
        </tbody>
      </table>
      <InvitationList :list="invitations ?? []" @withdraw="withdraw" />
    </AskState>
    <template v-if="self.self?.signsIn">
      <h2>Sign-in through your organisation</h2>
      <ConnectionForm
        kind="signin"
        label="OpenID Connect"
        connected="People can sign in through"
        unconnected="People sign in with a password"
      />
      <p class="hint">
        Whoever signs in there with a mail address that has an account or an invitation here comes in. Second factors
        are asked for there.
      </p>
    </template>
  </div>
</template>

<style scoped>
.page {
  max-width: 1060px;
  padding: 24px;
}
.link {
  overflow-wrap: anywhere;
}
</style>
