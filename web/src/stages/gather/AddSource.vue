<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ok, type Schema } from '@/api/client'
import ConnectionForm from '@/components/ConnectionForm.vue'
import { useCorpus } from '@/stores/corpus'
import AddFiles from './AddFiles.vue'
import AddPairs from './AddPairs.vue'
import WebSettings from './WebSettings.vue'
import { kinds, schedules, useSources, type Source } from './store'

const corpus = useCorpus()
const sources = useSources()
const route = useRoute()
const router = useRouter()

const kind = computed({
  get: () => String(route.query.kind ?? 'site') as Source['kind'],
  set: (k) => void router.replace({ query: k === 'site' ? {} : { kind: k } }),
})
function heard(on: boolean): void {
  sources.told = on ? 'Speech to text is connected' : 'Speech to text is disconnected'
}

const order: Source['kind'][] = ['site', 'sitemap', 'list', 'feed', 'upload', 'folder', 'text', 'pairs']
const hints: Record<Source['kind'], string> = {
  site: 'Every page that links and sitemaps lead to on this host, under this folder. robots.txt is obeyed.',
  sitemap: 'The pages that a sitemap names, and no others. Index files, gzip and text sitemaps are read.',
  list: 'These pages and no others, one address a line. A single page is a list of one.',
  feed: 'What an RSS, Atom or JSON feed names: pages, and the transcripts of films and recordings.',
  upload: '',
  folder: 'A folder on the machine that this program runs on. What changes there is taken up by itself.',
  text: 'A text that stands nowhere else. The same title replaces it.',
  pairs: '',
}

const address = ref('')
const addresses = ref('')
const web = ref<Schema['SourceSettings']>({})
const choose = ref(true)
const allowPrivate = ref(false)
const schedule = ref<Source['schedule']>('hand')
const audience = ref('public')
const title = ref('')
const text = ref('')
const adding = ref(false)
const more = ref(false)

const lines = (s: string): string[] =>
  s
    .split('\n')
    .map((l) => l.trim())
    .filter((l) => l !== '')
const starts = computed(() => kinds[kind.value].starts)
const ready = computed(() => {
  if (kind.value === 'list') return lines(addresses.value).length > 0
  if (kind.value === 'text') return title.value.trim() !== '' && text.value.trim() !== ''
  return address.value.trim() !== ''
})

async function add(): Promise<void> {
  adding.value = true
  const path = { corpus: corpus.name }
  let added: Schema['AddedSource'] | undefined
  const done = await sources.attempt(async () => {
    if (kind.value === 'text') {
      const d = await ok(
        api.PUT('/api/corpora/{corpus}/texts', { params: { path }, body: { title: title.value, text: text.value } }),
      )
      return `${d.title}: ${d.state}${d.reason === '' ? '' : `, ${d.reason}`}`
    }
    added = await ok(
      api.POST('/api/corpora/{corpus}/sources', {
        params: { path },
        body: {
          kind: kind.value as 'site',
          address: kind.value === 'list' ? undefined : address.value.trim(),
          schedule: schedule.value,
          audience: audience.value,
          settings:
            kind.value === 'folder'
              ? {}
              : {
                  ...web.value,
                  allowPrivate: allowPrivate.value,
                  choose: choose.value,
                  addresses: kind.value === 'list' ? lines(addresses.value) : [],
                },
        },
      }),
    )
    return (added.source.problems ?? []).length > 0
      ? `Left out, for they are no addresses: ${(added.source.problems ?? []).join('; ')}`
      : undefined
  })
  adding.value = false
  if (!done) return
  address.value = addresses.value = title.value = text.value = ''
  if (added !== undefined && choose.value && kind.value !== 'folder')
    void router.push({ name: 'choose', params: { corpus: corpus.name, source: added.source.id } })
  else void router.push({ name: 'gather', params: { corpus: corpus.name } })
}
</script>

<template>
  <section class="add stack" aria-label="Add a source">
    <div class="kinds" role="radiogroup" aria-label="Kind of source">
      <label v-for="k in order" :key="k" :class="{ here: kind === k }">
        <input v-model="kind" type="radio" name="kind" :value="k" />{{ kinds[k].name }}
      </label>
    </div>
    <AddFiles v-if="kind === 'upload'" />
    <AddPairs v-else-if="kind === 'pairs'" />
    <form v-else class="stack narrow" @submit.prevent="add">
      <p class="muted">{{ hints[kind] }}</p>
      <template v-if="kind === 'text'">
        <label class="field">
          <span class="label">Title</span>
          <ElInput v-model="title" maxlength="300" />
        </label>
        <label class="field">
          <span class="label">Text</span>
          <ElInput v-model="text" type="textarea" :rows="12" placeholder="Plain text or Markdown" />
        </label>
      </template>
      <label v-else-if="kind === 'list'" class="field">
        <span class="label">{{ starts }}</span>
        <ElInput v-model="addresses" type="textarea" :rows="8" placeholder="https://www.example.org/a" />
      </label>
      <label v-else class="field">
        <span class="label">{{ starts }}</span>
        <ElInput
          v-model="address"
          name="address"
          :placeholder="kind === 'folder' ? '/srv/documents' : 'https://www.example.org/'"
        />
      </label>
      <template v-if="kind !== 'text'">
        <div v-if="kind !== 'folder'" class="checks">
          <ElCheckbox v-model="choose">Show me what is found; I choose what to take in</ElCheckbox>
          <ElCheckbox v-model="allowPrivate">This address is on this machine or a private network</ElCheckbox>
        </div>
        <div class="row">
          <label class="field">
            <span class="label">Check for changes</span>
            <ElSelect v-model="schedule" class="short" aria-label="Check for changes">
              <ElOption v-for="(w, k) in schedules" :key="k" :value="k" :label="w" />
            </ElSelect>
          </label>
          <label class="field">
            <span class="label">Audience</span>
            <ElSelect v-model="audience" class="short" aria-label="Audience">
              <ElOption value="public" label="everyone" />
              <ElOption value="staff" label="staff only" />
            </ElSelect>
          </label>
        </div>
        <p v-if="kind !== 'folder'">
          <button type="button" class="linkish" :aria-expanded="more" @click="more = !more">
            {{ more ? 'Fewer settings' : 'More settings: patterns, depth, pace, browser' }}
          </button>
        </p>
        <WebSettings v-if="more && kind !== 'folder'" v-model="web" />
      </template>
      <ElButton type="primary" native-type="submit" :loading="adding" :disabled="!ready">{{
        kind === 'text' ? 'Include' : kind === 'folder' ? 'Watch folder' : choose ? 'Find pages' : 'Gather'
      }}</ElButton>
    </form>
    <ConnectionForm
      v-if="kind === 'feed' || kind === 'upload'"
      kind="speech"
      label="Films and recordings without captions"
      connected="are heard by"
      unconnected="are left out until something is connected that turns speech into text"
      path="/audio/transcriptions, of any endpoint of the widely used transcription protocol"
      @saved="heard"
    />
  </section>
</template>

<style scoped>
.kinds {
  display: flex;
  flex-wrap: wrap;
  border: 1px solid var(--line);
  background: var(--raised);
}
.kinds label {
  padding: 8px 12px;
  cursor: pointer;
  border-right: 1px solid var(--line);
}
.kinds label.here {
  box-shadow: inset 0 -2px 0 var(--accent);
  font-weight: 600;
}
.kinds input {
  margin: 0 6px 0 0;
  accent-color: var(--accent);
}
.narrow {
  max-width: 640px;
}
.checks {
  display: grid;
}
.short {
  width: 210px;
}
</style>
