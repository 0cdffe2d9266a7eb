<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type DocumentRow, type Field, type Method, type Preview } from '@/api/client'
import { ByteText } from '@/api/bytes'
import { count, shortAddress } from '@/api/words'
import JobBar from '@/components/JobBar.vue'
import StrataView from '@/components/StrataView.vue'
import { useCorpus } from '@/stores/corpus'

const corpus = useCorpus()
const route = useRoute()
const router = useRouter()
const documents = ref<DocumentRow[]>([])
const fields = ref<Field[]>([])
const method = ref<Method>()
const applied = ref('')
const preview = ref<Preview>()
const problem = ref('')
const chosen = ref<number>()

type ChunkSettings = Method['chunk']
const strategies: Record<string, string> = { structure: 'By structure', fixed: 'Fixed tokens' }

/** The longest document shows most of what a setting does: the one to start with. */
const longest = computed(() =>
  documents.value.reduce((a, b) => (b.words > (a?.words ?? -1) ? b : a), documents.value[0]),
)
const documentId = computed({
  get: () => String(route.query.document ?? longest.value?.id ?? ''),
  set: (id) => void router.replace({ query: { ...route.query, document: id } }),
})
const chunkFields = computed(() => fields.value.filter((f) => f.key.startsWith('chunk.')))
const changed = computed(() => method.value !== undefined && JSON.stringify(method.value.chunk) !== applied.value)
const rebuilding = computed(() => corpus.active.filter((j) => j.kind === 'rebuild'))
const text = computed(() => new ByteText(preview.value?.document.text ?? ''))

/** The text in pieces: each chunk's own part, and what it repeats of the chunk before. */
const cuts = computed(() =>
  (preview.value?.chunks ?? []).map((c) => ({
    ordinal: c.ordinal,
    tokens: c.tokens,
    path: c.path ?? [],
    repeated: c.overlap ? text.value.slice(c.overlap.start, c.overlap.end) : '',
    own: text.value.slice(c.overlap ? c.overlap.end : c.span.start, c.span.end),
  })),
)

function keyOf(f: Field): keyof ChunkSettings {
  return f.key.slice('chunk.'.length) as keyof ChunkSettings
}

function set(f: Field, v: string | number | undefined): void {
  if (method.value === undefined || v === undefined) return
  method.value = { ...method.value, chunk: { ...method.value.chunk, [keyOf(f)]: v } }
}

async function redraw(): Promise<void> {
  if (method.value === undefined || documentId.value === '') return
  if (method.value.chunk.overlap >= method.value.chunk.size) {
    problem.value = 'The overlap must be smaller than the size.'
    return
  }
  try {
    preview.value = await ok(
      api.POST('/api/corpora/{corpus}/documents/{document}/preview', {
        params: { path: { corpus: corpus.name, document: documentId.value } },
        body: method.value.chunk,
      }),
    )
    problem.value = ''
  } catch (e) {
    problem.value = (e as Error).message
  }
}
const redrawSoon = useDebounceFn(redraw, 60)

async function apply(): Promise<void> {
  if (method.value === undefined) return
  corpus.saving++
  try {
    const saved = await ok(
      api.PUT('/api/corpora/{corpus}/method', { params: { path: { corpus: corpus.name } }, body: method.value }),
    )
    applied.value = JSON.stringify(saved.method.chunk)
    problem.value = ''
  } catch (e) {
    problem.value = (e as Error).message
  }
  corpus.saving--
}

function reset(): void {
  if (method.value !== undefined) method.value = { ...method.value, chunk: JSON.parse(applied.value) as ChunkSettings }
}

async function show(ordinal: number): Promise<void> {
  chosen.value = ordinal
  document.getElementById(`cut-${ordinal}`)?.scrollIntoView({ block: 'nearest' })
}

watch([() => method.value?.chunk, documentId], () => void redrawSoon(), { deep: true })
watch(changed, (c) => (corpus.unapplied = c ? 'Not applied' : ''))
onMounted(async () => {
  try {
    const path = { corpus: corpus.name }
    fields.value = await ok(api.GET('/api/settings'))
    method.value = await ok(api.GET('/api/corpora/{corpus}/method', { params: { path } }))
    applied.value = JSON.stringify(method.value.chunk)
    const list = await ok(api.GET('/api/corpora/{corpus}/documents', { params: { path, query: { limit: 10000 } } }))
    documents.value = list.documents.filter((d) => d.state === 'indexed' || d.state === 'unchanged')
    await redraw()
  } catch (e) {
    problem.value = (e as Error).message
  }
})
onUnmounted(() => (corpus.unapplied = ''))
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <h1>Chunking</h1>
      <template v-if="method !== undefined">
        <div v-for="f in chunkFields" :key="f.key" class="field">
          <span class="label"
            ><span>{{ f.label }}</span
            ><span class="muted figure">{{
              f.kind === 'choice' ? '' : `${method.chunk[keyOf(f)]} ${f.unit ?? ''}`
            }}</span></span
          >
          <ElRadioGroup
            v-if="f.kind === 'choice'"
            :model-value="String(method.chunk[keyOf(f)])"
            @update:model-value="(v) => set(f, String(v))"
          >
            <ElRadio v-for="c in f.choices" :key="c" :value="c">{{ strategies[c] ?? c }}</ElRadio>
          </ElRadioGroup>
          <ElSlider
            v-else
            :model-value="Number(method.chunk[keyOf(f)])"
            :min="f.min"
            :max="f.max"
            :aria-label="f.label"
            :show-tooltip="false"
            @update:model-value="(v) => set(f, Number(v))"
          />
          <p class="hint">{{ f.help }}</p>
        </div>
        <div v-if="changed" class="notice caution row" role="status">
          <span>The preview shows settings that are not applied.</span>
          <ElButton type="primary" @click="apply">Apply and rebuild</ElButton>
          <ElButton @click="reset">Undo</ElButton>
        </div>
        <JobBar v-for="j in rebuilding" :key="j.id" :job="j" />
      </template>
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
    </div>
    <div class="right stack">
      <p v-if="documents.length === 0" class="notice">
        There is nothing to cut yet.
        <RouterLink :to="{ name: 'gather', params: { corpus: corpus.name } }">Gather a site or files first.</RouterLink>
      </p>
      <template v-else>
        <div class="row">
          <ElSelect v-model="documentId" filterable class="choose" aria-label="Document">
            <ElOption
              v-for="d in documents"
              :key="d.id"
              :value="d.id"
              :label="`${d.title} — ${shortAddress(d.address)}`"
            />
          </ElSelect>
          <span v-if="preview" class="muted figure">
            {{ count(preview.stats.chunks) }} chunks of {{ preview.stats.smallest }} to
            {{ preview.stats.largest }} tokens, mean {{ preview.stats.mean.toFixed(0) }} ·
            <span :class="{ caution: preview.stats.cutSentences > 0 }"
              >{{ preview.stats.cutSentences }} cut sentences</span
            >
            · <span :class="{ caution: preview.stats.cutTables > 0 }">{{ preview.stats.cutTables }} cut tables</span> ·
            <span :class="{ caution: preview.stats.loneHeadings > 0 }"
              >{{ preview.stats.loneHeadings }} lone headings</span
            >
          </span>
        </div>
        <div class="cut-panes">
          <StrataView v-if="preview" :chunks="preview.chunks" :chosen="chosen" @choose="show" />
          <div class="text">
            <section
              v-for="c in cuts"
              :id="`cut-${c.ordinal}`"
              :key="c.ordinal"
              :class="{ chosen: c.ordinal === chosen }"
            >
              <p class="muted figure head">
                <b>{{ c.ordinal + 1 }}</b> · {{ c.tokens }} tokens<template v-if="c.path.length > 0">
                  · {{ c.path.join(' › ') }}</template
                >
              </p>
              <p class="mono body">
                <span v-if="c.repeated !== ''" class="repeated" title="Repeated from the chunk before">{{
                  c.repeated
                }}</span>{{ c.own }}
              </p>
            </section>
          </div>
        </div>
      </template>
    </div>
  </div>
</template>

<style scoped>
.choose {
  width: 340px;
}
.cut-panes {
  display: grid;
  grid-template-columns: 84px minmax(0, 1fr);
  gap: 18px;
  align-items: start;
}
.cut-panes > .strata {
  position: sticky;
  top: 0;
  max-height: calc(100vh - 190px);
  overflow: auto;
}
.text section {
  background: var(--raised);
  border: 1px solid var(--line);
  border-left: 3px solid var(--accent);
  padding: 6px 12px 8px;
  margin-bottom: 10px;
}
.text section.chosen {
  border-color: var(--accent);
}
.head {
  margin: 0 0 4px;
  font-size: 12px;
}
.body {
  margin: 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-width: 96ch;
}
.repeated {
  background: repeating-linear-gradient(-45deg, var(--accent-soft) 0 4px, transparent 4px 8px);
  color: var(--muted);
}
</style>
