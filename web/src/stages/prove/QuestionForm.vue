<script setup lang="ts">
import { ref, watch } from 'vue'
import TextEntry from '@/components/TextEntry.vue'
import ExpectationList from './ExpectationList.vue'
import type { Question } from './store'

/** One expected question in full. */
const props = defineProps<{ question: Question; save: string; blocked?: boolean }>()
const emit = defineEmits<{ save: [question: Question]; cancel: [] }>()

const copy = (q: Question): Question => JSON.parse(JSON.stringify(q)) as Question
const q = ref(copy(props.question))
watch(
  () => props.question,
  (x) => (q.value = copy(x)),
)

const parts = (s: string, between: string): string[] =>
  s
    .split(between)
    .map((l) => l.trim())
    .filter((l) => l !== '')

function addLine(): void {
  q.value.script = [...(q.value.script ?? []), { say: '', expect: [] }]
}
</script>

<template>
  <div class="form stack">
    <label class="field">
      <span class="label">Question</span>
      <ElInput v-model="q.question" maxlength="4000" aria-label="Question" />
    </label>
    <div v-if="(q.script ?? []).length > 0" class="stack">
      <span class="label">Played first</span>
      <fieldset v-for="(l, i) in q.script" :key="i" class="stack">
        <legend class="sr">Message {{ i + 1 }}</legend>
        <div class="row">
          <ElInput v-model="l.say" :aria-label="`Message ${i + 1}`" placeholder="what is said" />
          <button type="button" class="linkish" @click="q.script = (q.script ?? []).filter((_, k) => k !== i)">
            remove
          </button>
        </div>
        <ExpectationList :list="l.expect ?? []" @change="(es) => (l.expect = es)" />
      </fieldset>
    </div>
    <button type="button" class="linkish" @click="addLine">Add an earlier message</button>
    <span class="label">Must hold of the reply</span>
    <ExpectationList :list="q.expect" @change="(es) => (q.expect = es)" />
    <div class="row">
      <label class="field">
        <span class="label">Tags</span>
        <TextEntry
          :text="(q.tags ?? []).join(', ')"
          placeholder="with commas between"
          label="Tags"
          @take="(v: string) => (q.tags = parts(v, ','))"
        />
      </label>
      <label class="field">
        <span class="label">Variant of</span>
        <ElInput
          :model-value="q.group ?? ''"
          placeholder="name of the group"
          @update:model-value="(v: string) => (q.group = v)"
        />
      </label>
      <label class="field">
        <span class="label">Owner</span>
        <ElInput :model-value="q.owner ?? ''" @update:model-value="(v: string) => (q.owner = v)" />
      </label>
    </div>
    <label class="field">
      <span class="label">Reference answers</span>
      <TextEntry
        lines
        :text="(q.answers ?? []).join('\n')"
        placeholder="one a line; they decide no verdict"
        label="Reference answers"
        @take="(v: string) => (q.answers = parts(v, '\n'))"
      />
    </label>
    <label class="field">
      <span class="label">Notes</span>
      <ElInput
        type="textarea"
        autosize
        :model-value="q.notes ?? ''"
        @update:model-value="(v: string) => (q.notes = v)"
      />
    </label>
    <div class="row">
      <ElButton type="primary" :disabled="blocked" @click="emit('save', copy(q))">{{ save }}</ElButton>
      <ElButton @click="emit('cancel')">Cancel</ElButton>
      <slot :question="q" />
    </div>
  </div>
</template>

<style scoped>
fieldset {
  border: 0;
  border-left: 2px solid var(--line);
  padding: 0 0 0 10px;
  margin-inline: 0;
}
.row > .field {
  flex: 1;
}
.label {
  font-weight: 600;
}
</style>
