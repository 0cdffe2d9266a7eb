import { createPinia, setActivePinia } from 'pinia'
import { effectScope, ref } from 'vue'
import { beforeEach, describe, expect, it } from 'vitest'
import { useAsk } from './ask'
import { useCorpus } from './corpus'

/** Runs an ask outside of a view, and lets what it waits for come. */
async function asked<T>(ask: () => Promise<T>, when: Parameters<typeof useAsk>[1] = []) {
  const scope = effectScope()
  const got = scope.run(() => useAsk(ask, when))
  await flush()
  if (got === undefined) throw new Error('the scope has ended')
  return { ...got, stop: () => scope.stop() }
}
const flush = async (): Promise<void> => {
  for (let i = 0; i < 5; i++) await Promise.resolve()
}

describe('asking the server', () => {
  beforeEach(() => setActivePinia(createPinia()))

  it('is loading, then there, and never two of these', async () => {
    let come: (v: number) => void = () => undefined
    const a = await asked(() => new Promise<number>((done) => (come = done)))
    expect(a.state.value).toBe('loading')
    come(7)
    await flush()
    expect(a.state.value).toBe('there')
    expect(a.value.value).toBe(7)
    a.stop()
  })

  it('says what failed, asks again when told, and heals when the connection is back', async () => {
    let fail = true
    const corpus = useCorpus()
    const a = await asked(() => (fail ? Promise.reject(new Error('500')) : Promise.resolve('x')))
    expect(a.state.value).toBe('failed')
    expect(a.problem.value).toBe('500')
    await a.load()
    expect(a.state.value).toBe('failed')
    fail = false
    corpus.connected = true
    await flush()
    expect(a.state.value).toBe('there')
    a.stop()
  })

  it('lets the latest call win and forgets what belongs to another question', async () => {
    const which = ref('slow')
    const answers: Record<string, (v: string) => void> = {}
    const a = await asked(() => {
      const mine = which.value
      return new Promise<string>((done) => (answers[mine] = done))
    }, [which])
    which.value = 'quick'
    await flush()
    answers['quick']?.('quick')
    await flush()
    answers['slow']?.('slow')
    await flush()
    expect(a.value.value).toBe('quick')
    which.value = 'other'
    await flush()
    expect(a.state.value).toBe('loading')
    a.stop()
  })
})
