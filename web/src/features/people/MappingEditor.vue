<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import { count } from '../../kit/format'
import { gathered } from '../../live/feed'
import { useAction } from '../../kit/useAction'
import { ROLES } from './roles'

/** Which roles a provider's groups give. Before it is saved, it says whom it lets in and whom it locks out. */
const props = defineProps<{ provider: Schemas['Provider']; paddocks: string[] }>()
const emit = defineEmits<{ saved: [] }>()
const rows = ref<Required<Schemas['MappedRole']>[]>([])
const version = ref(0)
const preview = ref<Schemas['MappingPreview'] | null>(null)
const { isBusy, trouble, perform } = useAction()
const places = computed(() => [{ value: '', label: 'everything' }, ...props.paddocks.map((one) => ({ value: one, label: one }))])
const plain = (list: readonly object[]) => JSON.stringify(list)
const isChanged = computed(() => plain(rows.value) !== plain(props.provider.roles))
const path = computed(() => ({ params: { path: { id: props.provider.id } } }))

function start(): void {
  rows.value = props.provider.roles.map((one) => ({ group: one.group, role: one.role, paddock: one.paddock ?? '' }))
  version.value = props.provider.version
  preview.value = null
}
watch(() => props.provider.version, start, { immediate: true })

const look = gathered(async () => {
  preview.value = null
  trouble.value = ''
  if (!isChanged.value || rows.value.some((one) => !one.group.trim())) return
  try {
    preview.value = await answered(api.POST('/api/v1/sign-on-providers/{id}/mapping/preview/', { ...path.value, body: { roles: rows.value } }))
  } catch (error) {
    trouble.value = (error as Error).message
  }
}, 300)
watch(rows, look, { deep: true })

function save(): Promise<void> {
  return perform(async () => {
    const locked_out = (preview.value?.locked_out ?? []).map((one) => one.name)
    await answered(api.PUT('/api/v1/sign-on-providers/{id}/mapping/', { ...path.value, body: { roles: rows.value, version: version.value, locked_out } }))
    preview.value = null
    emit('saved')
  })
}
const written = (roles: Record<string, string>) => Object.entries(roles).map(([paddock, role]) => `${role} ${paddock ? `in ${paddock}` : 'for everything'}`).join(', ') || 'no role'
</script>

<template>
  <datalist :id="`groups-${provider.id}`"><option v-for="one in provider.known_groups" :key="one" :value="one" /></datalist>
  <table class="plain-table mapping">
    <thead><tr><th scope="col">Group</th><th scope="col">Role</th><th scope="col">Where</th><th scope="col"><span class="for-screen-readers">Actions</span></th></tr></thead>
    <tbody>
      <tr v-for="(one, at) in rows" :key="at" :data-mapped="one.group">
        <td><input v-model="one.group" class="text-choice" :list="`groups-${provider.id}`" :aria-label="`Group ${at + 1}`" maxlength="200" placeholder="name of a group" /></td>
        <td><ChoiceField v-model:value="one.role" :options="ROLES.map((role) => ({ value: role, label: role }))" :label="`Role of group ${at + 1}`" /></td>
        <td><ChoiceField v-model:value="one.paddock" :options="places" :label="`Where, group ${at + 1}`" /></td>
        <td class="acts"><Button size="small" :aria-label="`Remove ${one.group}`" @click="rows.splice(at, 1)">Remove</Button></td>
      </tr>
    </tbody>
  </table>
  <p v-if="!rows.length" class="soft">No group has a role: no new person can come in with {{ provider.name }}.</p>
  <div class="row acts-below">
    <Button size="small" data-act="add-mapped" @click="rows.push({ group: '', role: 'viewer', paddock: '' })">Add a group</Button>
    <template v-if="isChanged">
      <Button size="small" type="primary" :loading="isBusy" :disabled="!preview || preview.administrators_left === 0" data-act="save-mapping" @click="save">{{ preview?.locked_out.length ? `Save, and lock out ${count(preview.locked_out.length, 'person', 'people')}` : 'Save the mapping' }}</Button>
      <Button size="small" @click="start">Undo</Button>
    </template>
  </div>
  <div v-if="preview" class="preview" role="status">
    <p v-if="!preview.let_in.length && !preview.locked_out.length && !preview.changed.length" class="soft">This changes nothing for the people who have signed on so far.</p>
    <p v-if="preview.administrators_left === 0" class="trouble">This would leave no administrator for everything.</p>
    <p v-for="one in preview.locked_out" :key="one.name" class="trouble"><strong>{{ one.name }}</strong> is locked out (now {{ written(one.before) }}).</p>
    <p v-for="one in preview.let_in" :key="one.name" class="well"><strong>{{ one.name }}</strong> is let in: {{ written(one.after) }}.</p>
    <p v-for="one in preview.changed" :key="one.name"><strong>{{ one.name }}</strong>: {{ written(one.before) }} → {{ written(one.after) }}.</p>
    <p class="soft">By the groups of each person's last sign-on.</p>
  </div>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
</template>

<style scoped>
.mapping {
  max-width: 860px;
}

.acts {
  text-align: right;
}

.acts-below {
  margin-top: 8px;
}

.preview {
  margin-top: 8px;
  padding: 8px 12px;
  border-left: 3px solid var(--yellow);
  background: var(--paper);
}
</style>
