<script setup lang="ts">
import { computed } from 'vue'
import { pieces, type Range } from '@/api/bytes'

const props = defineProps<{ text: string; lit: Range[] }>()
const parts = computed(() =>
  pieces(props.text, props.lit).map((p) => ({ ...p, text: p.text.replace(/\n{2,}/g, '\n') })),
)
</script>

<template>
  <span class="lit"
    ><template v-for="(p, i) in parts" :key="i"
      ><mark v-if="p.lit">{{ p.text }}</mark
      ><template v-else>{{ p.text }}</template></template
    ></span
  >
</template>

<style scoped>
.lit {
  white-space: pre-line;
}
</style>
