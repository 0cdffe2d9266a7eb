<script setup lang="ts">
import { ref } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { useCorpus } from '@/stores/corpus'

/** A look at one page of a site: does the assistant show there, and what to do where it does not. */
const corpus = useCorpus()
const address = ref('')
const looked = ref<Schema['Looked']>()
const problem = ref('')
const busy = ref(false)

async function look(): Promise<void> {
  busy.value = true
  problem.value = ''
  try {
    looked.value = await ok(
      api.POST('/api/corpora/{corpus}/place/look', {
        params: { path: { corpus: corpus.name } },
        body: { address: address.value.trim() },
      }),
    )
  } catch (e) {
    looked.value = undefined
    problem.value = (e as Error).message
  }
  busy.value = false
}
</script>

<template>
  <section class="stack" aria-label="Check a page">
    <h2>Check a page</h2>
    <form class="row" @submit.prevent="look">
      <ElInput
        v-model="address"
        class="address"
        placeholder="https://www.example.org/contact"
        aria-label="Address of the page"
        maxlength="2000"
      />
      <ElButton native-type="submit" :loading="busy" :disabled="address.trim() === ''">Check</ElButton>
    </form>
    <p v-if="problem !== ''" class="bad" role="alert">{{ problem }}</p>
    <div v-if="looked" role="status">
      <p :class="looked.shows ? 'good' : 'bad'">
        {{ looked.shows ? 'The assistant shows on this page.' : 'The assistant does not show on this page.' }}
      </p>
      <ul class="points">
        <li v-for="p in looked.points" :key="p.name">
          <span :class="p.good ? 'good' : 'bad'">{{ p.good ? 'Right' : 'Wrong' }}</span>
          <span
            >{{ p.says
            }}<template v-if="p.cure"
              ><br /><span class="muted">{{ p.cure }}</span></template
            ></span
          >
        </li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.address {
  width: 360px;
}
.points {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
.points li {
  display: grid;
  grid-template-columns: 56px minmax(0, 1fr);
  gap: 8px;
  padding: 4px 0;
  border-top: 1px solid var(--line);
  overflow-wrap: anywhere;
}
</style>
