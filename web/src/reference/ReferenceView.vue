<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import AskState from '@/components/AskState.vue'
import { stages } from '@/router'
import { useAsk } from '@/stores/ask'
import { call, entries, kind, limits, matching, rows, schemaOf, type Description, type Entry } from './description'

/** Every operation of the REST API, made from its description. */
const route = useRoute()
const router = useRouter()
const {
  value: description,
  state,
  problem,
  load,
} = useAsk(async () => {
  const r = await fetch('/api/openapi.json')
  if (!r.ok) throw new Error(`The description did not come: status ${r.status}.`)
  return (await r.json()) as Description
})

const look = (query: Record<string, string | undefined>) => router.replace({ query: { ...route.query, ...query } })
const search = computed({
  get: () => String(route.query.q ?? ''),
  set: (q) => void look({ q: q === '' ? undefined : q }),
})
/** As the work goes; what belongs to no stage comes last. */
const order = ['corpora', ...stages.map((s) => s.key), 'people', 'keeping', 'connections']
const all = computed(() => (description.value ? entries(description.value) : []))
const groups = computed(() => {
  const out: { name: string; list: Entry[] }[] = []
  for (const e of matching(all.value, search.value)) {
    const name = e.op.tags[0] ?? 'other'
    const g = out.find((x) => x.name === name)
    if (g === undefined) out.push({ name, list: [e] })
    else g.list.push(e)
  }
  return out.sort((a, b) => order.indexOf(a.name) - order.indexOf(b.name))
})
const one = computed(() => all.value.find((e) => e.op.operationId === route.query.op))
const body = computed(() => schemaOf(one.value?.op.requestBody))
const reply = computed(() => {
  const r = one.value?.op.responses ?? {}
  return schemaOf(r['200'] ?? r['201'])
})
const home = location.origin
</script>

<template>
  <div class="panes reference">
    <nav class="left stack" aria-label="Operations">
      <h1>REST API</h1>
      <p class="hint">
        Everything that this interface does, a program can do. The same as a file:
        <a href="/api/openapi.json">OpenAPI 3.1</a>. What visitors' programs use is under Serve, Programs.
      </p>
      <ElInput v-model="search" placeholder="Find an operation" aria-label="Find an operation" clearable />
      <AskState :state="state" what="the description" :problem="problem" @again="load">
        <p v-if="groups.length === 0" class="muted">No match.</p>
        <section v-for="g in groups" :key="g.name">
          <h2>{{ g.name.charAt(0).toUpperCase() + g.name.slice(1) }}</h2>
          <ul class="queue">
            <li v-for="e in g.list" :key="e.op.operationId">
              <button :aria-current="one === e" @click="look({ op: e.op.operationId })">{{ e.op.summary }}</button>
            </li>
          </ul>
        </section>
      </AskState>
    </nav>
    <article class="right stack" aria-label="The operation" aria-live="polite">
      <template v-if="one && description">
        <h2>{{ one.op.summary }}</h2>
        <p v-if="one.op.description" class="read">{{ one.op.description }}</p>
        <p class="mono path">
          <strong>{{ one.method }}</strong> {{ one.path }}
        </p>
        <template v-if="(one.op.parameters ?? []).length > 0">
          <h3>In the address</h3>
          <table class="plain">
            <thead>
              <tr>
                <th>Name</th>
                <th>Kind</th>
                <th>What it says</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="p in one.op.parameters" :key="p.name">
                <td>
                  <span class="mono">{{ p.name }}</span> <span v-if="p.required" class="muted">needed</span>
                </td>
                <td>{{ kind(description, p.schema) }}</td>
                <td>{{ [p.description ?? '', limits(p.schema)].filter(Boolean).join(' · ') }}</td>
              </tr>
            </tbody>
          </table>
        </template>
        <template
          v-for="part in [
            { title: 'Sent', schema: body },
            { title: 'Comes back', schema: reply },
          ]"
          :key="part.title"
        >
          <template v-if="part.schema">
            <h3>
              {{ part.title }} <span class="muted kind">{{ kind(description, part.schema) }}</span>
            </h3>
            <table v-if="rows(description, part.schema).length > 0" class="plain">
              <thead>
                <tr>
                  <th>Field</th>
                  <th>Kind</th>
                  <th>What it says</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="(r, n) in rows(description, part.schema)" :key="n">
                  <td :style="{ paddingLeft: `${6 + r.depth * 16}px` }">
                    <span class="mono">{{ r.name }}</span>
                    <span v-if="r.needed && part.title === 'Sent'" class="muted"> needed</span>
                  </td>
                  <td>{{ r.kind }}</td>
                  <td>{{ r.says }}</td>
                </tr>
              </tbody>
            </table>
          </template>
        </template>
        <h3>Example</h3>
        <pre class="mono call" tabindex="0">{{ call(description, one, home) }}</pre>
        <p class="hint">
          A problem comes back as JSON with <span class="mono">status</span> and, in words,
          <span class="mono">detail</span> (RFC 9457).
        </p>
      </template>
      <p v-else class="muted">Choose an operation.</p>
    </article>
  </div>
</template>

<style scoped>
.reference {
  height: 100%;
}
.right {
  max-width: 900px;
}
.read {
  max-width: 72ch;
}
.path {
  overflow-wrap: anywhere;
}
.kind {
  font-weight: 400;
  font-size: 13px;
}
td {
  vertical-align: top;
  overflow-wrap: anywhere;
}
.call {
  background: var(--raised);
  border: 1px solid var(--line);
  padding: 10px 12px;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
