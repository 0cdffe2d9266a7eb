<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { moment } from '@/api/words'
import { useCorpus } from '@/stores/corpus'

/** Releases, a frozen method plus index each, and how the draft came about. The gate, the widget, the share link and the open endpoints are to come. */
const corpus = useCorpus()
const releases = ref<Schema['Release'][]>([])
const changes = ref<Schema['MethodChange'][]>([])
const note = ref('')
const problem = ref('')

async function load(): Promise<void> {
  try {
    const params = { path: { corpus: corpus.name } }
    const [made, history] = await Promise.all([
      ok(api.GET('/api/corpora/{corpus}/releases', { params })),
      ok(api.GET('/api/corpora/{corpus}/method/history', { params })),
    ])
    releases.value = made
    changes.value = history
  } catch (e) {
    problem.value = (e as Error).message
  }
}

async function release(): Promise<void> {
  problem.value = ''
  try {
    await ok(
      api.POST('/api/corpora/{corpus}/releases', {
        params: { path: { corpus: corpus.name } },
        body: { note: note.value },
      }),
    )
    note.value = ''
    await Promise.all([load(), corpus.load()])
  } catch (e) {
    problem.value = (e as Error).message
  }
}

async function bringBack(c: Schema['MethodChange']): Promise<void> {
  problem.value = ''
  try {
    await ok(
      api.POST('/api/corpora/{corpus}/method/history/{number}', {
        params: { path: { corpus: corpus.name, number: c.number } },
      }),
    )
    await Promise.all([load(), corpus.load()])
  } catch (e) {
    problem.value = (e as Error).message
  }
}

/** Where what was measured can be looked at again. */
const measured = (e: Schema['Measured']) => ({
  name: 'prove',
  params: { corpus: corpus.name },
  query: e.run ? { run: e.run } : { view: 'trials' },
})

onMounted(load)
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <h1>Serve</h1>
      <p>
        A release freezes the draft with its index. What is gathered and changed afterwards does not touch it; the sheet
        in Answer reads the draft beside it.
      </p>
      <label class="field">
        <span class="label">What it is for</span>
        <ElInput v-model="note" maxlength="500" placeholder="winter fares, new bar" />
      </label>
      <ElButton type="primary" @click="release">Release the draft</ElButton>
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
      <p class="muted">The gate, roll-back, the widget, the share link and the open endpoints will stand here.</p>
    </div>
    <div class="right stack">
      <h2>Releases</h2>
      <p v-if="releases.length === 0" class="notice">No release yet.</p>
      <table v-else class="plain releases">
        <thead>
          <tr>
            <th class="num">Number</th>
            <th>When</th>
            <th>What for</th>
            <th>Method</th>
            <th>Index</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in releases" :key="r.number">
            <td class="num figure">{{ r.number }}</td>
            <td :title="moment(r.at).zone">{{ moment(r.at).text }}</td>
            <td>{{ r.note }}</td>
            <td class="mono">{{ r.method.slice(0, 12) }}</td>
            <td class="mono">{{ r.snapshot.slice(0, 12) }}</td>
          </tr>
        </tbody>
      </table>
      <template v-if="(corpus.current?.release?.settings ?? []).length > 0">
        <h2>What changed in the draft since release {{ corpus.current?.release?.number }}</h2>
        <table class="plain">
          <tbody>
            <tr v-for="s in corpus.current?.release?.settings" :key="s.key">
              <td>{{ s.label }}</td>
              <td>{{ s.before }}</td>
              <td>{{ s.after }}</td>
            </tr>
          </tbody>
        </table>
      </template>
      <template v-if="changes.length > 0">
        <h2>Draft history</h2>
        <table class="plain changes">
          <thead>
            <tr>
              <th>When</th>
              <th>What changed</th>
              <th>Evidence</th>
              <th />
            </tr>
          </thead>
          <tbody>
            <tr v-for="(c, i) in changes" :key="c.number">
              <td :title="moment(c.at).zone">{{ moment(c.at).text }}</td>
              <td>
                <template v-if="c.number === 0">what it was at first</template>
                <div v-if="c.why !== ''">{{ c.why }}</div>
                <div v-for="s in c.settings" :key="s.key" class="muted">
                  {{ s.label }}: {{ s.before || 'none' }} → {{ s.after || 'none' }}
                </div>
              </td>
              <td>
                <RouterLink v-if="c.evidence" :to="measured(c.evidence)">{{ c.evidence.text }}</RouterLink>
              </td>
              <td>
                <button
                  v-if="i > 0"
                  class="linkish"
                  title="The settings as they were then; documents stay"
                  @click="bringBack(c)"
                >
                  Bring back
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </template>
    </div>
  </div>
</template>
