<script setup lang="ts">
import { onUnmounted, ref } from 'vue'
import { api, ok } from '@/api/client'
import { count } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { useSources } from './store'

interface Taken {
  name: string
  state: string
  reason: string
}

const corpus = useCorpus()
const sources = useSources()
const taken = ref<Taken[]>([])
const over = ref(false)
const left = ref(0)
const endings =
  '.pdf,.docx,.odt,.pptx,.odp,.xlsx,.ods,.csv,.tsv,.html,.htm,.md,.markdown,.txt,.json,.jsonl,.epub,.eml,.mht,.mhtml,.vtt,.srt,.ttml,.zip,.mp3,.m4a,.wav,.ogg,.opus,.flac,.mp4,.m4v,.webm,.mov'

/** Files under a dropped folder keep their path; hidden ones are passed over. */
async function filesOf(entry: FileSystemEntry, path: string): Promise<{ name: string; file: File }[]> {
  const name = path + entry.name
  if (entry.name.startsWith('.')) return []
  if (entry.isFile) {
    const file = await new Promise<File>((yes, no) => (entry as FileSystemFileEntry).file(yes, no))
    return [{ name, file }]
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  const out: { name: string; file: File }[] = []
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((yes, no) => reader.readEntries(yes, no))
    if (some.length === 0) return out
    for (const e of some) out.push(...(await filesOf(e, `${name}/`)))
  }
}

/** How many files are sent at a time. */
const atOnce = 4

/** Sends files. Many go into the index together, once they are there; a single one at once. */
async function send(list: { name: string; file: File }[]): Promise<void> {
  left.value += list.length
  const queue = [...list]
  const sender = async (): Promise<void> => {
    for (let next = queue.shift(); next !== undefined; next = queue.shift()) {
      await sendOne(next, list.length > 1)
      left.value--
    }
  }
  await Promise.all(Array.from({ length: Math.min(atOnce, list.length) }, sender))
  await sources.load()
}

async function sendOne({ name, file }: { name: string; file: File }, later: boolean): Promise<void> {
  const options = {
    headers: { 'Content-Type': 'application/octet-stream' },
    body: file as unknown as string,
    bodySerializer: (b: unknown) => b as BodyInit,
  }
  const path = { corpus: corpus.name }
  try {
    if (name.toLowerCase().endsWith('.zip')) {
      const all = await ok(api.PUT('/api/corpora/{corpus}/archives', { params: { path, query: { name } }, ...options }))
      taken.value.push(...all.map((t) => ({ ...t, name: `${name} › ${t.name}` })))
    } else {
      const query = { name, later }
      const d = await ok(api.PUT('/api/corpora/{corpus}/files', { params: { path, query }, ...options }))
      taken.value.push({ name, state: d.state, reason: d.reason })
    }
  } catch (e) {
    taken.value.push({ name, state: 'failed', reason: (e as Error).message })
  }
}

/** Files that go into the index together are in it once the job that does so has ended. */
const stop = corpus.onJobEnd((j) => {
  if (j.kind !== 'index' || j.state !== 'done') return
  taken.value = taken.value.map((t) => (t.state === 'fetched' ? { ...t, state: 'indexed' } : t))
})
onUnmounted(stop)

function picked(e: Event): void {
  const input = e.target as HTMLInputElement
  void send([...(input.files ?? [])].map((file) => ({ name: file.webkitRelativePath || file.name, file })))
  input.value = ''
}

async function dropped(e: DragEvent): Promise<void> {
  over.value = false
  const entries = [...(e.dataTransfer?.items ?? [])].map((i) => i.webkitGetAsEntry()).filter((x) => x !== null)
  const all: { name: string; file: File }[] = []
  for (const x of entries) all.push(...(await filesOf(x, '')))
  await send(all)
}
</script>

<template>
  <div class="stack">
    <div
      class="drop"
      :class="{ over }"
      @dragenter.prevent="over = true"
      @dragover.prevent="over = true"
      @dragleave.prevent="over = false"
      @drop.prevent="dropped"
    >
      <p><b>Drop files, folders or zip archives here</b></p>
      <div class="row">
        <label class="field"
          ><span class="label">or choose files</span><input type="file" multiple :accept="endings" @change="picked"
        /></label>
        <label class="field"
          ><span class="label">or a folder</span><input type="file" webkitdirectory @change="picked"
        /></label>
      </div>
      <p class="hint">
        PDF, DOCX, ODT, PPTX, ODP, XLSX, ODS, CSV, HTML, Markdown, text, JSON, EPUB, mail (EML), saved pages (MHT) and
        captions (VTT, SRT, TTML), up to 20 MB each; zip archives up to 200 MB. A file of the same name and path
        replaces the one before and keeps its history.
      </p>
    </div>
    <p v-if="left > 0" role="status">{{ count(left) }} still to read</p>
    <table v-if="taken.length > 0" class="plain">
      <thead>
        <tr>
          <th>File</th>
          <th>State</th>
          <th>Reason</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(t, i) in taken" :key="i">
          <td class="mono">{{ t.name }}</td>
          <td :class="t.state === 'indexed' ? 'good' : t.state === 'failed' ? 'bad' : 'muted'">
            {{ t.state === 'fetched' ? 'taken in, being indexed' : t.state }}
          </td>
          <td>{{ t.reason }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.drop {
  border: 1px dashed var(--control);
  background: var(--raised);
  padding: 20px;
  max-width: 760px;
}
.drop.over {
  border-style: solid;
  border-color: var(--accent);
}
.drop p:first-child {
  margin-top: 0;
}
</style>
