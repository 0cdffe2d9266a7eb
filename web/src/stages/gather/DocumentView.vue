<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, ok, type Chunk, type OpenDocument, type Schema } from '@/api/client'
import { ByteText } from '@/api/bytes'
import { clock, count, moment } from '@/api/words'
import StrataView from '@/components/StrataView.vue'
import { useCorpus } from '@/stores/corpus'

const corpus = useCorpus()
const route = useRoute()
const doc = ref<OpenDocument>()
const chunks = ref<Chunk[]>([])
const chosen = ref<number>()
const problem = ref('')
const blocksShown = ref(false)

const from = computed(() => Number(route.query.from ?? -1))
const to = computed(() => Number(route.query.to ?? -1))
const bytes = computed(() => new ByteText(doc.value?.text ?? ''))
const isWeb = computed(() => /^https?:/.test(doc.value?.address ?? ''))

type Block = Schema['Block']

function cited(b: { span: { start: number; end: number } }): boolean {
  return from.value >= 0 && b.span.start < to.value && from.value < b.span.end
}

function parts(b: Block): { text: string; lit: boolean }[] {
  const s = b.span
  if (!cited(b)) return [{ text: bytes.value.slice(s.start, s.end), lit: false }]
  const a = Math.max(s.start, from.value)
  const z = Math.min(s.end, to.value)
  return [
    { text: bytes.value.slice(s.start, a), lit: false },
    { text: bytes.value.slice(a, z), lit: true },
    { text: bytes.value.slice(z, s.end), lit: false },
  ]
}

function tagOf(b: Block): string {
  if (b.kind === 'heading') return `h${Math.min(6, (b.level ?? 1) + 1)}`
  return b.kind === 'code' ? 'pre' : 'p'
}

async function show(ordinal: number): Promise<void> {
  chosen.value = ordinal
  const c = chunks.value[ordinal]
  if (c === undefined || doc.value === undefined) return
  const i = doc.value.blocks.findIndex((b) => b.span.end > c.span.start)
  await nextTick()
  document.getElementById(`block-${i}`)?.scrollIntoView({ block: 'start' })
}

watch(
  () => [route.params.document, route.query.version, from.value],
  async () => {
    try {
      const path = { corpus: corpus.name, document: String(route.params.document) }
      doc.value = await ok(
        api.GET('/api/corpora/{corpus}/documents/{document}', {
          params: { path, query: { version: String(route.query.version ?? '') } },
        }),
      )
      const m = await ok(api.GET('/api/corpora/{corpus}/method', { params: { path } }))
      const p = await ok(
        api.POST('/api/corpora/{corpus}/documents/{document}/preview', { params: { path }, body: m.chunk }),
      )
      chunks.value = p.chunks
      problem.value = ''
      await nextTick()
      document.querySelector('.reading mark')?.scrollIntoView({ block: 'center' })
    } catch (e) {
      problem.value = (e as Error).message
    }
  },
  { immediate: true },
)
</script>

<template>
  <div class="panes">
    <div class="left stack">
      <RouterLink :to="{ name: 'gather', params: { corpus: corpus.name } }">All documents</RouterLink>
      <p v-if="problem !== ''" class="notice bad" role="alert">{{ problem }}</p>
      <template v-if="doc !== undefined">
        <h1>{{ doc.title === '' ? doc.address : doc.title }}</h1>
        <p>
          <a v-if="isWeb" :href="doc.address" target="_blank" rel="noreferrer" class="mono">{{ doc.address }}</a>
          <span v-else class="mono">{{ doc.address }}</span>
        </p>
        <table class="plain">
          <tbody>
            <tr>
              <th>State</th>
              <td>{{ doc.state }}</td>
            </tr>
            <tr v-if="doc.reason !== ''">
              <th>Reason</th>
              <td>{{ doc.reason }}</td>
            </tr>
            <tr>
              <th>Words</th>
              <td class="figure">{{ count(doc.words) }}</td>
            </tr>
            <tr>
              <th>Chunks</th>
              <td class="figure">{{ count(chunks.length) }}</td>
            </tr>
            <tr v-if="doc.foundOn !== ''">
              <th>Found on</th>
              <td class="mono wrap">{{ doc.foundOn }}</td>
            </tr>
            <tr>
              <th>Changed</th>
              <td :title="moment(doc.changedAt).zone">{{ moment(doc.changedAt).text }}</td>
            </tr>
          </tbody>
        </table>
        <p v-for="n in doc.notes" :key="n" class="notice caution">{{ n }}</p>
        <ElCheckbox v-model="blocksShown">Show each block with its heading path</ElCheckbox>
        <h2>Strata</h2>
        <StrataView :chunks="chunks" :chosen="chosen" @choose="show" />
      </template>
    </div>
    <div class="right" tabindex="0" role="region" aria-label="Text of the document">
      <article v-if="doc !== undefined" class="reading">
        <p v-if="doc.blocks.length === 0" class="notice">
          There is no text. {{ doc.reason === '' ? 'It has not been fetched yet.' : `Reason: ${doc.reason}.` }}
        </p>
        <template v-for="(b, i) in doc.blocks" :key="i">
          <p v-if="blocksShown" class="muted about">{{ [b.kind, ...b.path].join(' › ') }}</p>
          <figure v-if="b.kind === 'table' && b.grid" :id="`block-${i}`">
            <figcaption v-if="b.grid.caption">{{ b.grid.caption }}</figcaption>
            <table class="plain">
              <thead v-if="(b.grid.header ?? []).length > 0">
                <tr>
                  <th v-for="(h, k) in b.grid.header" :key="k">{{ h }}</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="(r, k) in b.grid.rows" :key="k">
                  <td v-for="(c, n) in r.cells" :key="n">
                    <mark v-if="cited(r)">{{ c.text }}</mark><template v-else>{{ c.text }}</template>
                  </td>
                </tr>
              </tbody>
            </table>
          </figure>
          <component :is="tagOf(b)" v-else :id="`block-${i}`" :class="[b.kind, `depth-${b.level ?? 0}`]">
            <span v-if="b.kind === 'cue'" class="mono muted">{{ clock(b.place?.from ?? 0) }} </span>
            <span v-if="b.kind === 'item'" class="bullet">{{ b.ordinal ? b.ordinal : '•' }}</span>
            <template v-for="(p, k) in parts(b)" :key="k"
              ><mark v-if="p.lit">{{ p.text }}</mark
              ><template v-else>{{ p.text }}</template></template
            >
          </component>
        </template>
      </article>
    </div>
  </div>
</template>

<style scoped>
.wrap {
  overflow-wrap: anywhere;
}
.reading {
  max-width: 72ch;
  font-size: 15px;
  line-height: 1.55;
}
.reading :is(h2, h3, h4, h5, h6) {
  margin: 1.1em 0 0.4em;
  font-size: 16px;
}
.reading h2 {
  font-size: 20px;
}
.reading h3 {
  font-size: 17px;
}
.reading p {
  margin: 0 0 0.7em;
}
.about {
  margin: 0.6em 0 0 !important;
  font-size: 12px;
  border-top: 1px solid var(--line);
}
.item {
  padding-left: 22px;
  position: relative;
  margin-bottom: 0.3em !important;
}
.depth-2 {
  margin-left: 22px;
}
.depth-3 {
  margin-left: 44px;
}
.bullet {
  position: absolute;
  left: 2px;
  color: var(--muted);
}
figure {
  margin: 0 0 1em;
}
figcaption {
  font-weight: 600;
  margin-bottom: 4px;
}
pre {
  background: var(--sunk);
  padding: 10px;
  overflow: auto;
  font: 12.5px/1.5 var(--mono);
}
</style>
