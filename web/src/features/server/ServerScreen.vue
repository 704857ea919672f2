<script setup lang="ts">
import { computed, onScopeDispose, ref } from 'vue'
import { answered, api } from '../../api/client'
import { useNow } from '../../kit/clock'
import { ago, count } from '../../kit/format'
import { diskSize } from '../../kit/units'
import { useAction } from '../../kit/useAction'
import { gathered, onNote } from '../../live/feed'
import BackupsPart from './BackupsPart.vue'
import PulseChart from './PulseChart.vue'
import RetentionPart from './RetentionPart.vue'
import StorageChart from './StorageChart.vue'
import { fullness, type Server } from './server'

/** Does the server itself need me: is it quick, is it backed up, and when is its disk full? */
const server = ref<Server | null>(null)
const { trouble, perform } = useAction()
const now = useNow()
const newest = computed(() => server.value?.growth.samples[server.value.growth.samples.length - 1])
const disk = computed(() => (server.value && newest.value ? fullness(server.value.growth, `${diskSize(newest.value.free)} of ${diskSize(newest.value.total)}`, now.value) : ''))

const load = () =>
  perform(async () => {
    server.value = await answered(api.GET('/api/v1/server/'))
  })
void load()
const loadSoon = gathered(load)
onNote((note) => {
  if (note.noun === 'backup' || note.noun === 'everything') loadSoon()
})
const minute = window.setInterval(loadSoon, 60_000)
onScopeDispose(() => window.clearInterval(minute))
</script>

<template>
  <div class="screen">
    <div class="head row">
      <h1>This server</h1>
      <p v-if="server" class="soft sentence">Yellow Paddock {{ server.version }}, started {{ ago(server.began_at, now) }}; {{ count(server.agents, 'agent') }} and {{ count(server.browsers, 'browser') }} connected.</p>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div v-if="server" class="columns">
      <section class="plot" aria-label="Storage">
        <h2>Storage <span class="soft" data-disk>{{ disk }}</span></h2>
        <StorageChart :growth="server.growth" />
        <p class="soft folder">Data folder: <span class="machine">{{ server.data_folder }}</span></p>
      </section>
      <section class="plot" aria-label="Health">
        <h2>Health <span class="soft">the last 24 hours</span></h2>
        <PulseChart title="Delay of the event loop" measure="delay" :steps="server.pulse" />
        <PulseChart title="Dispatch round" measure="dispatch" :steps="server.pulse" />
        <PulseChart title="Actions waiting to be written" measure="queue" :steps="server.pulse" />
      </section>
      <section class="plot wide" aria-label="Backups">
        <h2>Backups</h2>
        <BackupsPart :backups="server.backups" @asked="loadSoon" />
      </section>
      <section class="plot wide" aria-label="Retention">
        <h2>Retention</h2>
        <RetentionPart />
      </section>
    </div>
  </div>
</template>

<style scoped>
.head {
  gap: 14px;
  margin-bottom: 12px;
}

.sentence {
  margin: 0;
}

.columns {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 14px;
}

.plot {
  padding: 10px 14px 14px;
  border: 2px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
}

.wide {
  grid-column: 1 / -1;
}

.folder {
  margin-bottom: 0;
}

@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
