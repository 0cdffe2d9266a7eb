<script setup lang="ts">
import { computed, onUnmounted, ref, watch } from 'vue'
import { api, ok, type Schema } from '@/api/client'
import AskState from '@/components/AskState.vue'
import { useAsk } from '@/stores/ask'
import { useCorpus } from '@/stores/corpus'
import PageLook from './PageLook.vue'
import SignedIn from './SignedIn.vue'

/** How the assistant looks and behaves on a site, the line that goes there, and the live thing beside it. */
const corpus = useCorpus()
const params = () => ({ path: { corpus: corpus.name } })
const {
  value: place,
  state,
  problem,
  load,
} = useAsk(() => ok(api.GET('/api/corpora/{corpus}/place', { params: params() })))
const form = ref<Schema['Settings']>()
const domains = ref('')
const saved = ref('')
const failed = ref('')
const copied = ref(false)
watch(place, (p) => {
  if (p === undefined) return
  form.value = { ...p.settings }
  domains.value = p.settings.domains.join('\n')
})

const visitors = computed(() => place.value?.visitors ?? '')
const line = computed(
  () => `<script async src="${visitors.value}/w.js" data-place="${place.value?.place ?? ''}"></` + 'script>',
)

const changed = computed(
  () =>
    form.value !== undefined &&
    place.value !== undefined &&
    JSON.stringify({ ...form.value, domains: split() }) !== JSON.stringify(place.value.settings),
)
const split = () =>
  domains.value
    .split('\n')
    .map((d) => d.trim())
    .filter((d) => d !== '')

/** Hours are those of whoever names them first. */
function zoned(): void {
  if (form.value !== undefined && form.value.zone === '')
    form.value.zone = Intl.DateTimeFormat().resolvedOptions().timeZone
}

async function save(): Promise<void> {
  if (form.value === undefined) return
  try {
    await ok(api.PUT('/api/corpora/{corpus}/place', { params: params(), body: { ...form.value, domains: split() } }))
    saved.value = 'Saved: visitors get it at once.'
    failed.value = ''
    await load()
  } catch (e) {
    saved.value = ''
    failed.value = (e as Error).message
  }
}

async function copy(): Promise<void> {
  await navigator.clipboard.writeText(line.value)
  copied.value = true
}

/** White letters on the colour must be readable. */
const contrast = computed(() => place.value?.contrast ?? 21)

/** What stands on the button, as the line on a site writes it. */
const opener = computed(() => ({ words: 'Ask us', both: '?\u2002Ask us', sign: '?' })[form.value?.button ?? 'words'])
/** A picture of the engineer's own page to stand behind the preview; it is not sent anywhere. */
const picture = ref('')
const background = computed(() => (picture.value === '' ? {} : { backgroundImage: `url(${picture.value})` }))
function choose(e: Event): void {
  if (picture.value !== '') URL.revokeObjectURL(picture.value)
  const file = (e.target as HTMLInputElement).files?.[0]
  picture.value = file === undefined ? '' : URL.createObjectURL(file)
}
onUnmounted(() => picture.value !== '' && URL.revokeObjectURL(picture.value))

/** The preview is a link of a tester's kind: it shows the draft, and its conversations are tests. */
const preview = ref('')
const shown = ref('')
async function show(): Promise<void> {
  try {
    const ends = new Date(Date.now() + 3_600_000).toISOString()
    const l = await ok(
      api.POST('/api/corpora/{corpus}/links', {
        params: params(),
        body: { name: 'Preview', draft: true, endsAt: ends },
      }),
    )
    shown.value = `${visitors.value}/s/${l.token ?? ''}`
    preview.value = ''
  } catch (e) {
    preview.value = (e as Error).message
  }
}
</script>

<template>
  <div class="panes">
    <div class="left">
      <AskState :state="state" what="the settings" :problem="problem" @again="load">
        <form v-if="form" class="stack" aria-label="On a site" @submit.prevent="save">
          <label class="field">
            <span class="label">Title</span>
            <ElInput v-model="form.title" maxlength="80" :placeholder="corpus.name" />
          </label>
          <label class="field">
            <span class="label">Sites that may show it, one a line</span>
            <ElInput v-model="domains" type="textarea" :rows="3" placeholder="www.example.org" class="mono" />
            <span class="hint">*.example.org stands for every host below example.org.</span>
          </label>
          <div class="row">
            <label class="field">
              <span class="label">Colour</span>
              <input v-model="form.accent" type="color" aria-label="Colour" />
            </label>
            <label class="field">
              <span class="label">Corner</span>
              <ElSelect v-model="form.corner" aria-label="Corner" class="corner">
                <ElOption value="right" label="Right" />
                <ElOption value="left" label="Left" />
              </ElSelect>
            </label>
            <label class="field">
              <span class="label">Button</span>
              <ElSelect v-model="form.button" aria-label="Button" class="button">
                <ElOption value="words" label="Words" />
                <ElOption value="both" label="Sign and words" />
                <ElOption value="sign" label="Sign alone" />
              </ElSelect>
            </label>
            <label class="field">
              <span class="label">Remembered for, days</span>
              <ElInputNumber
                v-model="form.memoryDays"
                :min="0"
                :max="400"
                :precision="0"
                :controls="false"
                class="days"
              />
            </label>
          </div>
          <p v-if="contrast < 4.5" class="caution">
            White letters on this colour have a contrast of {{ contrast }} to 1; 4.5 is the least that most people can
            read. The pages of visitors take dark letters then; the button does not.
          </p>
          <p class="hint">0 days: the conversation lasts as long as the page is open, and nothing is stored.</p>
          <label class="field">
            <span class="label">Note that a machine replies</span>
            <ElInput v-model="form.note" maxlength="300" type="textarea" :rows="2" />
          </label>
          <label class="field">
            <span class="label">Message of the day</span>
            <ElInput v-model="form.message" maxlength="500" />
          </label>
          <label class="field">
            <span class="label">Hours in which visitors are answered</span>
            <ElInput
              v-model="form.hours"
              maxlength="200"
              placeholder="Mon-Fri 09:00-17:00, Sat 10:00-12:00"
              @change="zoned"
            />
            <span class="hint">{{
              form.hours.trim() === '' ? 'Empty: always.' : `In the time of ${form.zone || 'UTC'}.`
            }}</span>
          </label>
          <label v-if="form.hours.trim() !== ''" class="field">
            <span class="label">Said outside these hours</span>
            <ElInput v-model="form.hoursText" maxlength="500" />
          </label>
          <ElCheckbox v-model="form.speech">Visitors may speak, and have replies read aloud</ElCheckbox>
          <p v-if="form.speech" class="hint">
            By what their browser brings along. Some browsers send what is spoken to their maker to be written down.
          </p>
          <ElCheckbox v-model="form.paused">Paused: nobody is answered</ElCheckbox>
          <label v-if="form.paused" class="field">
            <span class="label">Said meanwhile</span>
            <ElInput v-model="form.pausedText" maxlength="500" />
          </label>
          <div class="row">
            <ElButton type="primary" native-type="submit" :disabled="!changed">Save</ElButton>
            <span v-if="changed" class="caution">Not saved yet</span>
            <span v-else-if="saved !== ''" class="good" role="status">{{ saved }}</span>
          </div>
          <p v-if="failed !== ''" class="notice bad" role="alert">{{ failed }}</p>
        </form>
      </AskState>
    </div>
    <div v-if="place" class="right stack">
      <h2>The line for your pages</h2>
      <p v-if="visitors === ''" class="notice caution">
        The program does not listen for visitors: start it with
        <span class="mono">jolvex serve --visitors 127.0.0.1:8650</span>, and say by --visitors-url under which address
        browsers reach it.
      </p>
      <template v-else>
        <p v-if="place.live === 0" class="notice caution">
          Nothing is released yet: visitors are told so.
          <RouterLink :to="{ name: 'serve', params: { corpus: corpus.name } }">To the releases</RouterLink>
        </p>
        <p v-else>Visitors get release {{ place.live }}.</p>
        <pre class="mono line">{{ line }}</pre>
        <div class="row">
          <ElButton size="small" @click="copy">{{ copied ? 'Copied' : 'Copy the line' }}</ElButton>
          <ElButton size="small" @click="show">Show the draft as visitors would see it</ElButton>
        </div>
        <p v-if="preview !== ''" class="notice bad" role="alert">{{ preview }}</p>
        <template v-if="shown !== ''">
          <div class="site" :class="form?.corner" :style="background">
            <template v-if="picture === ''">
              <p v-for="n in 9" :key="n" class="words" :style="{ width: `${((n * 37) % 30) + 30}%` }" />
            </template>
            <iframe :src="shown" title="The draft as visitors would see it" class="preview" />
            <span class="opener" :style="{ background: form?.accent }">{{ opener }}</span>
          </div>
          <label class="field">
            <span class="label">A picture of your own page to see it on (it stays in this browser)</span>
            <input type="file" accept="image/*" @change="choose" />
          </label>
          <p><a :href="shown" target="_blank" rel="noopener">Open it by itself</a>; the link works for an hour.</p>
        </template>
        <p v-if="place.settings.domains.length === 0" class="notice caution">
          No site may show it yet. Name the hosts at the left.
        </p>
        <p class="muted">
          By itself it puts a button in a corner of the page. With <span class="mono">data-into="#help"</span> it stands
          in that element instead; <span class="mono">data-open="..."</span> changes what the button says;
          <span class="mono">data-at="..."</span> names the place that it stands for and
          <span class="mono">data-campaign="..."</span> the campaign, for house rules. A site with a content security
          policy allows <span class="mono">{{ visitors }}</span> in script-src, connect-src and frame-src.
        </p>
        <PageLook />
        <SignedIn :place="place.place" :identity="place.identity" @changed="load" />
      </template>
    </div>
  </div>
</template>

<style scoped>
.site {
  position: relative;
  height: 600px;
  padding: 24px;
  background: #ffffff center top / cover no-repeat;
  border: 1px solid var(--line);
  overflow: hidden;
}
.words {
  height: 12px;
  margin: 0 0 16px;
  background: var(--line);
}
.opener {
  position: absolute;
  right: 16px;
  bottom: 16px;
  padding: 10px 16px;
  color: #ffffff;
  border: 1px solid #ffffff;
  border-radius: 3px;
  font-weight: 600;
  font-size: 16px;
}
.left.site .opener,
.left.site .preview {
  right: auto;
  left: 16px;
}
.preview {
  position: absolute;
  right: 16px;
  bottom: 72px;
  width: 400px;
  max-width: calc(100% - 32px);
  height: 480px;
  border: 1px solid var(--control);
  background: #ffffff;
}
.corner {
  width: 90px;
}
.button {
  width: 150px;
}
.days {
  width: 90px;
}
.line {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 10px 12px;
  margin: 0;
}
input[type='color'] {
  width: 56px;
  height: 32px;
  border: 1px solid var(--control);
  border-radius: var(--radius);
  background: var(--raised);
}
</style>
