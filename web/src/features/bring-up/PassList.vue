<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { onNote } from '../../live/feed'
import CopyText from '../../kit/CopyText.vue'
import { useAction } from '../../kit/useAction'
import MakePass from './MakePass.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count, duration } from '../../kit/format'

/** The entry passes that are good now: who could join with them, and how to stop that. */
const passes = ref<Schemas['Pass'][]>([])
const made = ref<Schemas['NewPass'] | null>(null)
const { isBusy, trouble, perform } = useAction()
const usable = computed(() =>
  passes.value.filter((one) => !one.revoked_at && one.used < one.uses && Date.parse(one.ends_at) > Date.now()),
)

function load(): Promise<void> {
  return perform(async () => {
    passes.value = (await answered(api.GET('/api/v1/passes/'))).results
  })
}

void load()
onNote((note) => {
  if (note.noun === 'pass' || note.noun === 'everything') void load()
})

function replace(one: Schemas['Pass']): Promise<void> {
  return perform(async () => {
    made.value = await answered(api.POST('/api/v1/passes/{id}/replace/', { params: { path: { id: one.id } } }))
    await load()
  })
}

function revoke(one: Schemas['Pass']): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/passes/{id}/revoke/', { params: { path: { id: one.id } } }))
    await load()
  })
}

function ends(moment: string): string {
  return `expires in ${duration((Date.parse(moment) - Date.now()) / 1000)}`
}
</script>

<template>
  <section aria-label="Entry passes">
    <h2>Valid passes</h2>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="made">
      <p>New pass “{{ made.name }}”. It is shown only now:</p>
      <CopyText :text="made.secret" data-pass />
    </template>
    <p v-if="!usable.length" class="soft">No valid passes. Each bring-up sheet makes its own.</p>
    <table v-else class="plain-table">
      <tbody>
        <tr v-for="one in usable" :key="one.id">
          <td>{{ one.name }}<br /><span class="soft">{{ one.paddock }} · by {{ one.made_by }}, <TimeAgo :at="one.made_at" /></span></td>
          <td>
            {{ count(one.uses - one.used, 'use') }} left<br /><span class="soft">{{ ends(one.ends_at) }}</span>
            <span v-if="one.hosts.length" class="soft"><br />used by {{ one.hosts.join(', ') }}</span>
          </td>
          <td class="acts">
            <Button size="small" :disabled="isBusy" title="Makes a new pass of the same kind and revokes this one" @click="replace(one)">Replace</Button>
            <Popconfirm :title="`Revoke “${one.name}”? No agent can join with it any more. Hosts that have joined stay.`" ok-text="Revoke" cancel-text="Cancel" @confirm="revoke(one)">
              <Button size="small" :disabled="isBusy">Revoke…</Button>
            </Popconfirm>
          </td>
        </tr>
      </tbody>
    </table>
    <MakePass class="make" @made="made = $event" />
  </section>
</template>

<style scoped>
h2 {
  margin: 0 0 4px;
}

.make {
  margin-top: 12px;
}

.acts {
  white-space: nowrap;
}

.acts button + button {
  margin-left: 6px;
}
</style>
