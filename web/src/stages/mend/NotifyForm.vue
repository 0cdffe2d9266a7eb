<script setup lang="ts">
import { ref } from 'vue'
import type { Schema } from '@/api/client'
import { hourWord, noticeKinds, noticePaces } from './store'

/** Who is told of what, in the making. */
const props = defineProps<{ told: Schema['Subscription'] }>()
const emit = defineEmits<{ save: [told: Schema['Subscription']]; cancel: [] }>()
const recipient = ref(props.told.recipient)
const kinds = ref([...props.told.kinds])
const pace = ref(props.told.pace)
const hour = ref(props.told.hour)
const quietFrom = ref(props.told.quietFrom)
const quietTo = ref(props.told.quietTo)
const most = ref(props.told.most)
const save = (): void =>
  emit('save', {
    ...props.told,
    recipient: recipient.value,
    kinds: kinds.value,
    pace: pace.value,
    hour: hour.value,
    quietFrom: quietFrom.value,
    quietTo: quietTo.value,
    most: most.value,
  })
const hours = Array.from({ length: 24 }, (_, i) => i)
</script>

<template>
  <form class="stack edit" @submit.prevent="save">
    <label class="field"
      ><span class="label">To</span>
      <ElInput v-model="recipient" placeholder="name@example.org, or https://example.org/hook" maxlength="500" />
    </label>
    <ElCheckboxGroup v-model="kinds" aria-label="What is told">
      <ElCheckbox v-for="(label, key) in noticeKinds" :key="key" :value="key">{{ label }}</ElCheckbox>
    </ElCheckboxGroup>
    <div class="row">
      <ElSelect v-model="pace" class="pace" aria-label="Pace">
        <ElOption v-for="(label, key) in noticePaces" :key="key" :value="key" :label="label" />
      </ElSelect>
      <span class="hours"
        >daily at
        <ElSelect v-model="hour" aria-label="Daily at"
          ><ElOption v-for="h in hours" :key="h" :value="h" :label="hourWord(h)" /></ElSelect
      ></span>
      <span class="hours"
        >quiet from
        <ElSelect v-model="quietFrom" aria-label="Quiet from"
          ><ElOption v-for="h in hours" :key="h" :value="h" :label="hourWord(h)" /></ElSelect
      ></span>
      <span class="hours"
        >to
        <ElSelect v-model="quietTo" aria-label="Quiet to"
          ><ElOption v-for="h in hours" :key="h" :value="h" :label="hourWord(h)" /></ElSelect
      ></span>
      <span class="hours"
        >at most
        <ElInputNumber v-model="most" :min="1" :max="200" controls-position="right" aria-label="Messages a day" />
        a day</span
      >
      <span class="muted">{{ told.zone }}</span>
    </div>
    <div class="row">
      <ElButton
        native-type="submit"
        type="primary"
        size="small"
        :disabled="recipient.trim() === '' || kinds.length === 0"
        >Save</ElButton
      >
      <button type="button" class="linkish" @click="emit('cancel')">Cancel</button>
    </div>
  </form>
</template>

<style scoped>
.edit {
  background: var(--sunk);
  padding: 12px;
}
.pace {
  width: 190px;
}
.hours {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}
.hours .el-select {
  width: 92px;
}
.hours .el-input-number {
  width: 96px;
}
</style>
