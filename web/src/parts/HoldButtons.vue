<script setup lang="ts">
import { Button, Input, Popover, Select } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api } from '../api/client'
import { useDoing } from './doing'

/** Holds or drains a host, or all of a paddock, with a reason and a planned end. */
const props = defineProps<{ host?: string; paddock?: string; size?: 'small' }>()
const emit = defineEmits<{ done: [said: string] }>()
const open = ref<'hold' | 'drain' | null>(null)
const reason = ref('')
const minutes = ref(0)
const { isBusy, trouble, doing } = useDoing()
const ENDS = [
  { value: 0, label: 'until somebody resumes it' }, { value: 60, label: 'for an hour' }, { value: 240, label: 'for four hours' },
  { value: 1440, label: 'for a day' }, { value: 10080, label: 'for a week' },
]
const SAID = { hold: 'Held: no new job goes there.', drain: 'Draining: what runs may finish.' }

function act(verb: 'hold' | 'drain'): Promise<void> {
  return doing(async () => {
    const body = { reason: reason.value.trim(), until: minutes.value ? new Date(Date.now() + minutes.value * 60_000).toISOString() : null }
    if (props.host) {
      const params = { path: { name: props.host } }
      await answered(verb === 'hold' ? api.POST('/api/v1/hosts/{name}/hold/', { params, body }) : api.POST('/api/v1/hosts/{name}/drain/', { params, body }))
    } else {
      await answered(api.POST('/api/v1/paddocks/{name}/{verb}/', { params: { path: { name: props.paddock ?? '', verb } }, body }))
    }
    open.value = null
    reason.value = ''
    emit('done', SAID[verb])
  })
}
</script>

<template>
  <Popover v-for="verb in ['hold', 'drain'] as const" :key="verb" :open="open === verb" trigger="click" placement="bottomRight" @update:open="(is: boolean) => (open = is ? verb : null)">
    <template #content>
      <form class="why" @submit.prevent="act(verb)">
        <p class="soft">{{ verb === 'hold' ? 'It takes no new job from now on; what runs goes on.' : 'It finishes what runs, and is held then.' }}</p>
        <Input v-model:value="reason" placeholder="Why (for your colleagues)" :maxlength="300" aria-label="Why" data-field="reason" />
        <Select v-model:value="minutes" :options="ENDS" aria-label="Planned end" />
        <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        <Button type="primary" html-type="submit" :loading="isBusy" :data-act="`do-${verb}`">{{ verb === 'hold' ? 'Hold' : 'Drain' }} {{ host ?? `all of ${paddock}` }}</Button>
      </form>
    </template>
    <Button :size="size" :data-act="verb">{{ verb === 'hold' ? 'Hold…' : 'Drain…' }}</Button>
  </Popover>
</template>

<style scoped>
.why {
  display: flex;
  flex-direction: column;
  gap: 8px;
  width: 270px;
}
</style>
