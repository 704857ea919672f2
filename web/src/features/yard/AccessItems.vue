<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { ref } from 'vue'
import { allRows, answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useAction } from '../../kit/useAction'
import ChoiceField from '../../kit/ChoiceField.vue'
import { SPANS } from '../people/roles'
import HandItem from './HandItem.vue'

/** People who ask for a role in a paddock that this person administers. */
const found = defineModel<Schemas['AccessRequest'][]>({ required: true })
const { isBusy, trouble, perform } = useAction()

async function load(): Promise<void> {
  const open = await allRows((query) => api.GET('/api/v1/access-requests/', { params: { query } })).catch(() => [])
  found.value = open.filter((request) => request.may_decide)
}

const days = ref<Record<number, number>>({})

function decide(id: number, verb: 'grant' | 'decline'): Promise<void> {
  const params = { params: { path: { id } } }
  return perform(async () => {
    await answered(verb === 'grant' ? api.POST('/api/v1/access-requests/{id}/grant/', { ...params, body: { days: days.value[id] || null } }) : api.POST('/api/v1/access-requests/{id}/decline/', params))
    await load()
  })
}

void load()
const loadSoon = gathered(load)
onNote((note) => {
  if (note.noun === 'access' || note.noun === 'everything') loadSoon()
})
</script>

<template>
  <HandItem v-for="request in found" :key="request.id" what="Access" :since="request.asked_at" kind="note" :data-access="request.person">
    <template #title>{{ request.person }} requests the role {{ request.role }} in {{ request.paddock }}</template>
    {{ request.reason }}
    <template #actions>
      <ChoiceField class="small" :value="days[request.id] ?? 0" :options="SPANS" label="For how long" @update:value="(value) => (days[request.id] = value)" />
      <Button size="small" :loading="isBusy" data-act="grant-access" @click="decide(request.id, 'grant')">Make {{ request.person }} {{ request.role }}</Button>
      <Button size="small" :disabled="isBusy" data-act="decline-access" @click="decide(request.id, 'decline')">Decline</Button>
    </template>
  </HandItem>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
</template>
