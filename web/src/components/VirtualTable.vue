<script setup lang="ts" generic="Row extends { id: string }">
import { useElementSize, useScroll } from '@vueuse/core'
import { computed, nextTick, onMounted, onUnmounted, ref, useTemplateRef, watch } from 'vue'
import { onKeys } from '@/stores/keys'

/** A column: its key is the name of its cell's slot, and what `sort` is told. */
export interface Column {
  key: string
  label: string
  width: string
  sortable?: boolean
  align?: 'right'
}

/** A table of any length: only the rows in view are drawn. Every row is 32 px high; what is longer is cut and shown on hover.
 * j and k move, x selects, Enter follows the first link or button of the row. */
const props = defineProps<{
  rows: Row[]
  columns: Column[]
  label: string
  /** What is selected; without it no row can be. */
  picked?: Set<string>
  sort: { key: string; down: boolean }
  /** The row that is open beside the table: j and k go on from there. */
  current?: string
}>()
const emit = defineEmits<{
  'update:picked': [ids: Set<string>]
  'update:sort': [sort: { key: string; down: boolean }]
  /** j or k went to a row. */
  at: [row: Row]
}>()

const height = 32
const spare = 12
const room = useTemplateRef<HTMLElement>('room')
const { y } = useScroll(room)
const size = useElementSize(room)
const first = computed(() => Math.max(0, Math.min(Math.floor(y.value / height) - spare, props.rows.length)))
const shown = computed(() => Math.ceil((size.height.value || 600) / height) + 2 * spare)
const slice = computed(() => props.rows.slice(first.value, first.value + shown.value))
const below = computed(() => Math.max(0, props.rows.length - first.value - slice.value.length))
const all = computed(() => props.rows.length > 0 && props.rows.every((r) => props.picked?.has(r.id)))

function pick(id: string): void {
  if (props.picked === undefined) return
  const next = new Set(props.picked)
  if (!next.delete(id)) next.add(id)
  emit('update:picked', next)
}

const at = ref(-1)
watch(
  () => props.current,
  (id) => {
    const i = props.rows.findIndex((r) => r.id === id)
    if (i >= 0) at.value = i
  },
)

async function move(by: number): Promise<void> {
  if (props.rows.length === 0) return
  at.value = Math.max(0, Math.min(props.rows.length - 1, at.value + by))
  const row = props.rows[at.value]
  if (row !== undefined) emit('at', row)
  const el = room.value
  if (el === null) return
  const top = at.value * height
  if (top < el.scrollTop) el.scrollTop = top
  if (top + 2 * height > el.scrollTop + el.clientHeight) el.scrollTop = top + 2 * height - el.clientHeight
  await nextTick()
  el.querySelector<HTMLElement>(`tr[aria-rowindex="${at.value + 2}"] :is(a, button)`)?.focus({ preventScroll: true })
}

function act(key: string): boolean {
  const row = props.rows[at.value]
  if (key === 'j') void move(1)
  else if (key === 'k') void move(-1)
  else if (key === 'x' && row !== undefined) pick(row.id)
  else return false
  return true
}
let stop = (): void => undefined
onMounted(() => (stop = onKeys(act)))
onUnmounted(() => stop())

function pickAll(): void {
  emit('update:picked', all.value ? new Set() : new Set(props.rows.map((r) => r.id)))
}

function order(c: Column): void {
  emit('update:sort', { key: c.key, down: props.sort.key === c.key && !props.sort.down })
}

const direction = (c: Column): 'ascending' | 'descending' | undefined =>
  props.sort.key !== c.key ? undefined : props.sort.down ? 'descending' : 'ascending'

watch(
  () => [props.sort, props.rows.length === 0],
  () => {
    if (room.value !== null) room.value.scrollTop = 0
  },
)
</script>

<template>
  <div ref="room" class="room" tabindex="0" role="region" :aria-label="label">
    <table :aria-rowcount="rows.length + 1">
      <colgroup>
        <col v-if="picked" style="width: 36px" />
        <col v-for="c in columns" :key="c.key" :style="{ width: c.width }" />
      </colgroup>
      <thead>
        <tr aria-rowindex="1">
          <th v-if="picked" scope="col">
            <input type="checkbox" aria-label="Select all" :checked="all" @change="pickAll" />
          </th>
          <th v-for="c in columns" :key="c.key" scope="col" :class="c.align" :aria-sort="direction(c)">
            <button v-if="c.sortable" class="order" @click="order(c)">
              {{ c.label
              }}<span aria-hidden="true">{{ direction(c) === undefined ? '' : sort.down ? ' ↓' : ' ↑' }}</span>
            </button>
            <template v-else>{{ c.label }}</template>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="first > 0" aria-hidden="true" :style="{ height: `${first * height}px` }" />
        <tr
          v-for="(r, i) in slice"
          :key="r.id"
          class="line"
          :class="{ at: first + i === at }"
          :aria-rowindex="first + i + 2"
        >
          <td v-if="picked">
            <input
              type="checkbox"
              :aria-label="`Select row ${first + i + 1}`"
              :checked="picked.has(r.id)"
              @change="pick(r.id)"
            />
          </td>
          <td v-for="c in columns" :key="c.key" :class="c.align"><slot :name="c.key" :row="r" /></td>
        </tr>
        <tr v-if="below > 0" aria-hidden="true" :style="{ height: `${below * height}px` }" />
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.room {
  overflow: auto;
  background: var(--raised);
  border: 1px solid var(--line);
}
table {
  width: 100%;
  min-width: 760px;
  table-layout: fixed;
  border-collapse: collapse;
}
thead th {
  position: sticky;
  top: 0;
  z-index: 1;
  background: var(--raised);
  box-shadow: inset 0 -1px 0 var(--line);
  text-align: left;
  color: var(--muted);
  font-size: 12.5px;
  font-weight: 600;
  height: 32px;
  padding: 0 10px;
}
td {
  height: 32px;
  padding: 0 10px;
  border-bottom: 1px solid var(--line);
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  font-size: 13px;
}
tr.at td {
  background: var(--accent-soft);
}
.right {
  text-align: right;
}
input {
  width: 15px;
  height: 15px;
  margin: 0;
  vertical-align: middle;
  accent-color: var(--accent);
}
.order {
  background: none;
  border: 0;
  padding: 0;
  font: inherit;
  color: inherit;
  cursor: pointer;
}
</style>
