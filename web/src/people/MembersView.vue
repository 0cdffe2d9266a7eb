<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, ok } from '@/api/client'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import { roleLabel, roles, useSelf } from '@/stores/self'
import InvitationList from './InvitationList.vue'
import InviteForm from './InviteForm.vue'

/** Who may do what with one corpus. */
const corpus = useCorpus()
const self = useSelf()
const path = () => ({ corpus: corpus.name })
const {
  value: members,
  state,
  problem,
  load,
} = useAsk(() => ok(api.GET('/api/corpora/{corpus}/people', { params: { path: path() } })))
const failed = ref('')
const owns = computed(() => self.may(corpus.name, 'own'))

async function attempt(call: () => Promise<unknown>): Promise<void> {
  try {
    await call()
    failed.value = ''
  } catch (e) {
    failed.value = (e as Error).message
  }
  await load()
}

const set = (person: string, role: string) =>
  attempt(() =>
    ok(
      api.PUT('/api/corpora/{corpus}/people/{person}', {
        params: { path: { ...path(), person } },
        body: { role: role as '' | 'see' },
      }),
    ),
  )

const withdraw = (invitation: string) =>
  attempt(() =>
    ok(api.DELETE('/api/corpora/{corpus}/invitations/{invitation}', { params: { path: { ...path(), invitation } } })),
  )
</script>

<template>
  <div class="page stack">
    <h1>People of {{ corpus.name }}</h1>
    <p v-if="self.self?.signsIn === false" class="notice">
      Nobody signs in here: whoever is at this machine may do everything.
      <RouterLink :to="{ name: 'people' }">Have people sign in</RouterLink>
    </p>
    <InviteForm v-if="owns && self.self?.signsIn" :corpus="corpus.name" @invited="load" />
    <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
    <AskState :state="state" what="the people" :problem="problem" @again="load">
      <table v-if="(members?.people ?? []).length > 0" class="plain">
        <thead>
          <tr>
            <th>Name</th>
            <th>Mail address</th>
            <th>Role</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in members?.people" :key="p.id">
            <td>{{ p.name }}<span v-if="p.endedAt" class="muted"> · may not come in</span></td>
            <td class="mono">{{ p.mail }}</td>
            <td>
              <template v-if="p.owner">Owner of the installation</template>
              <ElSelect
                v-else-if="owns"
                :model-value="p.roles[corpus.name] ?? ''"
                size="small"
                class="role"
                :aria-label="`Role of ${p.name}`"
                @change="(r: string) => set(p.id, r)"
              >
                <ElOption v-for="r in roles" :key="r.name" :value="r.name" :label="r.label" />
                <ElOption value="" label="None: remove from this corpus" />
              </ElSelect>
              <template v-else>{{ roleLabel(p.roles[corpus.name] ?? '') }}</template>
            </td>
          </tr>
        </tbody>
      </table>
      <InvitationList v-if="members" :list="members.invitations" @withdraw="withdraw" />
    </AskState>
    <h2>What each role allows</h2>
    <table class="plain">
      <tbody>
        <tr v-for="r in roles" :key="r.name">
          <td>
            <b>{{ r.label }}</b>
          </td>
          <td>{{ r.may }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.page {
  max-width: 960px;
  padding: 24px;
}
.role {
  width: 230px;
}
</style>
