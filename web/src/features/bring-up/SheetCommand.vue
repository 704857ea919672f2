<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import CopyText from '../../kit/CopyText.vue'
import { useAction } from '../../kit/useAction'

/** The one command for the machine. Its pass is shown when it is made, and never again: later a new one is made. */
const props = defineProps<{ sheet: Schemas['BringUp']; command: Schemas['Command'] | null }>()
const emit = defineEmits<{ renewed: [made: Schemas['NewBringUp']] }>()
const { isBusy, trouble, perform } = useAction()
const looksFirst = ref(false)

function renew(): Promise<void> {
  return perform(async () => {
    emit('renewed', await answered(api.POST('/api/v1/bring-ups/{id}/renew/', { params: { path: { id: props.sheet.id } } })))
  })
}
</script>

<template>
  <section class="command" aria-label="The command">
    <template v-if="command">
      <h2>Paste this into {{ command.shell }} on the machine</h2>
      <CopyText :text="looksFirst ? command.look : command.run" data-command />
      <p class="soft">
        It downloads the script from this server, verifies its checksum and checks the machine before it changes anything.
        The pass in it is shown only now and works for one machine.
      </p>
      <label class="first"><input v-model="looksFirst" type="checkbox" /> Only check the machine; change nothing</label>
    </template>
    <template v-else>
      <h2>Command</h2>
      <p class="soft">The pass was shown once; the server stores only its hash. A machine that has started can finish with the command it has.</p>
      <Button :loading="isBusy" title="Revokes the pass in the old command" @click="renew">New command</Button>
    </template>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </section>
</template>

<style scoped>
.command {
  display: flex;
  flex-direction: column;
  align-items: stretch;
  gap: 7px;
}

.command > button {
  align-self: flex-start;
}

.soft,
.first {
  font-size: 12.5px;
}

.first input {
  accent-color: var(--ink);
}
</style>
