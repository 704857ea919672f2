<script setup lang="ts">
import { Button, Checkbox, Input } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { linkTo } from '../../api/address'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import { useNow } from '../../kit/clock'
import { count } from '../../kit/format'
import TimeAgo from '../../kit/TimeAgo.vue'
import { useAction } from '../../kit/useAction'
import AddAccountDrawer from './AddAccountDrawer.vue'
import PersonDrawer from './PersonDrawer.vue'
import RoleCell from './RoleCell.vue'
import RoleMark from './RoleMark.vue'
import { isUnused, ROLES } from './roles'
import { useSession } from './session'

/** Who may do what where, and is it still needed? */
const session = useSession()
const now = useNow()
const found = ref<Schemas['People'] | null>(null)
const text = ref('')
const onlyUnused = ref(false)
const chosen = ref('')
const adding = ref<'person' | 'service' | null>(null)
const { trouble, perform } = useAction()

async function load(): Promise<void> {
  found.value = await answered(api.GET('/api/v1/people/'))
}
void perform(load)
const loadSoon = gathered(() => perform(load))
onNote((note) => {
  if (note.noun === 'person' || note.noun === 'access' || note.noun === 'sign-on' || note.noun === 'everything') loadSoon()
})

const shown = computed(() => {
  const wanted = text.value.trim().toLowerCase()
  return (found.value?.people ?? []).filter((one) => {
    const isFound = !wanted || `${one.name} ${one.owner} ${one.sign_on.join(' ')} ${one.state}`.toLowerCase().includes(wanted)
    return isFound && (!onlyUnused.value || one.roles.some((held) => isUnused(held, now.value)))
  })
})
const groups = computed(() => [
  { kind: 'person', title: 'People', rows: shown.value.filter((one) => one.kind === 'person') },
  { kind: 'service', title: 'Service accounts', rows: shown.value.filter((one) => one.kind === 'service') },
])
const places = computed(() => ['', ...(found.value?.paddocks ?? [])])
const administrators = computed(() => (found.value?.people ?? []).filter((one) => one.state === 'active' && one.roles.some((held) => !held.paddock && held.role === 'administrator')).length)
const unused = computed(() => (found.value?.people ?? []).flatMap((one) => one.roles).filter((held) => isUnused(held, now.value)).length)
const mayChange = (paddock: string) => session.may('administrator', paddock || undefined) && (paddock !== '' || found.value?.may_manage === true)
</script>

<template>
  <div class="screen">
    <div class="head row">
      <h1>People</h1>
      <p v-if="found" class="sentence soft">
        {{ count(groups[0]?.rows.length ?? 0, 'person', 'people') }}, {{ count(groups[1]?.rows.length ?? 0, 'service account') }}; {{ count(administrators, 'administrator') }} for everything.
        <template v-if="unused">{{ count(unused, 'role was', 'roles were') }} not used for 90 days.</template>
      </p>
      <RouterLink v-if="found?.may_manage" :to="{ name: 'sign-on' }">Sign-on</RouterLink>
      <a :href="linkTo('/api/v1/people-review/')" download="people.csv">Save as CSV</a>
      <Button v-if="found?.may_manage" data-act="add-service" @click="adding = 'service'">Add a service account</Button>
      <Button v-if="found?.may_manage" type="primary" data-act="invite" @click="adding = 'person'">Invite a person</Button>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div v-if="found" class="row tools">
      <Input v-model:value="text" class="find" placeholder="Name, owner or state" aria-label="Filter people" allow-clear />
      <Checkbox v-model:checked="onlyUnused">Only roles unused for 90 days</Checkbox>
      <span class="legend soft">
        <span v-for="role in ROLES" :key="role"><RoleMark :role="role" /> {{ role }}</span>
        <span><RoleMark role="operator" is-through /> through the role for everything</span>
      </span>
    </div>
    <div v-if="found" class="sheet" tabindex="0" role="region" aria-label="Roles by person and paddock">
      <table class="plain-table">
        <thead>
          <tr>
            <th scope="col">Account</th>
            <th v-for="place in places" :key="place" scope="col" class="place">{{ place || 'Everything' }}</th>
            <th scope="col">Last seen</th>
            <th scope="col">Log-in</th>
          </tr>
        </thead>
        <tbody v-for="group in groups" :key="group.kind">
          <tr v-if="group.rows.length"><th :colspan="places.length + 3" scope="rowgroup" class="group">{{ group.title }}</th></tr>
          <tr v-for="one in group.rows" :key="one.name" :data-person="one.name" :class="{ off: one.state === 'disabled' }">
            <th scope="row" class="name">
              <button type="button" class="bare" @click="chosen = one.name">{{ one.name }}</button>
              <small v-if="one.state === 'disabled'" class="soft">disabled by {{ one.disabled_by || 'an administrator' }}</small>
              <small v-else-if="one.state === 'invited'" class="note">invited<template v-if="one.invitation_ends_at && Date.parse(one.invitation_ends_at) < now">, the link has ended</template></small>
              <small v-else-if="one.owner" class="soft">owned by {{ one.owner }}</small>
            </th>
            <td v-for="place in places" :key="place"><RoleCell :person="one" :paddock="place" :may-change="mayChange(place)" @changed="loadSoon" /></td>
            <td class="seen"><TimeAgo v-if="one.last_seen_at" :at="one.last_seen_at" /><span v-else class="soft">never</span></td>
            <td class="soft">
              <template v-if="one.kind === 'service'">{{ one.tokens ? count(one.tokens, 'token') : 'no token' }}</template>
              <template v-else-if="one.state === 'invited'">link sent, not used</template>
              <template v-else>{{ one.sign_on.join(', ') || 'password' }}<template v-if="one.passkeys"> and passkey</template><template v-if="one.tokens"> · {{ count(one.tokens, 'token') }}</template></template>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="!shown.length" class="soft none">No account matches.</p>
    </div>
    <PersonDrawer v-model:name="chosen" :may-manage="found?.may_manage ?? false" @changed="loadSoon" />
    <AddAccountDrawer v-model:kind="adding" :paddocks="found?.paddocks ?? []" :people="groups[0]?.rows.map((one) => one.name) ?? []" @added="loadSoon" />
  </div>
</template>

<style scoped>
.head {
  gap: 14px;
  margin-bottom: 12px;
}

.sentence {
  flex: 1 1 300px;
  font-size: 15px;
}

.tools {
  gap: 16px;
  margin-bottom: 8px;
}

.find {
  width: 240px;
}

.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  margin-left: auto;
  font-size: 12px;
}

.legend span {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}

.sheet {
  overflow-x: auto;
  padding: 4px 14px 12px;
  border: 2px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
}

.place {
  width: 130px;
  min-width: 110px;
}

.group {
  padding-top: 14px;
}

.name {
  color: var(--ink);
  font-size: 14px;
  white-space: nowrap;
}

.name button {
  font-weight: 600;
  text-decoration: underline;
  text-decoration-color: var(--fence);
  text-underline-offset: 3px;
}

.name small {
  display: block;
  font-size: 12px;
  font-weight: 400;
}

.off {
  background: repeating-linear-gradient(135deg, transparent 0 6px, var(--hatch) 6px 8px);
}

.seen {
  white-space: nowrap;
}

.none {
  padding: 14px 0;
}
</style>
