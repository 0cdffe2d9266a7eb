<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import { causeNames } from '@/api/names'
import { count } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { useProve } from './store'

/** Failures with one cause that one fix may cure, those that it cures most of first. */
const props = defineProps<{ run: string; set: string; ended: boolean }>()
const emit = defineEmits<{ show: [questions: string[]] }>()

const corpus = useCorpus()
const prove = useProve()
const router = useRouter()
const list = ref<Schema['DiagnoseCluster'][]>([])
const all = ref(false)
const shown = computed(() => (all.value ? list.value : list.value.slice(0, 4)))

async function load(): Promise<void> {
  if (!props.ended) return
  list.value =
    (await prove.attempt(() =>
      ok(
        api.GET('/api/corpora/{corpus}/runs/{run}/clusters', {
          params: { path: { corpus: corpus.name, run: props.run } },
        }),
      ),
    )) ?? []
}
watch(() => [props.run, props.ended, prove.running.length], load, { immediate: true })

async function attempt(c: Schema['DiagnoseCluster']): Promise<void> {
  const change = c.fix.change
  if (change === undefined) return
  const got = await prove.attempt(() =>
    ok(
      api.POST('/api/corpora/{corpus}/sets/{set}/tries', {
        params: { path: { corpus: corpus.name, set: props.set } },
        body: { change, note: c.fix.label },
      }),
    ),
  )
  if (got !== undefined) void router.push({ query: { run: got.run.id } })
}
</script>

<template>
  <section v-if="list.length > 0" aria-label="Failures with one fix">
    <h3>One fix for several</h3>
    <ul>
      <li v-for="c in shown" :key="c.cause + c.fix.label">
        <b>{{ c.fix.label }}</b>
        <span :class="c.cures > 0 ? 'good' : 'muted'">{{
          c.cures > 0
            ? `cures ${count(c.cures)} of ${count(c.questions.length)} tried one by one`
            : `proposed for ${count(c.questions.length)}, not tried yet`
        }}</span>
        <span class="muted">{{ causeNames[c.cause] }}</span>
        <button class="linkish" @click="emit('show', c.questions)">Show them</button>
        <ElButton size="small" :disabled="prove.running.length > 0" @click="attempt(c)">Try it on the set</ElButton>
      </li>
    </ul>
    <button v-if="list.length > 4" class="linkish" @click="all = !all">
      {{ all ? 'Show fewer' : `Show all ${list.length}` }}
    </button>
  </section>
</template>

<style scoped>
h3 {
  font-size: 12.5px;
  color: var(--muted);
  margin: 0 0 4px;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  margin-bottom: 4px;
}
li > * + * {
  margin-left: 10px;
}
</style>
