<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { answered, api, type Schemas } from '../../api/client'
import { useYard } from '../yard/yard'
import { systemName } from '../../kit/format'

/** Finds a host by its name, or a job by its name, number or pipeline. */
const router = useRouter()
const yard = useYard()
const text = ref('')
const jobs = ref<Schemas['Job'][]>([])
const retired = ref<Schemas['Host'][]>([])
const isOpen = ref(false)
const trouble = ref('')
const chosen = ref(0)
const field = ref<HTMLInputElement | null>(null)
const MOST = 6

const found = computed(() => {
  const wanted = text.value.trim().toLowerCase()
  if (!wanted) return []
  const hosts = yard.plates
    .filter((plate) => plate.name.toLowerCase().includes(wanted))
    .slice(0, MOST)
    .map((plate) => ({ key: `host ${plate.name}`, title: plate.name, more: `${systemName(plate.os)} in ${plate.paddock}`, to: { name: 'host', params: { name: plate.name } } }))
  const matching = jobs.value
    .filter((job) => `${job.id} ${job.name} ${job.pipeline}`.toLowerCase().includes(wanted))
    .slice(0, MOST)
    .map((job) => ({ key: `job ${job.id}`, title: job.name, more: `job ${job.id} of ${job.pipeline}, ${job.state}`, to: { name: 'board', params: { id: String(job.id) } } }))
  const past = retired.value
    .filter((host) => host.name.toLowerCase().includes(wanted) && !yard.plates.some((plate) => plate.name.toLowerCase() === host.name.toLowerCase()))
    .slice(0, MOST)
    .map((host) => ({ key: `retired ${host.name}`, title: host.name, more: `retired from ${host.paddock}`, to: { name: 'host', params: { name: host.name } } }))
  return [...hosts, ...matching, ...past]
})

async function open(): Promise<void> {
  isOpen.value = true
  trouble.value = ''
  try {
    jobs.value = (await answered(api.GET('/api/v1/jobs/'))).results
    retired.value = (await answered(api.GET('/api/v1/hosts/', { params: { query: { standing: 'retired' } } }))).results
  } catch (error) {
    trouble.value = (error as Error).message
  }
}

function go(at: number): void {
  const one = found.value[at]
  if (!one) return
  isOpen.value = false
  text.value = ''
  field.value?.blur()
  void router.push(one.to)
}

function move(by: number): void {
  chosen.value = Math.max(0, Math.min(found.value.length - 1, chosen.value + by))
}

defineExpose({ focus: () => field.value?.focus() })
</script>

<template>
  <div class="find">
    <input
      ref="field"
      v-model="text"
      type="search"
      role="combobox"
      aria-label="Find a host or a job"
      aria-controls="found"
      :aria-expanded="isOpen && found.length > 0"
      placeholder="Find a host or a job…"
      @focus="open"
      @blur="isOpen = false"
      @input="chosen = 0"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter="go(chosen)"
      @keydown.esc="field?.blur()"
    />
    <kbd aria-hidden="true">/</kbd>
    <ul v-if="isOpen && text.trim()" id="found" role="listbox">
      <li v-for="(one, at) in found" :key="one.key" role="option" :aria-selected="at === chosen" @mousedown.prevent="go(at)">
        <strong>{{ one.title }}</strong> <span class="soft">{{ one.more }}</span>
      </li>
      <li v-if="trouble" class="trouble" role="alert">Jobs and retired hosts could not be searched: {{ trouble }}</li>
      <li v-else-if="!found.length" class="soft">No match among the hosts and the newest jobs.</li>
    </ul>
  </div>
</template>

<style scoped>
.find {
  position: relative;
  width: 230px;
}

input {
  width: 100%;
  padding: 4px 30px 4px 10px;
  border: 1px solid transparent;
  border-radius: 4px;
  background: rgb(255 255 255 / 10%);
  color: inherit;
  font: inherit;
}

input::placeholder {
  color: #b4b2aa;
}

kbd {
  position: absolute;
  top: 5px;
  right: 7px;
  padding: 0 6px;
  border: 1px solid var(--slate);
  border-radius: 3px;
  font-size: 12px;
}

ul {
  position: absolute;
  right: 0;
  left: -60px;
  margin: 4px 0 0;
  padding: 4px;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
  color: var(--ink);
  list-style: none;
}

li {
  padding: 4px 8px;
  border-radius: 3px;
  cursor: pointer;
}

li[aria-selected='true'] {
  background: var(--paper-deep);
}
</style>
