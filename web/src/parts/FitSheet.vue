<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed, ref } from 'vue'
import type { Schemas } from '../api/client'

/** Hosts against terms: those that fit, then the near fits with what would do it; the rest is folded away. */
const props = defineProps<{ fit: Schemas['Fit'] }>()
const showsAll = ref(false)

const matters = computed(() => props.fit.hosts.filter((row) => row.fits || row.remedy || row.lacks === 1))
const shown = computed(() => (showsAll.value ? props.fit.hosts : matters.value))
const folded = computed(() => props.fit.hosts.length - matters.value.length)

function short(term: string): string {
  const [subject, name] = term.split(' ')
  return subject === 'tool' ? (name ?? term) : (subject ?? term)
}
</script>

<template>
  <div class="wide">
    <table class="plain-table">
      <thead>
        <tr>
          <th>Host</th>
          <th v-for="term in fit.terms" :key="term.term" :title="term.term">{{ short(term.term) }}</th>
          <th>Now</th>
          <th>What would do it</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in shown" :key="row.host">
          <td><RouterLink :to="{ name: 'host', params: { name: row.host } }">{{ row.host }}</RouterLink></td>
          <td v-for="verdict in row.verdicts" :key="verdict.term" class="machine" :class="verdict.holds ? 'well' : 'trouble'">
            <span aria-hidden="true">{{ verdict.holds ? '✓' : '✕' }}</span>
            <span class="for-screen-readers">{{ verdict.holds ? 'holds:' : 'does not hold:' }}</span>
            {{ verdict.found || 'none' }}
          </td>
          <td>{{ row.readiness }}</td>
          <td>{{ row.remedy || (row.fits ? 'nothing: it fits' : '') }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-if="!shown.length" class="soft">No host comes near: each lacks two terms or more.</p>
  <p v-if="folded" class="soft">
    {{ folded }} {{ folded === 1 ? 'host lacks' : 'more hosts lack' }} more than that.
    <Button type="link" size="small" @click="showsAll = !showsAll">{{ showsAll ? 'Fold them' : 'Show them' }}</Button>
  </p>
</template>

<style scoped>
.wide {
  overflow-x: auto;
}

td {
  white-space: nowrap;
}

td:last-child {
  white-space: normal;
}
</style>
