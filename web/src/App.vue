<script setup lang="ts">
import { onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import AskStrip from './components/AskStrip.vue'
import CommandPalette from './components/CommandPalette.vue'
import StageLine from './components/StageLine.vue'
import SignIn from './people/SignIn.vue'
import { stages } from './router'
import { useCorpus } from './stores/corpus'
import { offerKey, singleKeys } from './stores/keys'
import { useSelf } from './stores/self'
import { useTheme } from './stores/theme'

const corpus = useCorpus()
const self = useSelf()
const route = useRoute()
const router = useRouter()
const strip = ref<InstanceType<typeof AskStrip>>()
const palette = ref<InstanceType<typeof CommandPalette>>()
const keysShown = ref(false)
useTheme()

watch(
  [() => route.params.corpus, () => self.self?.in === true],
  ([c, here]) => {
    if (!here) return
    corpus.open(typeof c === 'string' ? c : '').catch((e: unknown) => (corpus.problem = (e as Error).message))
  },
  { immediate: true },
)

const untyped = ['radio', 'checkbox', 'range', 'button', 'submit', 'reset', 'file', 'color', 'image']

function typing(e: KeyboardEvent): boolean {
  const t = e.target
  if (t instanceof HTMLInputElement) return !untyped.includes(t.type)
  return t instanceof HTMLElement && (t.isContentEditable || ['TEXTAREA', 'SELECT'].includes(t.tagName))
}

function key(e: KeyboardEvent): void {
  if ((e.ctrlKey || e.metaKey) && !e.altKey && e.key.toLowerCase() === 'k') {
    e.preventDefault()
    void palette.value?.show()
    return
  }
  if (!singleKeys.value || typing(e) || e.ctrlKey || e.metaKey || e.altKey || corpus.name === '') return
  const stage = stages[Number(e.key) - 1]
  if (/^[1-7]$/.test(e.key) && stage !== undefined) {
    void router.push({ name: stage.key, params: { corpus: corpus.name } })
  } else if (e.key === '/') {
    e.preventDefault()
    strip.value?.focus()
  } else if (e.key === '?') {
    keysShown.value = true
  } else if (offerKey(e.key)) {
    e.preventDefault()
  }
}

// What belongs to a corpus is asked for once somebody is there who may see it.
watch(
  () => self.self?.person ?? (self.self?.in === true ? 'machine' : ''),
  (who) => {
    if (who === '') return
    void corpus.load()
    corpus.watch()
  },
)

onMounted(() => {
  void self.load()
  window.addEventListener('keydown', key)
})
onUnmounted(() => window.removeEventListener('keydown', key))
</script>

<template>
  <div class="shell">
    <div>
      <StageLine v-if="self.self?.in === true && route.name !== 'welcome'" />
      <div v-if="(self.self?.damage ?? '') !== ''" class="notice bad damage" role="alert">
        The database is damaged. Stop the program and restore the newest backup into a new folder:
        <span class="mono">jolvex restore FILE --data FOLDER</span>
        <details>
          <summary>What was found</summary>
          {{ self.self?.damage }}
        </details>
      </div>
    </div>
    <main class="stage" :class="{ alone: self.self?.in !== true }">
      <p v-if="self.problem !== ''" class="notice bad" role="alert">
        {{ self.problem }} <button class="linkish" @click="self.load()">Try again</button>
      </p>
      <RouterView v-else-if="route.name === 'welcome' && self.self !== undefined" />
      <SignIn v-else-if="self.self?.in === false" />
      <p v-else-if="corpus.problem !== ''" class="notice bad" role="alert">
        {{ corpus.problem }} <button class="linkish" @click="corpus.load()">Try again</button>
      </p>
      <RouterView v-else-if="corpus.loaded" :key="String(route.params.corpus ?? '')" />
    </main>
    <CommandPalette ref="palette" />
    <AskStrip v-if="corpus.current !== undefined" ref="strip" />
    <ElDialog v-model="keysShown" title="Keys" width="460">
      <table class="plain">
        <tbody>
          <tr>
            <td class="mono">1 – 7</td>
            <td>go to a stage</td>
          </tr>
          <tr>
            <td class="mono">/</td>
            <td>ask a question</td>
          </tr>
          <tr>
            <td class="mono">Ctrl or ⌘ K</td>
            <td>find any document, question, run, setting or action</td>
          </tr>
          <tr>
            <td class="mono">j, k</td>
            <td>next and previous in a list</td>
          </tr>
          <tr>
            <td class="mono">Enter</td>
            <td>open</td>
          </tr>
          <tr>
            <td class="mono">x</td>
            <td>select; in Find: this is the one</td>
          </tr>
          <tr>
            <td class="mono">Esc</td>
            <td>close what is open</td>
          </tr>
          <tr>
            <td class="mono">?</td>
            <td>this list</td>
          </tr>
        </tbody>
      </table>
    </ElDialog>
  </div>
</template>

<style scoped>
.shell {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr) auto;
  height: 100vh;
}
.damage {
  margin: 0;
  border-radius: 0;
}
.stage {
  overflow: auto;
  min-height: 0;
}
.stage.alone {
  grid-row: 1 / 3;
}
.stage > .notice {
  margin: 16px;
}
</style>
