<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed } from 'vue'
import { answered, api } from '../../api/client'
import { useNow } from '../../kit/clock'
import CopyText from '../../kit/CopyText.vue'
import { count, duration } from '../../kit/format'
import TimeAgo from '../../kit/TimeAgo.vue'
import { diskSize } from '../../kit/units'
import { useAction } from '../../kit/useAction'
import type { Server } from './server'

/** Is there a recent backup, and did the last one succeed? */
const props = defineProps<{ backups: Server['backups'] }>()
const emit = defineEmits<{ asked: [] }>()
const { isBusy, trouble, perform } = useAction()
const now = useNow()
const SETTINGS = 'backup_folder = "/mnt/backups"\nbackup_passphrase_file = "/etc/yellow-paddock/backup-passphrase"'
const until = computed(() => (props.backups.next_at ? Math.max(0, Date.parse(props.backups.next_at) - now.value) / 1000 : 0))
const every = computed(() => duration(props.backups.hours * 3600))

function backUp(): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/server/backup/'))
    emit('asked')
  })
}
</script>

<template>
  <div>
    <template v-if="backups.folder">
      <p>
        Every {{ every }} into <span class="machine">{{ backups.folder }}</span>, {{ backups.has_keys ? 'with the encrypted keys' : 'without keys' }}; the last {{ backups.keep }} stay.
        <span v-if="backups.running_since" role="status">A backup is being made, begun <TimeAgo :at="backups.running_since" />.</span>
        <span v-else>The next is due {{ until ? `in ${duration(until)}` : 'now' }}.</span>
      </p>
      <p v-if="!backups.has_keys" class="soft">After a restore without its keys, the server cannot open the secrets of pipelines. Set <span class="machine">backup_passphrase_file</span>.</p>
      <Button size="small" :loading="isBusy" :disabled="!!backups.running_since" data-act="back-up" @click="backUp">Back up now</Button>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <table v-if="backups.runs.length" class="plain-table" aria-label="Last backups">
        <thead>
          <tr><th>Begun</th><th>Result</th><th>Size</th></tr>
        </thead>
        <tbody>
          <tr v-for="run in backups.runs.slice(0, 6)" :key="run.id" :data-backup="run.trouble ? 'failed' : 'made'">
            <td><TimeAgo :at="run.began_at" /><span v-if="run.asked_by" class="soft"> for {{ run.asked_by }}</span></td>
            <td v-if="run.trouble" class="trouble" colspan="2">{{ run.trouble }}</td>
            <template v-else>
              <td class="machine">{{ run.folder.split('/').pop() }}</td>
              <td>{{ diskSize(run.size) }} <span class="soft">{{ count(run.files, 'file') }}</span></td>
            </template>
          </tr>
        </tbody>
      </table>
    </template>
    <template v-else>
      <p class="trouble">No backup is scheduled. If this disk fails, all records are lost.</p>
      <p class="soft">Add this to the settings file, with your own folder, and restart the server:</p>
      <CopyText :text="SETTINGS" />
    </template>
  </div>
</template>

<style scoped>
table {
  margin-top: 10px;
}
</style>
