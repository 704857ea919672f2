<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import CopyText from '../../kit/CopyText.vue'
import { useAction } from '../../kit/useAction'
import TimeAgo from '../../kit/TimeAgo.vue'
import { exactly } from '../../kit/moments'

/** A host that is no longer in the yard: who took it out, why, and whether that can be undone. */
const { host, mayUndo } = defineProps<{ host: Schemas['Host']; mayUndo: boolean }>()
const emit = defineEmits<{ done: [result: string] }>()
const { isBusy, trouble, perform } = useAction()
const canUndo = computed(() => Boolean(host.undo_until && new Date(host.undo_until) > new Date()))

function undo(): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/hosts/{name}/undo-retirement/', { params: { path: { name: host.name } } }))
    emit('done', 'Back in the yard. Its agent connects when you start it.')
  })
}
</script>

<template>
  <section class="past" data-part="retired">
    <h2>{{ host.standing === 'retired' ? 'Retired' : 'Turned away' }}<template v-if="host.decided_at">{{ ' ' }}<TimeAgo :at="host.decided_at" /></template><template v-if="host.decided_by"> by {{ host.decided_by }}</template></h2>
    <p v-if="host.retired_because">Reason: {{ host.retired_because }}</p>
    <p class="soft">It takes no jobs. Its record follows.</p>
    <template v-if="canUndo">
      <p v-if="mayUndo"><Button :loading="isBusy" data-act="undo-retirement" @click="undo">Undo</Button> <span class="soft">possible until {{ exactly(host.undo_until!) }}. Then start its agent on the machine: <CopyText text="paddock-agent service start" /></span></p>
      <p v-else class="soft">An administrator of {{ host.paddock }} can undo this until {{ exactly(host.undo_until!) }}.</p>
    </template>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </section>
</template>

<style scoped>
.past {
  padding: 8px 12px;
  background: var(--paper-deep);
  border: 1px solid var(--slate);
}

.past h2 {
  margin-top: 0;
}
</style>
