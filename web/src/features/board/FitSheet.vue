<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed, ref } from 'vue'
import type { Schemas } from '../../api/client'
import HelpButton from './HelpButton.vue'
import TimeAgo from '../../kit/TimeAgo.vue'

/** Hosts against terms: those that fit, then the near fits, the cheapest remedy first; the rest is folded away. What is
 * offered above for all of them is not offered again in each row. */
const props = defineProps<{ fit: Schemas['Fit']; job?: number; showsAll: boolean; offered?: Schemas['Help'] | null }>()
const emit = defineEmits<{ 'update:showsAll': [boolean]; helped: [] }>()
const BLOCKS: Record<string, string> = { fence: 'its fence', reserved: 'reserved', 'too few slots': 'too few slots' }

const showsBorrowing = ref(false)
const borrowing = computed(() => props.fit.hosts.filter(borrows))

const lots = computed(() => {
  const rows = props.fit.hosts
  return [
    { title: 'Fits', rows: rows.filter((row) => row.fits), folded: 0 },
    { title: 'Near fits', rows: rows.filter((row) => !row.fits && row.remedy && !borrows(row)), folded: 0 },
    { title: 'Would need a label of other hosts', rows: borrowing.value.slice(0, showsBorrowing.value ? undefined : 0), folded: borrowing.value.length },
    { title: 'The rest', rows: rows.filter((row) => !row.fits && !row.remedy), folded: 0 },
  ].filter((lot) => lot.rows.length || lot.folded)
})

/** A label marks other machines: to add it here may be untrue, so these hosts are folded away where there are several. */
function borrows(row: Schemas['HostFit']): boolean {
  return !row.fits && row.remedies.some((remedy) => remedy.borrows_label)
}

function short(term: string): string {
  const [subject, name] = term.split(' ')
  if (subject === 'tool') return name ?? term
  return term.length > 24 ? (subject ?? term) : term
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
          <th>Remedy</th>
        </tr>
      </thead>
      <tbody v-for="lot in lots" :key="lot.title">
        <tr class="lot"><th :colspan="fit.terms.length + 3" scope="rowgroup">{{ lot.title }} <span class="soft">{{ lot.folded || lot.rows.length }}</span>
          <Button v-if="lot.folded" type="link" size="small" data-act="show-borrowing" @click="showsBorrowing = !showsBorrowing">{{ showsBorrowing ? 'Hide' : 'Show' }}</Button></th></tr>
        <tr v-for="row in lot.rows" :key="row.host" :data-host="row.host">
          <td><RouterLink :to="{ name: 'host', params: { name: row.host } }">{{ row.host }}</RouterLink></td>
          <td v-for="verdict in row.verdicts" :key="verdict.term" class="machine" :class="verdict.holds ? 'well' : 'trouble'" :title="`${verdict.term}: ${verdict.found || 'nothing there'}`">
            <span aria-hidden="true">{{ verdict.holds ? '✓' : verdict.known ? '✕' : '?' }}</span>
            <span class="for-screen-readers">{{ verdict.holds ? 'holds:' : verdict.known ? 'does not hold:' : 'unknown:' }}</span>
            {{ verdict.found || 'none' }}
          </td>
          <td>{{ row.readiness }}<span v-if="row.surveyed_at" class="soft">, surveyed <TimeAgo :at="row.surveyed_at" /></span><template v-for="block in row.blocks" :key="block">, <span class="trouble">{{ BLOCKS[block] ?? block }}</span></template></td>
          <td>
            <div v-if="row.remedies.length" class="remedies">
              <template v-for="one in row.remedies" :key="one.text">
                <span v-if="one.text === offered?.text" class="soft">{{ row.remedies.length > 1 ? 'correct the term, or' : 'correct the term' }}</span>
                <HelpButton v-else :help="one" :jobs="job ? [job] : []" @done="emit('helped')" />
              </template>
            </div>
            <template v-else-if="row.fits">{{ row.readiness === 'free' ? 'none needed: it is free' : 'none needed: it fits' }}<template v-if="row.prefers.length">, and is preferred</template></template>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-if="!fit.hosts.length" class="soft">No near fits.</p>
  <p v-if="fit.folded > 0 || showsAll" class="soft">
    <template v-if="!showsAll">{{ fit.folded }} {{ fit.folded === 1 ? 'host misses' : 'more hosts miss' }} more terms.</template>
    <Button type="link" size="small" @click="emit('update:showsAll', !showsAll)">{{ showsAll ? 'Hide the rest' : 'Show them' }}</Button>
  </p>
</template>

<style scoped>
.wide {
  overflow-x: auto;
}

td {
  max-width: 220px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

td:last-child {
  max-width: none;
  white-space: normal;
}

.lot th {
  padding-top: 8px;
  font-weight: 600;
}

.remedies {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
}
</style>
