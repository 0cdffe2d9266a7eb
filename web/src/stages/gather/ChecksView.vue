<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import { count, shortAddress } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { useSources } from './store'

type Finding = Schema['Finding']

const corpus = useCorpus()
const sources = useSources()
const route = useRoute()
const router = useRouter()
const all = ref<Finding[]>([])
const loaded = ref(false)
const kind = computed({
  get: () => String(route.query.kind ?? 'all'),
  set: (k) => void router.replace({ query: k === 'all' ? {} : { kind: k } }),
})
const dismissedToo = ref(false)
const shown = computed(() =>
  all.value.filter((f) => (kind.value === 'all' || f.kind === kind.value) && (dismissedToo.value || !f.dismissed)),
)
const byKind = computed(() => {
  const out = new Map<string, number>()
  for (const f of all.value) if (!f.dismissed) out.set(f.kind, (out.get(f.kind) ?? 0) + 1)
  return out
})

async function load(): Promise<void> {
  try {
    all.value = await ok(api.GET('/api/corpora/{corpus}/findings', { params: { path: { corpus: corpus.name } } }))
    loaded.value = true
  } catch (e) {
    sources.problem = (e as Error).message
  }
}

async function check(): Promise<void> {
  await sources.attempt(async () => {
    await ok(api.POST('/api/corpora/{corpus}/findings/check', { params: { path: { corpus: corpus.name } } }))
    return undefined
  })
}

async function dismiss(f: Finding): Promise<void> {
  await sources.attempt(async () => {
    await ok(
      api.POST('/api/corpora/{corpus}/findings/dismiss', {
        params: { path: { corpus: corpus.name } },
        body: { findings: [f.id], back: f.dismissed },
      }),
    )
    return undefined
  })
  await load()
}

const told = ref<Record<string, string>>({})

/** Two sources that disagree are something to mend. */
async function snag(f: Finding): Promise<void> {
  try {
    const made = await ok(
      api.POST('/api/corpora/{corpus}/snags', {
        params: { path: { corpus: corpus.name } },
        body: { finding: f.id, text: `${f.kind}: ${f.detail}` },
      }),
    )
    told.value[f.id] = made.id
  } catch (e) {
    sources.problem = (e as Error).message
  }
}

function linkTo(at: Schema['FoundAt']) {
  return {
    name: 'document',
    params: { corpus: corpus.name, document: at.document },
    query: at.span.end > 0 ? { from: at.span.start, to: at.span.end } : {},
  }
}

const tones: Record<string, string> = { high: 'bad', medium: 'caution', low: 'muted' }
let stops: (() => void)[] = []
onMounted(() => {
  void load()
  stops = [corpus.on('findings', () => void load())]
})
onUnmounted(() => stops.forEach((s) => s()))
watch(
  () => corpus.name,
  () => void load(),
)
</script>

<template>
  <div class="row">
    <h1 class="sr">Checks</h1>
    <ElSelect v-model="kind" class="kinds" aria-label="Kind of finding">
      <ElOption value="all" :label="`All kinds (${count(all.filter((f) => !f.dismissed).length)})`" />
      <ElOption v-for="[k, n] in byKind" :key="k" :value="k" :label="`${k} (${count(n)})`" />
    </ElSelect>
    <ElCheckbox v-model="dismissedToo">Dismissed ones too</ElCheckbox>
    <ElButton size="small" @click="check">Check all now</ElButton>
  </div>
  <p v-if="loaded && shown.length === 0" class="notice">
    No open findings. Whatever comes in is checked for duplicates, contradictions, times that have passed, instructions
    to assistants, personal data and pages without text.
  </p>
  <article v-for="f in shown" :key="f.id" class="finding" :class="{ off: f.dismissed }">
    <p class="head">
      <b :class="tones[f.severity]">{{ f.severity }}</b> · <b>{{ f.kind }}</b><span> · {{ f.detail }}</span>
      <button class="linkish" @click="dismiss(f)">{{ f.dismissed ? 'Bring back' : 'Dismiss' }}</button>
      <template v-if="f.other !== undefined">
        <RouterLink v-if="told[f.id]" :to="{ name: 'mend', query: { view: 'snags', open: told[f.id] } }"
          >Open its snag</RouterLink
        >
        <button v-else class="linkish" @click="snag(f)">Make a snag</button>
      </template>
    </p>
    <div class="places" :class="{ both: f.other !== undefined }">
      <p v-for="at in [f.at, ...(f.other === undefined ? [] : [f.other])]" :key="at.document + at.span.start">
        <RouterLink :to="linkTo(at)">{{ at.title === '' ? shortAddress(at.address) : at.title }}</RouterLink>
        <span class="mono muted where">{{ shortAddress(at.address) }}</span><br />
        <q v-if="at.passage !== '' && at.passage !== at.title">{{ at.passage }}</q>
      </p>
    </div>
  </article>
</template>

<style scoped>
.kinds {
  width: 220px;
}
.finding {
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 8px 12px;
  margin-top: 8px !important;
}
.finding.off {
  opacity: 0.65;
}
.finding p {
  margin: 0;
}
.head {
  display: flex;
  gap: 6px;
  align-items: baseline;
}
.head > span {
  flex: 1;
}
.places {
  margin-top: 4px;
}
.places.both {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 20px;
}
.where {
  margin-left: 8px;
}
q {
  quotes: none;
  display: block;
  border-left: 2px solid var(--control);
  padding-left: 8px;
  margin-top: 2px;
}
</style>
