<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { useNow } from '../../kit/clock'
import { dayOf, exactly } from '../../kit/moments'
import TimeAgo from '../../kit/TimeAgo.vue'
import { useAction } from '../../kit/useAction'
import { SCOPES } from './roles'

/** Tokens: what each may do, until when, and when and from where it was last used. */
const props = defineProps<{ tokens: Schemas['Token'][]; account?: string }>()
const emit = defineEmits<{ changed: [] }>()
const now = useNow()
const { isBusy, trouble, perform } = useAction()
const rows = computed(() => props.tokens.map((one) => ({ ...one, isOver: Boolean(one.revoked_at) || (one.ends_at !== null && Date.parse(one.ends_at) <= now.value) })))
const endsSoon = (one: Schemas['Token']) => one.ends_at !== null && Date.parse(one.ends_at) - now.value < 14 * 86_400_000

function revoke(id: number): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/tokens/{id}/revoke/', { params: { path: { id } } }))
    emit('changed')
  })
}
</script>

<template>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  <p v-if="!tokens.length" class="soft">No tokens.</p>
  <table v-else class="plain-table">
    <thead><tr><th scope="col">Token</th><th scope="col">May</th><th scope="col">Ends</th><th scope="col">Last used</th><th scope="col"><span class="for-screen-readers">Actions</span></th></tr></thead>
    <tbody>
      <tr v-for="one in rows" :key="one.id" :data-token-row="one.name" :class="{ soft: one.isOver }">
        <td><strong>{{ one.name }}</strong><span v-if="one.account !== account" class="soft"> of {{ one.account }}</span></td>
        <td>{{ SCOPES.find((scope) => scope.value === one.scope)?.label.toLowerCase() }}<span v-if="one.paddocks.length" class="soft"> in {{ one.paddocks.join(', ') }}</span></td>
        <td>
          <template v-if="one.revoked_at">revoked by {{ one.revoked_by }}</template>
          <span v-else-if="one.ends_at" :class="{ trouble: endsSoon(one) }" :title="exactly(one.ends_at)">{{ one.isOver ? 'ended ' : '' }}{{ dayOf(one.ends_at) }}</span>
          <span v-else class="trouble">never</span>
        </td>
        <td><template v-if="one.last_used_at"><TimeAgo :at="one.last_used_at" /> <span class="machine soft">{{ one.last_used_from }}</span></template><span v-else class="soft">never</span></td>
        <td class="acts">
          <Popconfirm v-if="!one.isOver" :title="`Revoke “${one.name}” of ${one.account}? The program that uses it is refused at once.`" ok-text="Revoke" cancel-text="Cancel" @confirm="revoke(one.id)">
            <Button size="small" :disabled="isBusy" data-act="revoke-token">Revoke…</Button>
          </Popconfirm>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.acts {
  text-align: right;
}
</style>
