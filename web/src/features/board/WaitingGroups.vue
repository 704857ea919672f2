<script setup lang="ts">
import { ref } from 'vue'
import type { Schemas } from '../../api/client'
import { priorityWord } from './priorities'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count } from '../../kit/format'

/** Waiting jobs by what they wait for. Jobs that ask for the same are one entry, and open on demand. */
const props = defineProps<{ lots: { kind: string; groups: Schemas['WaitingGroup'][]; count: number }[]; chosen: number | null }>()
const opened = ref<Set<string>>(new Set())

function key(group: Schemas['WaitingGroup']): string {
  return `${group.kind}|${group.reason}|${group.terms.join('|')}|${group.slots}`
}

function isOpen(group: Schemas['WaitingGroup']): boolean {
  return opened.value.has(key(group)) || group.jobs.some((job) => job.id === props.chosen)
}

function toggle(group: Schemas['WaitingGroup']): void {
  const next = new Set(opened.value)
  if (!next.delete(key(group))) next.add(key(group))
  opened.value = next
}

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}

/** What sets a group apart from others in a line: its names. */
function names(group: Schemas['WaitingGroup']): string {
  const found = [...new Set(group.jobs.map((job) => job.name))]
  return found.length > 2 ? `${found.slice(0, 2).join(', ')} …` : found.join(', ')
}
</script>

<template>
  <section v-for="lot in lots" :key="lot.kind" :data-kind="lot.kind">
    <h2>{{ capital(lot.kind) }}<span>{{ lot.count }}</span></h2>
    <template v-for="group in lot.groups" :key="key(group)">
      <button v-if="group.count > 1" type="button" class="bare many" :aria-expanded="isOpen(group)" @click="toggle(group)">
        <span><strong>{{ names(group) }}</strong> <span class="soft">× {{ group.count }}</span></span>
        <span class="soft">{{ group.pipelines.map((one) => one.name).slice(0, 3).join(', ') }} · the oldest <TimeAgo :at="group.oldest" /></span>
      </button>
      <div v-if="group.count === 1 || isOpen(group)" :class="{ inside: group.count > 1 }">
        <RouterLink v-for="job in group.jobs" :key="job.id" class="job" :class="{ chosen: job.id === chosen }" :to="{ name: 'board', params: { id: String(job.id) } }" :data-job="job.id">
          <strong>{{ job.name }}</strong>
          <span class="soft">{{ job.pipeline }} · <TimeAgo :at="job.submitted_at" /><template v-if="job.priority"> · {{ priorityWord(job.priority) }}</template><template v-if="group.slots > 1"> · {{ count(group.slots, 'slot') }}</template></span>
        </RouterLink>
        <p v-if="group.count > group.jobs.length" class="soft more">and {{ group.count - group.jobs.length }} more with the same terms</p>
      </div>
    </template>
  </section>
</template>

<style scoped>
h2 {
  display: flex;
  justify-content: space-between;
  margin: 12px 16px 4px 18px;
  font-size: 13px;
}

.many {
  display: flex;
  flex-direction: column;
  width: 100%;
  padding: 6px 16px 6px 33px;
  font-size: 13px;
  text-align: left;
}

.many:hover {
  background: var(--paper-deep);
}

.inside {
  margin-left: 30px;
  border-left: 1px solid var(--fence);
}

.inside .job {
  padding-left: 14px;
}

.more {
  margin: 2px 16px;
  font-size: 12px;
}
</style>
