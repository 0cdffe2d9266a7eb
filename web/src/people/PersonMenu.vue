<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { useCorpus } from '@/stores/corpus'
import { roleLabel, useSelf } from '@/stores/self'

/** Who is here, at the right end of the stage line, with what belongs to people: account, people, audit trail, signing out. */
const self = useSelf()
const corpus = useCorpus()
const router = useRouter()

const who = computed(() => (self.self?.signsIn === true ? (self.self.name ?? '') : 'This machine'))
const role = computed(() => {
  if (self.isOwner) return self.self?.signsIn === true ? 'Owner' : 'No sign-in'
  return corpus.name === '' ? '' : roleLabel(self.self?.roles[corpus.name] ?? '')
})

function go(to: string): void {
  if (to === 'out') void self.signOut()
  else if (to === 'members' || to === 'keeping') void router.push({ name: to, params: { corpus: corpus.name } })
  else void router.push({ name: to })
}
</script>

<template>
  <ElDropdown class="person" trigger="click" @command="go">
    <button class="who" title="Account and people">
      <span class="name">{{ who }}</span>
      <span class="muted">{{ role }}</span>
    </button>
    <template #dropdown>
      <ElDropdownMenu>
        <ElDropdownItem v-if="self.self?.signsIn" command="account">Your account</ElDropdownItem>
        <ElDropdownItem v-if="corpus.name !== ''" command="members">People of this corpus</ElDropdownItem>
        <ElDropdownItem v-if="corpus.name !== ''" command="keeping">What is kept of it</ElDropdownItem>
        <ElDropdownItem v-if="self.isOwner" command="people">All people</ElDropdownItem>
        <ElDropdownItem v-if="self.isOwner" command="audit">Audit trail</ElDropdownItem>
        <ElDropdownItem v-if="self.self?.signsIn" command="out" divided>Sign out</ElDropdownItem>
      </ElDropdownMenu>
    </template>
  </ElDropdown>
</template>

<style scoped>
.person {
  margin-left: auto;
  border-left: 1px solid var(--line);
}
.who {
  display: flex;
  flex-direction: column;
  justify-content: center;
  align-items: flex-start;
  height: 100%;
  padding: 0 14px;
  border: 0;
  background: none;
  color: var(--ink);
  cursor: pointer;
  font-size: 12px;
  max-width: 150px;
}
.who:hover {
  background: var(--ground);
}
.name {
  font-weight: 600;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
