<script setup lang="ts">
import { usualNearness } from '@/api/names'
import { computed } from 'vue'
import TextEntry from '@/components/TextEntry.vue'
import RuleDetails from './RuleDetails.vue'
import RuleHours from './RuleHours.vue'
import { nameOf } from '../gather/store'
import { useAnswer, type Action, type Rule } from './store'

/** One house rule: when, then. */
const props = defineProps<{ rule: Rule }>()
const emit = defineEmits<{ change: [rule: Rule] }>()

const answer = useAnswer()

type When = Rule['when']

const lines = (s: string): string[] => s.split('\n').map((l) => l.trim())
const kept = (xs: string[]): string[] => xs.filter((x) => x !== '')
const set = (part: Partial<Rule>): void => emit('change', { ...props.rule, ...part })
const when = (part: Partial<When>): void => set({ when: { ...props.rule.when, ...part } })

function act(i: number, part: Partial<Action>): void {
  set({ then: props.rule.then.map((a, k) => (k === i ? { ...a, ...part } : a)) })
}

const kinds: { key: Action['kind']; label: string }[] = [
  { key: 'reply', label: 'Say this' },
  { key: 'line', label: 'Add a line' },
  { key: 'ask', label: 'Ask for details' },
  { key: 'handOver', label: 'Hand over to a person' },
  { key: 'alert', label: 'Raise an alert' },
  { key: 'narrow', label: 'Answer from some sources alone' },
  { key: 'widen', label: 'Answer from all sources again' },
]
const scheduled = computed(() => props.rule.then.some((a) => a.kind === 'handOver' && (a.hours ?? '') !== ''))
const examples = computed(() => (props.rule.when.like ?? []).join('\n'))

function kindOf(i: number, k: unknown): void {
  const kind = k as Action['kind']
  const fresh: Action = { kind }
  if (kind === 'ask') fresh.details = [{ name: 'Name', ask: 'What is your name?', type: 'text' }]
  if (kind === 'reply' || kind === 'line') fresh.text = '…'
  if (kind === 'narrow') fresh.sources = answer.sources.slice(0, 1).map((s) => s.id)
  if (kind === 'alert') fresh.to = 'duty@example.org'
  set({ then: props.rule.then.map((a, k) => (k === i ? fresh : a)) })
}

/** Where and by what way it is asked; each may be left open. */
const where = [
  { key: 'pages', label: 'On these pages', hint: '/fares, or a host; empty for all' },
  { key: 'languages', label: 'In these languages', hint: 'de, fr; empty for all' },
  { key: 'campaigns', label: 'By these campaigns', hint: 'spring, newsletter; empty for all' },
  { key: 'places', label: 'At these places', hint: 'as the line on the site says; empty for all' },
] as const
</script>

<template>
  <div class="form stack">
    <label class="field">
      <span class="label">Name</span>
      <ElInput :model-value="rule.name" maxlength="120" @update:model-value="(v: string) => set({ name: v })" />
    </label>
    <h4>When</h4>
    <label class="field">
      <span class="label">Somebody says something like</span>
      <TextEntry
        lines
        :text="examples"
        placeholder="Example wordings, one a line; about eight are enough"
        @take="(v: string) => when({ like: kept(lines(v)) })"
      />
    </label>
    <div class="row">
      <label class="field">
        <span class="label">How alike it must be</span>
        <ElInputNumber
          size="small"
          :model-value="rule.when.nearness || usualNearness"
          :min="0.2"
          :max="1"
          :step="0.05"
          :precision="2"
          @update:model-value="(v: number | undefined) => when({ nearness: v ?? 0 })"
        />
      </label>
      <ElCheckbox :model-value="rule.when.person ?? false" @change="(v: unknown) => when({ person: v === true })"
        >asks for a person</ElCheckbox
      >
      <ElCheckbox :model-value="rule.when.urgent ?? false" @change="(v: unknown) => when({ urgent: v === true })"
        >sounds urgent</ElCheckbox
      >
      <ElCheckbox
        :model-value="rule.when.unanswered ?? false"
        @change="(v: unknown) => when({ unanswered: v === true })"
        >only if the sources have no answer</ElCheckbox
      >
    </div>
    <label class="field">
      <span class="label">or says one of these words</span>
      <TextEntry
        :text="(rule.when.contains ?? []).join(', ')"
        placeholder="words or phrases, with commas between"
        @take="(v: string) => when({ contains: kept(v.split(',').map((x) => x.trim())) })"
      />
    </label>
    <div class="where">
      <label v-for="w in where" :key="w.key" class="field">
        <span class="label">{{ w.label }}</span>
        <TextEntry
          :text="(rule.when[w.key] ?? []).join(', ')"
          :placeholder="w.hint"
          @take="(v: string) => when({ [w.key]: kept(v.split(',').map((x) => x.trim())) })"
        />
      </label>
    </div>
    <h4>Then</h4>
    <fieldset v-for="(a, i) in rule.then" :key="i" class="stack">
      <legend class="sr">Action {{ i + 1 }}</legend>
      <div class="row">
        <ElSelect :model-value="a.kind" aria-label="What is done" @update:model-value="(k: unknown) => kindOf(i, k)">
          <ElOption v-for="k in kinds" :key="k.key" :value="k.key" :label="k.label" />
        </ElSelect>
        <button v-if="rule.then.length > 1" class="linkish" @click="set({ then: rule.then.filter((_, k) => k !== i) })">
          remove
        </button>
      </div>
      <RuleHours v-if="a.kind === 'handOver'" :action="a" @change="(part) => act(i, part)" />
      <ElCheckbox
        v-else-if="scheduled"
        :model-value="a.away ?? false"
        @change="(v: unknown) => act(i, { away: v === true })"
        >Outside staffed hours only</ElCheckbox
      >
      <ElInput
        v-if="!['alert', 'narrow', 'widen'].includes(a.kind)"
        type="textarea"
        autosize
        :model-value="a.text ?? ''"
        :placeholder="a.kind === 'ask' ? 'Message once all details are in' : 'What is said'"
        :aria-label="a.kind === 'ask' ? 'Message once all details are in' : 'What is said'"
        @update:model-value="(v: string) => act(i, { text: v })"
      />
      <ElCheckbox
        v-if="a.kind === 'reply'"
        :model-value="a.beside ?? false"
        @change="(v: unknown) => act(i, { beside: v === true })"
        >and answer from the sources as well</ElCheckbox
      >
      <ElSelect
        v-else-if="a.kind === 'narrow'"
        multiple
        :model-value="a.sources ?? []"
        aria-label="Sources"
        @update:model-value="(ids: string[]) => act(i, { sources: ids })"
      >
        <ElOption v-for="s in answer.sources" :key="s.id" :value="s.id" :label="nameOf(s)" />
      </ElSelect>
      <RuleDetails v-else-if="a.kind === 'ask'" :action="a" @change="(part) => act(i, part)" />
      <div v-else-if="a.kind === 'alert' || a.kind === 'handOver'" class="row">
        <TextEntry
          v-if="a.kind === 'alert'"
          :text="a.to ?? ''"
          placeholder="mail address or https:// address"
          label="Where the alert goes"
          @take="(v: string) => act(i, { to: v.trim() })"
        />
        <ElInput
          v-else
          :model-value="a.team ?? ''"
          placeholder="to which team"
          aria-label="Team"
          @update:model-value="(v: string) => act(i, { team: v })"
        />
        <ElInput
          :model-value="a.purpose ?? ''"
          placeholder="what it is about"
          aria-label="What it is about"
          @update:model-value="(v: string) => act(i, { purpose: v })"
        />
      </div>
    </fieldset>
    <div class="row">
      <ElButton size="small" @click="set({ then: [...rule.then, { kind: 'line', text: '…' }] })"
        >Add an action</ElButton
      >
      <ElCheckbox :model-value="rule.stop ?? false" @change="(v: unknown) => set({ stop: v === true })"
        >Stop after this rule</ElCheckbox
      >
    </div>
  </div>
</template>

<style scoped>
.where {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 8px;
}
.form {
  border-top: 1px solid var(--line);
  margin-top: 8px;
  padding-top: 8px;
}
h4 {
  margin-bottom: 0;
}
fieldset {
  border: 0;
  border-left: 2px solid var(--line);
  padding: 0 0 0 10px;
  margin-inline: 0;
}
.row > .field {
  flex: 1;
}
</style>
