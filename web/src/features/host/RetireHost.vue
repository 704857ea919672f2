<script setup lang="ts">
import { Button, Input, Popover } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api } from '../../api/client'
import { useAction } from '../../kit/useAction'

/** Retires a host, with the reason that its record will show. */
const { host } = defineProps<{ host: string }>()
const emit = defineEmits<{ done: [] }>()
const isOpen = ref(false)
const reason = ref('')
const { isBusy, trouble, perform } = useAction()

function retire(): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/hosts/{name}/retire/', { params: { path: { name: host } }, body: { reason: reason.value } }))
    isOpen.value = false
    emit('done')
  })
}
</script>

<template>
  <Popover v-model:open="isOpen" trigger="click" placement="bottomRight" :title="`Retire ${host}?`">
    <template #content>
      <form class="retire" @submit.prevent="retire">
        <p>Its key is revoked at once. Its record and jobs stay. You can undo this for seven days.</p>
        <label>Reason<Input v-model:value="reason" :maxlength="300" placeholder="disk failed, not worth repairing" data-field="retire-reason" /></label>
        <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        <p class="row"><Button type="primary" danger html-type="submit" :loading="isBusy" :disabled="!reason.trim()" data-act="retire">Retire {{ host }}</Button> <Button @click="isOpen = false">Cancel</Button></p>
      </form>
    </template>
    <Button data-act="ask-retire">Retire…</Button>
  </Popover>
</template>

<style scoped>
.retire {
  display: grid;
  gap: 8px;
  width: 320px;
}

.row {
  display: flex;
  gap: 8px;
  margin: 0;
}
</style>
