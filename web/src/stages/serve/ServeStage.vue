<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { moment } from '@/api/words'
import { useCorpus } from '@/stores/corpus'

/** Releases: a frozen method plus index each. The gate, the widget, the share link and the open endpoints are to come. */
const corpus = useCorpus()
const releases = ref<Schema['Release'][]>([])
const note = ref('')
const problem = ref('')

async function load(): Promise<void> {
  try {
    releases.value = await ok(api.GET('/api/corpora/{corpus}/releases', { params: { path: { corpus: corpus.name } } }))
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
      <table v-else class="plain">
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
    </div>
  </div>
</template>
