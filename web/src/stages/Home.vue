<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { count, percent } from '@/api/words'
import { useCorpus } from '@/stores/corpus'

const corpus = useCorpus()
const router = useRouter()
const name = ref('')
const problem = ref('')

async function create(): Promise<void> {
  problem.value = ''
  try {
    const n = name.value.trim()
    await corpus.create(n)
    await router.push({ name: 'gather', params: { corpus: n } })
  } catch (e) {
    problem.value = (e as Error).message
  }
}
</script>

<template>
  <div class="home stack">
    <h1>Corpora</h1>
    <p class="muted">
      A corpus is one body of knowledge with its sources, settings and questions: what one assistant answers from.
    </p>
    <table v-if="corpus.all.length > 0" class="plain">
      <thead>
        <tr>
          <th>Corpus</th>
          <th class="num">Documents</th>
          <th class="num">Failed</th>
          <th class="num">Chunks</th>
          <th class="num">Passed in the last run</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in corpus.all" :key="c.id">
          <td>
            <RouterLink :to="{ name: 'gather', params: { corpus: c.name } }">{{ c.name }}</RouterLink>
          </td>
          <td class="num">{{ count(c.documents) }}</td>
          <td class="num" :class="{ bad: c.failed > 0 }">{{ count(c.failed) }}</td>
          <td class="num">{{ count(c.chunks) }}</td>
          <td class="num">{{ c.lastRun ? percent(c.lastRun.pass) : 'no run yet' }}</td>
        </tr>
      </tbody>
    </table>
    <form class="row" @submit.prevent="create">
      <ElInput
        v-model="name"
        class="name"
        placeholder="Name of a new corpus"
        aria-label="Name of a new corpus"
        maxlength="120"
      />
      <ElButton type="primary" native-type="submit" :disabled="name.trim() === ''">Make corpus</ElButton>
    </form>
    <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
  </div>
</template>

<style scoped>
.home {
  max-width: 860px;
  padding: 24px;
}
.name {
  width: 320px;
}
</style>
