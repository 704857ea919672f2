<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import HandItem from './HandItem.vue'

/** Addresses from which wrong passes come, so many that it looks like guessing. */
const found = defineModel<Schemas['Guessing'][]>({ required: true })
const busy = ref('')

async function load(): Promise<void> {
  found.value = await answered(api.GET('/api/v1/guessing/')).catch(() => [])
}

async function dismiss(address: string): Promise<void> {
  busy.value = address
  await answered(api.POST('/api/v1/guessing/', { body: { address } })).catch(() => undefined)
  await load()
  busy.value = ''
}

void load()
const loadSoon = gathered(load)
onNote((note) => {
  if (note.noun === 'guessing' || note.noun === 'everything') loadSoon()
})
</script>

<template>
  <HandItem v-for="one in found" :key="one.address" what="Wrong passes" :since="one.last_at" kind="trouble" :data-guessing="one.address">
    <template #title>{{ one.tries }} wrong passes from {{ one.address }}</template>
    A person or program there is guessing, or repeats a wrong one. Each try waits longer than the one before. Check that machine;
    a fence can limit the networks of its agents.
    <template #actions><Button size="small" :loading="busy === one.address" @click="dismiss(one.address)">Dismiss</Button></template>
  </HandItem>
</template>
