<script setup lang="ts">
import { Button, Popover } from 'ant-design-vue'
import { computed, nextTick, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import { useNow } from '../../kit/clock'
import { dayOf, exactly } from '../../kit/moments'
import { useAction } from '../../kit/useAction'
import RoleMark from './RoleMark.vue'
import { isUnused, placeOf, RANK, roleIn, ROLES, SPANS, unusedDays, type Role } from './roles'

/** What one person may do in one place, and the way to change it. An empty paddock stands for everything. */
const props = defineProps<{ person: Schemas['Person']; paddock: string; mayChange: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const now = useNow()
const isOpen = ref(false)
const form = ref<HTMLFormElement | null>(null)
const wanted = ref<Role | ''>('')
const days = ref(0)
const { isBusy, trouble, perform } = useAction()

const place = computed(() => placeOf(props.person.roles, props.paddock))
const role = computed(() => roleIn(place.value))
const direct = computed(() => place.value.own ?? place.value.byGroup)
const isStale = computed(() => direct.value !== null && isUnused(direct.value, now.value))
const where = computed(() => (props.paddock ? `in ${props.paddock}` : 'for everything'))
/** Whether the role for everything is worth more here than the one that was given here. */
const isThrough = computed(() => direct.value === null || (place.value.through !== null && RANK[place.value.through] > RANK[direct.value.role]))
const shortName = computed(() => (direct.value?.role === 'administrator' ? 'admin' : direct.value?.role))
const history = computed(() => {
  const held = direct.value
  if (!held) return place.value.through ? `${place.value.through} through the role for everything` : 'no role'
  const given = held.by_provider ? `by a group of ${held.by_provider}` : held.granted_by ? `given by ${held.granted_by}${held.granted_at ? ` on ${dayOf(held.granted_at)}` : ''}` : 'given earlier'
  const used = held.role === 'viewer' ? '' : held.last_used_at ? `, last used ${exactly(held.last_used_at)}` : ', not used yet'
  return `${held.role}, ${given}${used}`
})

const choices: { value: Role | ''; label: string }[] = [{ value: '', label: 'none' }, ...ROLES.map((one) => ({ value: one, label: one }))]

/** The popover is hidden until it has found its place, and what is hidden takes no focus. */
function focusWhenShown(frames = 60): void {
  const select = form.value?.querySelector('select')
  select?.focus()
  if (isOpen.value && frames && document.activeElement !== select) requestAnimationFrame(() => focusWhenShown(frames - 1))
}

function open(): void {
  isOpen.value = true
  wanted.value = place.value.own?.role ?? ''
  days.value = 0
  trouble.value = ''
  void nextTick(() => focusWhenShown())
}

function save(): Promise<void> {
  return perform(async () => {
    const ends_at = wanted.value && days.value ? new Date(Date.now() + days.value * 86_400_000).toISOString() : null
    const body = { paddock: props.paddock, role: wanted.value || null, was: place.value.own?.role ?? null, ends_at }
    await answered(api.PUT('/api/v1/people/{name}/role/', { params: { path: { name: props.person.name } }, body }))
    isOpen.value = false
    emit('changed')
  })
}
</script>

<template>
  <span class="spot">
    <button type="button" class="bare cell" :title="history" :disabled="!mayChange" @click="open" :data-cell="`${person.name} ${paddock}`">
      <span class="for-screen-readers">{{ person.name }} {{ where }}:</span>
      <RoleMark :role="role" :is-through="isThrough" />
      <span v-if="!direct" class="for-screen-readers">{{ history }}</span>
      <span v-else class="word">{{ shortName }}<span v-if="direct.by_provider" class="soft"> · group</span></span>
      <small v-if="direct?.ends_at" class="note">until {{ dayOf(direct.ends_at) }}</small>
      <small v-else-if="isStale && direct" class="trouble">unused {{ unusedDays(direct, now) }} d</small>
    </button>
    <!-- Only the open one is there: a sheet has thousands of cells. -->
    <Popover v-if="isOpen" open trigger="click" :title="`${person.name} ${where}`" @open-change="(isShown: boolean) => isShown || (isOpen = false)">
      <template #content>
        <form ref="form" class="change" @submit.prevent="save" @keydown.esc="isOpen = false">
          <p class="soft">{{ history }}</p>
          <p v-if="place.byGroup" class="soft">A group of {{ place.byGroup.by_provider }} gives {{ place.byGroup.role }}. Change that in the mapping of its groups.</p>
          <label class="field">Role<ChoiceField v-model:value="wanted" :options="choices" data-field="role" /></label>
          <label v-if="wanted" class="field">For how long<ChoiceField v-model:value="days" :options="SPANS" /></label>
          <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
          <Button type="primary" html-type="submit" :loading="isBusy" :disabled="wanted === (place.own?.role ?? '') && !days" data-act="save-role">{{ wanted ? `Make ${person.name} ${wanted}` : place.own ? 'Take the role back' : 'Choose a role' }}</Button>
        </form>
      </template>
      <span class="anchor" />
    </Popover>
  </span>
</template>

<style scoped>
.spot {
  position: relative;
  display: inline-block;
}

.anchor {
  position: absolute;
  inset: 0;
  pointer-events: none;
}

.cell {
  display: inline-flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 6px;
  min-height: 24px;
  padding: 1px 4px;
  border-radius: 3px;
  text-align: left;
}

.cell:disabled {
  cursor: default;
}

.cell:not(:disabled):hover {
  background: var(--paper-deep);
}

small {
  flex-basis: 100%;
  font-size: 12px;
  line-height: 1.1;
}

.change {
  display: grid;
  gap: 8px;
  width: 260px;
}
</style>
