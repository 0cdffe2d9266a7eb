<script setup lang="ts">
import { ref, watch } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import { count, moment } from '@/api/words'
import { useCorpus } from '@/stores/corpus'

const props = defineProps<{ document: string; from: string; to: string }>()
const corpus = useCorpus()
const comparison = ref<Schema['Comparison']>()
const problem = ref('')

watch(
  () => [props.document, props.from, props.to],
  async () => {
    try {
      comparison.value = await ok(
        api.GET('/api/corpora/{corpus}/documents/{document}/changes', {
          params: {
            path: { corpus: corpus.name, document: props.document },
            query: { from: props.from, to: props.to },
          },
        }),
      )
      problem.value = ''
    } catch (e) {
      problem.value = (e as Error).message
    }
  },
  { immediate: true },
)
</script>

<template>
  <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
  <section v-if="comparison !== undefined" class="stack" aria-label="What changed">
    <p>
      From {{ moment(comparison.from.fetchedAt).text }} to {{ moment(comparison.to.fetchedAt).text }}.
      <RouterLink :to="{ query: {} }">Show the whole text</RouterLink>
    </p>
    <template v-for="(c, i) in comparison.changes" :key="i">
      <p v-if="c.op === 'same'" class="muted same">{{ count(c.count ?? 0) }} blocks as before</p>
      <div v-else :class="['change', c.op]">
        <p class="what">
          <b>{{ c.op }}</b> {{ c.kind }}<span v-if="c.under" class="muted"> under “{{ c.under }}”</span>
        </p>
        <p v-if="c.op === 'changed'">
          <template v-for="(p, k) in c.parts ?? []" :key="k"
            ><del v-if="p.op === 'removed'">{{ p.text }}</del
            ><ins v-else-if="p.op === 'added'">{{ p.text }}</ins
            ><template v-else>{{ p.text }}</template
            >{{ ' ' }}</template
          >
        </p>
        <p v-else-if="c.op === 'removed'">
          <del>{{ c.before }}</del>
        </p>
        <p v-else>
          <ins>{{ c.after }}</ins>
        </p>
      </div>
    </template>
  </section>
</template>

<style scoped>
.change {
  background: var(--raised);
  border-left: 3px solid var(--control);
  padding: 6px 12px;
  margin-top: 8px !important;
  max-width: 80ch;
}
.change p {
  margin: 0;
}
.what {
  font-size: 12.5px;
}
.same {
  margin: 8px 0 0 !important;
  font-size: 12.5px;
}
del {
  color: var(--bad);
}
ins {
  color: var(--good);
  text-decoration: underline;
  text-underline-offset: 2px;
}
</style>
