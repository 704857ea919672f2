<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import ChangeLines from './ChangeLines.vue'
import { ending } from './fleet-columns'
import MachineText from '../../kit/MachineText.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count } from '../../kit/format'

/** Where is this tool, who needs which version, and what would stop if one went? */
const props = defineProps<{ name: string }>()
const tool = ref<Schemas['ToolPage'] | null>(null)
const trouble = ref('')
const opened = ref(new Set<string>())
const today = new Date().toISOString().slice(0, 10)

async function load(): Promise<void> {
  const asked = props.name
  try {
    const answer = await answered(api.GET('/api/v1/tools/{name}/', { params: { path: { name: asked } } }))
    if (asked !== props.name) return
    tool.value = answer
    trouble.value = ''
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
watch(() => props.name, () => void load(), { immediate: true })
const loadSoon = gathered(load, 2000)
onNote((note) => {
  if (['host', 'catalogue', 'everything'].includes(note.noun)) loadSoon()
})

const hosts = computed(() => new Set((tool.value?.versions ?? []).flatMap((one) => one.installations.map((at) => at.host))).size)

function toggle(version: string): void {
  if (!opened.value.delete(version)) opened.value.add(version)
}
</script>

<template>
  <div class="screen">
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }} <RouterLink :to="{ name: 'toolchains' }">To the toolchains</RouterLink></p>
    <template v-if="tool">
      <h1>{{ tool.title }} <code class="word">tool {{ tool.name }}</code></h1>
      <p class="soft">
        {{ tool.kind }}<template v-if="tool.aliases.length"> · also called {{ tool.aliases.join(', ') }}</template> · {{ count(tool.versions.length, 'version') }} on
        {{ count(hosts, 'host') }}<template v-if="tool.lacking.length">, not on {{ tool.lacking.length }}</template> ·
        <RouterLink :to="{ name: 'toolchains', query: { view: 'catalogue', tool: tool.name } }">detection</RouterLink>
      </p>
      <div class="two">
        <section aria-label="Versions">
          <h2>Versions, newest first</h2>
          <p v-if="!tool.versions.length" class="soft">No host has it.</p>
          <div v-for="one in tool.versions" :key="one.version" class="version" :data-version="one.version">
            <div class="row top">
              <strong class="machine">{{ one.version }}</strong>
              <span>{{ count(one.installations.length, 'place') }}</span>
              <span v-if="one.ends" :class="ending(one.ends, today) ? 'trouble' : 'soft'" :title="tool.ends_source">{{ ending(one.ends, today) ? 'supported until' : 'support ends' }} {{ one.ends }}</span>
              <span v-if="one.stops.length" class="trouble stops">{{ count(one.stops.length, 'job') }} would stop without it</span>
              <span v-else class="well stops">no job needs it</span>
              <button type="button" class="bare note" :aria-expanded="opened.has(one.version)" @click="toggle(one.version)">{{ opened.has(one.version) ? 'less' : 'where' }}</button>
            </div>
            <ul v-if="one.stops.length" class="bare-list">
              <li v-for="job in one.stops" :key="job.pipeline + job.job" class="trouble">{{ job.pipeline }} / {{ job.job }} <span class="soft">ran {{ count(job.times, 'time') }} in 30 days</span></li>
            </ul>
            <table v-if="opened.has(one.version)" class="plain-table">
              <tbody>
                <tr v-for="at in one.installations" :key="at.host + at.path">
                  <td><RouterLink :to="{ name: 'host', params: { name: at.host } }">{{ at.host }}</RouterLink> <span class="soft">{{ at.paddock }}</span></td>
                  <td><MachineText :text="at.path" /><span v-if="at.plain" class="soft"> plain</span></td>
                  <td class="soft">since <TimeAgo :at="at.seen_since" /></td>
                </tr>
              </tbody>
            </table>
            <p v-else class="soft hosts">{{ [...new Set(one.installations.map((at) => at.host))].join(', ') }}</p>
          </div>
          <template v-if="tool.broken.length">
            <h2 class="trouble">Broken</h2>
            <table class="plain-table">
              <tbody>
                <tr v-for="one in tool.broken" :key="one.host + one.path">
                  <td><RouterLink :to="{ name: 'host', params: { name: one.host } }">{{ one.host }}</RouterLink></td>
                  <td class="machine wide"><span class="soft">{{ one.path }}</span><br />{{ one.why }}</td>
                </tr>
              </tbody>
            </table>
          </template>
        </section>
        <div>
          <section aria-label="Jobs that ask for it">
            <h2>Asked for in 30 days</h2>
            <p v-if="!tool.asked.length" class="soft">No job asked for it.</p>
            <table v-else class="plain-table">
              <thead><tr><th>Job</th><th>Range</th><th>Times</th><th>Accepts</th></tr></thead>
              <tbody>
                <tr v-for="one in tool.asked" :key="one.pipeline + one.job + one.range">
                  <td>{{ one.pipeline }} / {{ one.job }}</td>
                  <td class="machine">{{ one.range || 'any' }}</td>
                  <td>{{ one.times }}</td>
                  <td class="machine" :class="{ trouble: !one.versions.length }">{{ one.versions.join(', ') || 'none installed' }}</td>
                </tr>
              </tbody>
            </table>
          </section>
          <section aria-label="Recent changes">
            <h2>What changed</h2>
            <p v-if="!tool.changes.length" class="soft">No changes since the first surveys.</p>
            <ChangeLines v-else :changes="tool.changes.slice(0, 30)" with-host />
          </section>
          <section v-if="tool.lacking.length" aria-label="Hosts without it">
            <h2>Missing on</h2>
            <p class="soft hosts">{{ tool.lacking.join(', ') }}</p>
          </section>
        </div>
      </div>
    </template>
  </div>
</template>

<style scoped>
.word {
  margin-left: 8px;
  font-weight: 400;
  color: var(--ink-soft);
}

.two {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 28px;
  margin-top: 14px;
}

.version {
  margin-top: 6px;
  padding: 6px 0 6px 10px;
  border-left: 3px solid var(--fence);
}

.top {
  gap: 14px;
}

.top .stops {
  margin-left: auto;
}

.hosts {
  overflow-wrap: anywhere;
}

.bare-list {
  margin: 2px 0 0;
  padding: 0;
  list-style: none;
}

section + section,
table + h2,
.version + h2 {
  margin-top: 18px;
}

.wide {
  overflow-wrap: anywhere;
}
</style>
