<script setup lang="ts">
import { Input, Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api } from '../../api/client'
import { ALL, type Columns, type Filter } from '../toolchains/fleet-columns'

/** The hosts that are meant, as a sentence: “linux hosts in shoreline that have jdk <17”. */
const props = defineProps<{ columns: Columns }>()
const filter = defineModel<Filter>({ required: true })
const range = ref('')
const trouble = ref('')
let newest = 0
/** The range that a rail chose: it needs no reading by the server. */
let chosen: string | null = null

const systems = computed(() => [...new Set(props.columns.hosts.os.filter(Boolean))].sort())
const paddocks = computed(() => [...new Set(props.columns.hosts.paddock)].sort())
const systemOptions = computed(() => [{ value: '', label: 'all hosts' }, ...systems.value.map((one) => ({ value: one, label: `${one} hosts` }))])
const paddockOptions = computed(() => [{ value: '', label: 'every paddock' }, ...paddocks.value.map((one) => ({ value: one, label: one }))])
const toolOptions = computed(() => [{ value: '', label: 'any tool' }, ...props.columns.tools.map((one) => ({ value: one.name, label: one.name }))])
const VERBS = [{ value: 'has', label: 'have' }, { value: 'lacks', label: 'lack' }, { value: 'broken', label: 'have a broken' }]
const tool = computed(() => props.columns.tools.find((one) => one.name === filter.value.tool))
const isPlain = computed(() => JSON.stringify({ ...filter.value, versions: null }) === JSON.stringify(ALL) && !range.value)

function set(change: Partial<Filter>): void {
  filter.value = { ...filter.value, ...change }
}

function setTool(name: string): void {
  range.value = ''
  trouble.value = ''
  set({ tool: name, versions: null })
}

/** The server reads ranges: it alone knows how a tool's versions are ordered. */
async function narrow(): Promise<void> {
  const mine = ++newest
  const known = tool.value
  if (!known || !range.value.trim()) {
    trouble.value = ''
    if (known) set({ versions: null })
    return
  }
  try {
    const body = { tool: known.name, range: range.value.trim(), versions: known.versions }
    const answer = await answered(api.POST('/api/v1/toolchains/within/', { body }))
    if (mine !== newest) return
    trouble.value = ''
    set({ versions: new Set(answer.inside.flatMap((inside, version) => (inside ? [version] : []))) })
  } catch (error) {
    if (mine === newest) trouble.value = (error as Error).message
  }
}

let timer: ReturnType<typeof setTimeout> | undefined
watch(range, () => {
  clearTimeout(timer)
  // What was chosen on a rail is known already, and may be no range: "15.4 (15F31d)".
  if (range.value === chosen) return
  timer = setTimeout(() => void narrow(), 150)
})

function clear(): void {
  range.value = ''
  trouble.value = ''
  filter.value = ALL
}

defineExpose({
  /** From a rail: the hosts with one version, or with a broken one. */
  choose(tool: string, versions: number[] | 'broken', name: string): void {
    trouble.value = ''
    if (versions === 'broken') {
      set({ tool, has: 'broken', versions: null })
      return
    }
    chosen = name
    range.value = name
    set({ tool, has: 'has', versions: new Set(versions) })
  },
})
</script>

<template>
  <form class="filter" aria-label="Host filter" @submit.prevent="narrow">
    <Select :value="filter.os" size="small" aria-label="System" class="short" :options="systemOptions" @update:value="set({ os: String($event) })" />
    in
    <Select :value="filter.paddock" size="small" aria-label="Paddock" class="short" :options="paddockOptions" @update:value="set({ paddock: String($event) })" />
    that
    <Select :value="filter.has" size="small" aria-label="Have or lack" class="verb" :options="VERBS" @update:value="set({ has: $event as Filter['has'] })" />
    <Select :value="filter.tool" size="small" aria-label="Tool" class="tool" show-search :options="toolOptions" @update:value="setTool(String($event))" />
    <Input v-if="filter.tool && filter.has !== 'broken'" v-model:value="range" size="small" class="range machine" placeholder="<17" aria-label="Versions, as in a term" :status="trouble ? 'error' : ''" spellcheck="false" />
    named
    <Input :value="filter.sought" size="small" class="range" placeholder="part of a name" aria-label="Part of a host's name" @update:value="set({ sought: String($event) })" />
    <button v-if="!isPlain" type="button" class="bare note" @click="clear">clear</button>
    <span v-if="trouble" class="trouble" role="alert">{{ trouble }}</span>
  </form>
</template>

<style scoped>
.filter {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 6px;
}

.short {
  width: 124px;
}

.verb {
  width: 116px;
}

.tool {
  width: 132px;
}

.range {
  width: 112px;
}
</style>
