import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, ok, onSignedOut, type Schema } from '@/api/client'
import vocabulary from '@/api/vocabulary.json'

export type Role = Schema['NamedRole']['name']

/** What a person may do with a corpus, the least first; each holds those before it. */
export const roles = vocabulary.roles as Schema['NamedRole'][]
export const roleLabel = (name: string): string => roles.find((r) => r.name === name)?.label ?? ''

/** Who is here, and what they may do. The server decides: this only says beforehand what it would say. */
export const useSelf = defineStore('self', () => {
  const self = ref<Schema['Self']>()
  const problem = ref('')

  async function load(): Promise<void> {
    try {
      self.value = await ok(api.GET('/api/self'))
      problem.value = ''
    } catch (e) {
      problem.value = (e as Error).message
    }
  }

  function take(s: Schema['Self']): void {
    self.value = s
  }

  const isOwner = computed(() => self.value?.owner ?? false)

  function may(corpus: string, need: Role): boolean {
    if (isOwner.value) return true
    const have = self.value?.roles[corpus] ?? ''
    return roles.findIndex((r) => r.name === have) >= roles.findIndex((r) => r.name === need)
  }

  async function signOut(): Promise<void> {
    await ok(api.POST('/api/sign-out'))
    window.location.assign('/') // nothing of what was shown stays in memory
  }

  onSignedOut(() => void load())
  return { self, problem, isOwner, load, take, may, signOut }
})
