<script setup lang="ts">
import TextEntry from '@/components/TextEntry.vue'
import HeldBack from './HeldBack.vue'
import WebSettings from './WebSettings.vue'
import { computed, ref } from 'vue'
import { count, moment } from '@/api/words'
import { useCorpus } from '@/stores/corpus'
import { audienceName, kinds, markWords, marksFor, nameOf, schedules, useSources, type Source } from './store'

const props = defineProps<{ source: Source }>()
const corpus = useCorpus()
const sources = useSources()
const open = ref(false)
const removing = ref(false)
const group = ref('')

const kind = computed(() => kinds[props.source.kind])
const n = (state: string): number => props.source.states[state] ?? 0
const inside = computed(() => n('indexed') + n('unchanged'))
const busy = computed(() => corpus.active.some((j) => j.kind === 'gather' && j.target === props.source.id))
const audience = computed({
  get: () => (props.source.audience.startsWith('group:') ? 'group' : props.source.audience),
  set: (a) => {
    if (a !== 'group') void sources.change(props.source, { audience: a })
    else group.value = ' '
  },
})

function saveGroup(): void {
  const name = group.value.trim()
  if (name !== '') void sources.change(props.source, { audience: `group:${name}` })
}

function mark(m: string, on: boolean): void {
  const marks = props.source.marks.filter((x) => x !== m)
  void sources.change(props.source, { marks: (on ? [...marks, m] : marks) as Source['marks'] })
}

const web = computed({
  get: () => props.source.settings,
  set: (settings) => void sources.change(props.source, { settings }),
})
const isWeb = computed(() => ['site', 'sitemap', 'list', 'feed'].includes(props.source.kind))

function saveAddresses(typed: string): void {
  const addresses = typed
    .split('\n')
    .map((l) => l.trim())
    .filter((l) => l !== '')
  void sources.change(props.source, { settings: { ...props.source.settings, addresses } })
}
</script>

<template>
  <article class="source">
    <div class="row top">
      <b class="name">{{ nameOf(source) }}</b>
      <span v-if="kind.name !== nameOf(source)" class="muted kind">{{ kind.name }}</span>
    </div>
    <p class="figure">
      <span>{{ count(inside) }} in</span>
      <template v-if="n('failed') > 0">
        · <span class="bad">{{ count(n('failed')) }} failed</span></template
      >
      <template v-if="n('left out') > 0"> · {{ count(n('left out')) }} left out</template>
      <template v-if="n('waiting') > 0"> · {{ count(n('waiting')) }} waiting</template>
      <template v-if="source.audience !== 'public'"> · {{ audienceName(source.audience) }}</template>
      <template v-for="m in source.marks" :key="m"> · {{ (markWords[m]?.name ?? m).toLowerCase() }}</template>
    </p>
    <p v-if="n('found') > 0" class="found">
      <RouterLink :to="{ name: 'choose', params: { corpus: corpus.name, source: source.id } }"
        ><b>{{ count(n('found')) }} found</b>: choose what to take in</RouterLink
      >
    </p>
    <HeldBack v-if="source.held" :source="source" :loss="source.held" :busy="busy" />
    <p v-if="source.trouble !== ''" class="bad small">
      Last visit: {{ source.trouble
      }}<template v-if="moment(source.troubleAt).text !== moment(source.visitedAt).text"
        >; so since <span :title="moment(source.troubleAt).zone">{{ moment(source.troubleAt).text }}</span></template
      >
    </p>
    <p v-for="t in source.notices" :key="t" class="caution small">{{ t }}</p>
    <p v-if="kind.visited" class="muted small">
      <template v-if="source.visitedAt !== ''"
        >visited <span :title="moment(source.visitedAt).zone">{{ moment(source.visitedAt).text }}</span></template
      ><template v-else>not visited yet</template>
      <template v-if="source.nextAt !== ''"
        >, next <span :title="moment(source.nextAt).zone">{{ moment(source.nextAt).text }}</span></template
      >
    </p>
    <div class="row">
      <button v-if="kind.visited" class="linkish" :disabled="busy" @click="sources.visit(source)">Visit now</button>
      <RouterLink
        v-if="isWeb && n('found') === 0"
        :to="{ name: 'choose', params: { corpus: corpus.name, source: source.id } }"
        >Choose pages</RouterLink
      >
      <button class="linkish" :aria-expanded="open" @click="open = !open">{{ open ? 'Close' : 'Settings' }}</button>
    </div>
    <div v-if="open" class="settings stack">
      <label class="field">
        <span class="label">Name</span>
        <TextEntry
          :text="source.name"
          :placeholder="source.address"
          @take="(v: string) => sources.change(source, { name: v })"
        />
      </label>
      <label v-if="kind.visited" class="field">
        <span class="label">Check for changes</span>
        <ElSelect
          :model-value="source.schedule"
          aria-label="Check for changes"
          @change="(v: Source['schedule']) => sources.change(source, { schedule: v })"
        >
          <ElOption v-for="(w, k) in schedules" :key="k" :value="k" :label="w" />
        </ElSelect>
      </label>
      <label class="field">
        <span class="label">Audience</span>
        <ElSelect v-model="audience" aria-label="Audience">
          <ElOption value="public" label="everyone" />
          <ElOption value="group" label="a visitor group" />
          <ElOption value="staff" label="staff only" />
        </ElSelect>
      </label>
      <ElInput
        v-if="audience === 'group' || group !== ''"
        :model-value="source.audience.replace(/^(group:|public$|staff$)/, '')"
        aria-label="Name of the visitor group"
        placeholder="Name of the group"
        @change="
          (v: string) => {
            group = v
            saveGroup()
          }
        "
      />
      <fieldset>
        <legend>How replies may use it</legend>
        <ElCheckbox
          v-for="m in marksFor(source.kind)"
          :key="m"
          :model-value="source.marks.includes(m as Source['marks'][number])"
          :title="markWords[m]?.help"
          @change="(on: unknown) => mark(m, on === true)"
          >{{ markWords[m]?.name }}</ElCheckbox
        >
      </fieldset>
      <label v-if="source.kind === 'list'" class="field">
        <span class="label">Addresses</span>
        <TextEntry :text="(source.settings.addresses ?? []).join('\n')" lines @take="saveAddresses" />
      </label>
      <template v-if="isWeb">
        <WebSettings v-model="web" />
        <p class="hint">They hold from the next visit on.</p>
      </template>
      <div class="row">
        <button v-if="!removing" class="linkish bad" @click="removing = true">Remove this source</button>
        <template v-else>
          <span>{{ count(inside) }} documents and their history go with it.</span>
          <ElButton size="small" type="danger" @click="sources.remove(source)">Remove</ElButton>
          <ElButton size="small" @click="removing = false">Keep</ElButton>
        </template>
      </div>
    </div>
  </article>
</template>

<style scoped>
.source {
  border-top: 1px solid var(--line);
  padding: 10px 0 12px;
  overflow-wrap: anywhere;
}
.source p {
  margin: 2px 0;
}
.top {
  justify-content: space-between;
  flex-wrap: nowrap;
  align-items: baseline;
}
.kind,
.small {
  font-size: 12.5px;
}
.kind {
  white-space: nowrap;
}
.found {
  border-left: 3px solid var(--caution);
  padding-left: 8px;
}
.settings {
  margin-top: 8px;
  padding: 10px;
  background: var(--raised);
  border: 1px solid var(--line);
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  display: grid;
}
legend {
  font-weight: 600;
  padding: 0;
}
</style>
