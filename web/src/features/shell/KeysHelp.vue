<script setup lang="ts">
import { Modal } from 'ant-design-vue'
import PlateLegend from '../yard/PlateLegend.vue'

const open = defineModel<boolean>('open', { required: true })
const KEYS = [
  ['1', 'the yard'],
  ['2', 'the board'],
  ['3', 'the toolchains'],
  ['4', 'the watch'],
  ['5', 'the plan'],
  ['6', 'the logbook'],
  ['/', 'find a host or a job'],
  ['n', 'bring in a host (in the yard)'],
  ['j', 'send a job (on the board)'],
  ['?', 'this'],
]
</script>

<template>
  <Modal v-model:open="open" title="Keys and marks" :footer="null" width="640px">
    <dl>
      <template v-for="[key, what] in KEYS" :key="key">
        <dt><kbd>{{ key }}</kbd></dt>
        <dd>{{ what }}</dd>
      </template>
    </dl>
    <PlateLegend />
  </Modal>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 4px 12px;
}

dd {
  margin: 0;
}

kbd {
  display: inline-block;
  min-width: 22px;
  padding: 0 6px;
  border: 1px solid var(--slate);
  border-radius: 3px;
  text-align: center;
}
</style>
