<script setup lang="ts">
import { Button, Input, Popover } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api } from '../../api/client'
import { useAction } from '../../kit/useAction'

/** Asks the administrators of a paddock for a role there. */
const { role, paddock } = defineProps<{ role: 'operator' | 'administrator'; paddock: string }>()
const isOpen = ref(false)
const isSent = ref(false)
const reason = ref('')
const { isBusy, trouble, perform } = useAction()

function ask(): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/access-requests/', { body: { role, paddock, reason: reason.value } }))
    isOpen.value = false
    isSent.value = true
  })
}
</script>

<template>
  <span v-if="isSent" class="soft" role="status">Sent to the administrators of {{ paddock }}.</span>
  <Popover v-else v-model:open="isOpen" trigger="click" :title="`Become ${role} in ${paddock}`">
    <template #content>
      <form class="ask" @submit.prevent="ask">
        <label>Reason<Input v-model:value="reason" :maxlength="300" placeholder="on call for the signing hosts" data-field="access-reason" /></label>
        <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        <Button type="primary" html-type="submit" :loading="isBusy" :disabled="!reason.trim()" data-act="send-access">Send the request</Button>
      </form>
    </template>
    <Button type="link" size="small" data-act="ask-access">Request access</Button>
  </Popover>
</template>

<style scoped>
.ask {
  display: grid;
  gap: 8px;
  width: 280px;
}
</style>
