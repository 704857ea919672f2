<script setup lang="ts">
import type { Schemas } from '../../api/client'
import CheckList from './CheckList.vue'
import CopyText from '../../kit/CopyText.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { duration } from '../../kit/format'

/** The steps of a bring-up, from the script to the proof: which are done, where it stands, what to do. */
defineProps<{ sheet: Schemas['BringUp'] }>()

const WORDS: Record<Schemas['StepRow']['state'], string> = {
  done: 'done',
  now: 'now',
  failed: 'failed',
  waits: '',
  'left out': 'left out',
}

/** Steps that running the command again takes up. */
const AGAIN = new Set<Schemas['StepRow']['step']>(['preflight', 'install', 'join'])

function moment(seconds: number): string {
  return new Date(seconds * 1000).toISOString()
}
</script>

<template>
  <ol class="ladder" aria-label="The steps of the bring-up">
    <li v-for="row in sheet.steps" :key="row.step" :class="row.state.replace(' ', '-')" :data-step="row.step" :data-state="row.state">
      <div class="rung">
        <strong>{{ row.title }}</strong>
        <em v-if="WORDS[row.state]">{{ WORDS[row.state] }}</em>
        <span v-if="row.seconds !== null && row.seconds >= 0.05" class="soft">took {{ duration(row.seconds) }}</span>
        <span v-if="row.at" class="soft when"><TimeAgo :at="moment(row.at)" /></span>
      </div>
      <p v-if="row.detail && row.state !== 'done'" class="detail">{{ row.detail }}</p>
      <CheckList v-if="row.step === 'preflight' && sheet.checks.length" :checks="sheet.checks" :folded="row.state === 'done'" />
      <div v-if="row.remedy.length && row.state === 'failed'" class="remedy">
        <p class="soft">Run on the machine:</p>
        <CopyText v-for="command in row.remedy" :key="command" :text="command" />
      </div>
      <p v-if="row.state === 'failed' && AGAIN.has(row.step)" class="soft">Then run the command again. It continues from this step.</p>
      <slot :name="row.step" :row="row" />
    </li>
  </ol>
</template>

<style scoped>
/* A post for each step, and the rail between them: solid behind, dashed where it stands now, dotted ahead. */
.ladder {
  margin: 0;
  padding: 0;
  list-style: none;
}

li {
  position: relative;
  padding: 0 0 16px 26px;
}

li::before {
  position: absolute;
  top: 3px;
  bottom: -3px;
  left: 5px;
  border-left: 2px dotted var(--fence);
  content: '';
}

li:last-child::before {
  display: none;
}

li::after {
  position: absolute;
  top: 2px;
  left: 0;
  width: 12px;
  height: 16px;
  border: 1.5px dotted var(--slate);
  border-radius: 2px 2px 0 0;
  background: var(--paper);
  content: '';
}

.done::before {
  border-left-style: solid;
  border-color: var(--moss);
}

.done::after {
  border: 1.5px solid var(--moss);
  background: var(--moss);
}

.now::after {
  border: 1.5px solid var(--yellow-deep);
  background: linear-gradient(0deg, var(--yellow) 50%, var(--paper) 50%);
}

.failed::after {
  border: 1.5px solid var(--rust);
  background: linear-gradient(45deg, var(--paper) 50%, var(--rust) 50%);
}

.left-out::after {
  border-style: solid;
  border-color: var(--fence);
}

.rung {
  display: flex;
  align-items: baseline;
  gap: 10px;
}

.waits strong,
.left-out strong {
  color: var(--ink-soft);
  font-weight: 500;
}

em {
  font-size: 12px;
  font-style: normal;
  font-weight: 600;
}

.done em {
  color: var(--moss);
}

.failed em {
  color: var(--rust);
}

.soft {
  font-size: 12.5px;
}

.when {
  margin-left: auto;
}

.detail {
  margin-top: 2px;
  white-space: pre-line;
  overflow-wrap: anywhere;
}

.failed .detail {
  color: var(--rust);
  font-weight: 500;
}

.remedy {
  display: flex;
  flex-direction: column;
  gap: 5px;
  margin-top: 6px;
}
</style>
