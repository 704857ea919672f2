<script setup lang="ts">
import { Button, Popconfirm } from 'ant-design-vue'
import { computed } from 'vue'
import { applyRemedy, type Help } from './board'
import { useSession } from '../people/session'
import { useYard } from '../yard/yard'
import AskAccess from '../people/AskAccess.vue'
import { useAction } from '../../kit/useAction'

/** One remedy: a button where the server can do it, and words with where to go where a person has to. */
const props = defineProps<{ help: Help; jobs: number[]; primary?: boolean; forGood?: boolean; label?: string }>()
const emit = defineEmits<{ done: [] }>()
const session = useSession()
const yard = useYard()
if (!yard.plates.length) void yard.load()
const { isBusy, trouble, perform } = useAction()

/** What changes other people's jobs, or a host or a fence for good, is asked for twice. */
const asks: Help['kind'][] = ['let in', 'resume', 'admit', 'take a label off', 'add slots']

/** What a chore does: it opens ready to be written. */
const installs: Help['kind'][] = ['install', 'install as elsewhere']

function carryOut(): Promise<void> {
  return perform(async () => {
    await applyRemedy(props.help, props.jobs, props.forGood ?? true)
    emit('done')
  })
}

/** The paddock that the remedy touches; undefined where it changes only the job. */
const paddock = computed(() => (props.help.kind === 'let in' ? props.help.place : yard.plates.find((plate) => plate.name === props.help.place)?.paddock))
const mayDo = computed(() => session.may(props.help.needs_role, paddock.value || undefined))
const whoMay = computed(() => `${props.help.needs_role === 'administrator' ? 'An administrator' : 'An operator'}${paddock.value ? ` of ${paddock.value}` : ''} can do this.`)

function text(): string {
  return props.label ?? props.help.text.replaceAll('`', '')
}
</script>

<template>
  <span class="help">
    <template v-if="help.can_be_done && !mayDo">
      <Button disabled :size="primary ? 'middle' : 'small'" :data-help="help.kind">{{ text() }}</Button>
      <span class="soft">{{ whoMay }}</span>
      <AskAccess v-if="paddock && help.needs_role !== 'viewer'" :role="help.needs_role" :paddock="paddock" />
    </template>
    <template v-else-if="help.can_be_done">
      <Popconfirm v-if="asks.includes(help.kind)" :title="`${text().charAt(0).toUpperCase()}${text().slice(1)}?`" ok-text="Confirm" cancel-text="Cancel" @confirm="carryOut">
        <Button :type="primary ? 'primary' : 'default'" :size="primary ? 'middle' : 'small'" :loading="isBusy" :data-help="help.kind">{{ text() }}…</Button>
      </Popconfirm>
      <Button v-else :type="primary ? 'primary' : 'default'" :size="primary ? 'middle' : 'small'" :loading="isBusy" :data-help="help.kind" @click="carryOut">{{ text() }}</Button>
    </template>
    <RouterLink v-else-if="help.kind === 'bring in a host'" :to="{ name: 'bring-in' }">{{ text() }}</RouterLink>
    <RouterLink v-else-if="installs.includes(help.kind) && session.may('administrator')" :to="{ name: 'new-chore', query: { hosts: help.place, for: help.what, name: text() } }" data-help="install">{{ text() }}</RouterLink>
    <RouterLink v-else-if="help.place && help.kind !== 'let in'" :to="{ name: 'host', params: { name: help.place } }">{{ text() }}</RouterLink>
    <span v-else>{{ text() }}</span>
    <span v-if="trouble" class="trouble" role="alert">{{ trouble }}</span>
  </span>
</template>

<style scoped>
.help {
  display: inline-flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 8px;
}

.help :deep(button) {
  height: auto;
  white-space: normal;
  text-align: left;
}
</style>
