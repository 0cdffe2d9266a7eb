<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ChannelsView from './ChannelsView.vue'
import KeysView from './KeysView.vue'
import LinksView from './LinksView.vue'
import ReleasesView from './ReleasesView.vue'
import SiteView from './SiteView.vue'
import StaffView from './StaffView.vue'

/** Who gets it, and which version: the line of releases with its gate, and the places at which the live one is asked. */
const route = useRoute()
const router = useRouter()
const views = [
  { key: '', label: 'Releases' },
  { key: 'site', label: 'On a site' },
  { key: 'links', label: 'Links' },
  { key: 'keys', label: 'Programs' },
  { key: 'channels', label: 'Messages and mail' },
  { key: 'staff', label: 'Staff' },
]
const view = computed({
  get: () => String(route.query.view ?? ''),
  set: (v) => void router.push({ query: v === '' ? {} : { view: v } }),
})
</script>

<template>
  <div class="serve">
    <div class="tabs" role="tablist" aria-label="What is shown">
      <button v-for="v in views" :key="v.key" role="tab" :aria-selected="view === v.key" @click="view = v.key">
        {{ v.label }}
      </button>
    </div>
    <SiteView v-if="view === 'site'" />
    <LinksView v-else-if="view === 'links'" />
    <KeysView v-else-if="view === 'keys'" />
    <ChannelsView v-else-if="view === 'channels'" />
    <StaffView v-else-if="view === 'staff'" />
    <ReleasesView v-else />
  </div>
</template>

<style scoped>
.serve {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  height: 100%;
}
.tabs {
  padding: 6px 16px 0;
}
</style>
