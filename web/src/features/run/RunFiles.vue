<script setup lang="ts">
import { computed } from 'vue'
import type { AttemptSheet } from './run'
import { linkTo } from '../../api/address'
import { count } from '../../kit/format'
import { dayOf } from '../../kit/moments'
import { diskSize } from '../../kit/units'

/** What the run left for people: its files, its tests, its proof. */
const props = defineProps<{ attempt: AttemptSheet }>()
const base = computed(() => linkTo(`/api/v1/jobs/${props.attempt.job}/attempts/${props.attempt.number}/`))
const tests = computed(() => props.attempt.tests)
const READABLE = /\.(?:txt|log|md|xml|html?|json|ya?ml|csv|ini|cfg|toml|c|h|py|java|png|jpe?g|gif|webp)$/i
</script>

<template>
  <template v-if="tests">
    <h2>Tests</h2>
    <p>
      {{ tests.passed }} passed<template v-if="tests.failed">, <strong class="trouble">{{ tests.failed }} failed</strong></template><template v-if="tests.newly_failing"> ({{ tests.newly_failing }} newly)</template><template v-if="tests.skipped">, {{ tests.skipped }} skipped</template>
    </p>
    <details v-for="one in tests.cases" :key="one.suite + one.name" class="test" :open="one.newly && tests.newly_failing <= 3">
      <summary><span class="machine">{{ one.suite }}{{ one.suite ? ' · ' : '' }}{{ one.name }}</span> <span v-if="one.newly" class="trouble">newly fails</span></summary>
      <pre>{{ one.message || 'No message.' }}</pre>
    </details>
  </template>
  <template v-if="attempt.outputs.length || attempt.left_out.length">
    <h2>Files</h2>
    <ul>
      <li v-for="file in attempt.outputs" :key="file.number">
        <a v-if="file.whole && !attempt.removed_at" class="machine" :href="`${base}outputs/${file.number}/`" :target="READABLE.test(file.path) ? '_blank' : undefined" rel="noopener">{{ file.path }}</a>
        <span v-else class="machine">{{ file.path }}</span>
        <span class="soft size" :title="`SHA-256 ${file.sha256}`"> {{ diskSize(file.size) }}</span>
        <span v-if="file.refused" class="trouble"> {{ file.refused }}</span>
        <span v-else-if="attempt.removed_at" class="soft"> · removed</span>
        <span v-else-if="!file.whole" class="soft"> uploading</span>
      </li>
    </ul>
    <p v-for="reason in attempt.left_out" :key="reason" class="soft">{{ reason }}</p>
  </template>
  <p v-if="attempt.retained_until && !attempt.removed_at" class="soft kept">Its log{{ attempt.outputs.length ? ' and files are' : ' is' }} kept until {{ dayOf(attempt.retained_until) }}.</p>
  <p v-if="attempt.state === 'passed'" class="proof"><a :href="`${base}proof/`">Proof of this run</a> <span class="soft">as an in-toto statement{{ attempt.outputs.length ? ` about ${count(attempt.outputs.length, 'file')}` : '' }}</span></p>
</template>

<style scoped>
h2 {
  margin: 14px 0 4px;
}

ul {
  margin: 0;
  padding: 0;
  list-style: none;
}

li,
p {
  overflow-wrap: anywhere;
}

.size {
  margin-left: 8px;
}

.kept,
.proof {
  margin-top: 10px;
}

.test summary {
  cursor: pointer;
  overflow-wrap: anywhere;
}

pre {
  margin: 2px 0 8px;
  padding: 6px 10px;
  border: 1px solid var(--fence);
  border-radius: 4px;
  max-height: 180px;
  overflow: auto;
  background: var(--plate);
  white-space: pre-wrap;
}
</style>
