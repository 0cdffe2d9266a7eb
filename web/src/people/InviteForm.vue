<script setup lang="ts">
import { ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { roles, type Role } from '@/stores/self'

/** Invites somebody: to a corpus with a role, or, where no corpus is named, to own the installation. The link is shown once. */
const props = defineProps<{ corpus?: string }>()
const emit = defineEmits<{ invited: [] }>()
const mail = ref('')
const role = ref<Role>('write')
const send = ref(false)
const problem = ref('')
const got = ref<Schema['Invited']>()
const busy = ref(false)

const link = () => `${window.location.origin}/welcome/${got.value?.token ?? ''}`

async function invite(): Promise<void> {
  busy.value = true
  got.value = undefined
  try {
    const to = mail.value.trim()
    got.value =
      props.corpus === undefined
        ? await ok(api.POST('/api/invitations', { body: { mail: to, owner: true, send: send.value } }))
        : await ok(
            api.POST('/api/corpora/{corpus}/invitations', {
              params: { path: { corpus: props.corpus } },
              body: { mail: to, role: role.value, send: send.value },
            }),
          )
    problem.value = ''
    mail.value = ''
    emit('invited')
  } catch (e) {
    problem.value = (e as Error).message
  }
  busy.value = false
}
</script>

<template>
  <form class="stack" :aria-label="corpus ? 'Invite somebody' : 'Invite an owner'" @submit.prevent="invite">
    <div class="row">
      <ElInput
        v-model="mail"
        class="mail"
        type="email"
        placeholder="Mail address"
        aria-label="Mail address"
        maxlength="254"
      />
      <ElSelect v-if="corpus" v-model="role" class="role" aria-label="Role">
        <ElOption v-for="r in roles" :key="r.name" :value="r.name" :label="r.label" />
      </ElSelect>
      <ElCheckbox v-model="send" :disabled="mail.trim() === ''">Send the link by mail</ElCheckbox>
      <ElButton type="primary" native-type="submit" :loading="busy">{{
        corpus ? 'Invite' : 'Invite an owner'
      }}</ElButton>
    </div>
    <p class="hint">Without a mail address, the link works once for whoever has it. Links work for seven days.</p>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    <p v-if="got && got.token === ''" class="notice" role="status">
      {{ got.person }} works here already and has the role now.
    </p>
    <p v-else-if="got" class="notice" role="status">
      <template v-if="got.mailed">The link was sent to {{ got.mail }}. </template>It is shown once:
      <span class="mono link">{{ link() }}</span>
    </p>
  </form>
</template>

<style scoped>
.mail {
  width: 260px;
}
.role {
  width: 130px;
}
.link {
  overflow-wrap: anywhere;
}
</style>
