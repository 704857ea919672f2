<script setup lang="ts">
import { Button, Input, Radio } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { linkTo } from '../../api/address'
import { answered, api, type Schemas } from '../../api/client'
import ChoiceField from '../../kit/ChoiceField.vue'
import { useNow } from '../../kit/clock'
import CopyText from '../../kit/CopyText.vue'
import { count } from '../../kit/format'
import { BROWSER_ZONE, chooseClock, clockChoice, exactly } from '../../kit/moments'
import TimeAgo from '../../kit/TimeAgo.vue'
import { useAction } from '../../kit/useAction'
import { gathered, onNote } from '../../live/feed'
import { useYard } from '../yard/yard'
import NewToken from './NewToken.vue'
import PasskeySection from './PasskeySection.vue'
import PasswordForm from './PasswordForm.vue'
import RoleMark from './RoleMark.vue'
import SessionTable from './SessionTable.vue'
import TokenTable from './TokenTable.vue'
import { useSession } from './session'

/** What am I allowed to do, where am I logged in, and which programs act for me? */
const session = useSession()
const yard = useYard()
const now = useNow()
const own = ref<Schemas['Own'] | null>(null)
const offered = ref<Schemas['OfferedProvider'][]>([])
const calendar = ref<Schemas['CalendarAddress'] | null>(null)
const rules = ref<Schemas['NotificationRule'][]>([])
const email = ref('')
const makes = ref(false)
const tokenAccount = ref('')
const { isBusy, trouble, perform } = useAction()

async function load(): Promise<void> {
  const found = await answered(api.GET('/api/v1/me/'))
  if (own.value?.email !== found.email) email.value = found.email
  own.value = found
}
async function loadRest(): Promise<void> {
  offered.value = (await answered(api.GET('/api/v1/sign-on/'))).providers
  calendar.value = await answered(api.GET('/api/v1/maintenance-feed/'))
  rules.value = session.may('operator') ? (await answered(api.GET('/api/v1/notification-rules/'))).rules.filter((rule) => rule.target === own.value?.email) : []
}
void perform(async () => {
  await load()
  await loadRest()
})
const loadSoon = gathered(() => perform(load))
onNote((note) => {
  if (note.noun === 'person' || note.noun === 'everything') loadSoon()
})

const paddocks = computed(() => (yard.yard?.paddocks ?? []).map((one) => one.name))
const accounts = computed(() => [{ value: '', label: 'you' }, ...(own.value?.service_accounts ?? []).map((one) => ({ value: one, label: one }))])
const unconnected = computed(() => offered.value.filter((one) => !own.value?.sign_on.includes(one.name)))
const others = computed(() => (own.value?.sessions ?? []).filter((one) => !one.is_this).length)
const ZONES = [{ value: '', label: `This browser's: ${BROWSER_ZONE}` }, ...['UTC', ...Intl.supportedValuesOf('timeZone')].map((zone) => ({ value: zone, label: zone }))]
const HOURS = [{ value: '24', label: '24 hours' }, { value: '12', label: '12 hours' }]

function act(work: () => Promise<unknown>): Promise<void> {
  return perform(async () => {
    await work()
    await load()
  })
}
const endSession = (key: string) => act(() => answered(api.DELETE('/api/v1/me/sessions/{key}/', { params: { path: { key } } })))
const endOthers = () => act(() => answered(api.DELETE('/api/v1/me/sessions/')))
const saveEmail = () => act(async () => (await answered(api.PATCH('/api/v1/me/', { body: { email: email.value.trim() } })), await loadRest()))
function choose(choice: { zone?: string; hours?: '12' | '24' }): Promise<void> {
  chooseClock(choice)
  return act(() => answered(api.PATCH('/api/v1/me/', { body: { time_zone: clockChoice.zone, clock_hours: clockChoice.hours } })))
}
const makeCalendar = () => perform(async () => (calendar.value = await answered(api.POST('/api/v1/maintenance-feed/'))))
const endCalendar = () => perform(async () => (await answered(api.DELETE('/api/v1/maintenance-feed/')), (calendar.value = await answered(api.GET('/api/v1/maintenance-feed/')))))
</script>

<template>
  <div class="screen">
    <h1>{{ session.name }}</h1>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div v-if="own" class="columns">
      <div>
        <section aria-label="Roles">
          <h2>Roles</h2>
          <p v-if="!own.roles.length" class="soft">You have no role. Ask an administrator.</p>
          <p v-for="held in own.roles" :key="`${held.paddock} ${held.by_provider}`">
            <RoleMark :role="held.role" /> {{ held.role }} <strong>{{ held.paddock ? `in ${held.paddock}` : 'for everything' }}</strong>
            <span class="soft"><template v-if="held.by_provider"> by a group of {{ held.by_provider }}</template><template v-if="held.ends_at">, until {{ exactly(held.ends_at) }}</template></span>
          </p>
        </section>
        <section aria-label="Sessions">
          <h2 class="row between"><span>Sessions</span><Button v-if="others" size="small" :disabled="isBusy" data-act="end-others" @click="endOthers">End {{ count(others, 'other session') }}</Button></h2>
          <SessionTable :sessions="own.sessions" may-end :is-busy="isBusy" @end="endSession" />
        </section>
        <section aria-label="Tokens">
          <h2 class="row between"><span>Tokens</span><Button v-if="!makes" size="small" data-act="new-token" @click="makes = true">Make a token</Button></h2>
          <p class="soft">A token lets a program act for you, or for a service account of yours.</p>
          <TokenTable :tokens="own.tokens" :account="own.name" @changed="loadSoon" />
          <template v-if="makes">
            <h3>New token</h3>
            <label v-if="own.service_accounts.length" class="field narrow">It acts for<ChoiceField v-model:value="tokenAccount" :options="accounts" /></label>
            <NewToken :key="tokenAccount" :account="tokenAccount" :paddocks="paddocks" @made="loadSoon" />
          </template>
        </section>
      </div>
      <div>
        <section aria-label="Log-in">
          <h2>Log-in</h2>
          <PasswordForm v-if="own.has_password" :changed-at="own.password_changed_at" @changed="loadSoon" />
          <p v-else class="soft">You have no password here.</p>
          <p v-for="provider in own.sign_on" :key="provider">You sign on with <strong>{{ provider }}</strong>.</p>
          <p v-for="provider in unconnected" :key="provider.id"><a :href="linkTo(`/sign-on/${provider.id}/begin?connect&to=/me`)">Connect {{ provider.name }}</a> <span class="soft">to sign on with it as well</span></p>
        </section>
        <PasskeySection v-if="own.has_password" :own="own" @changed="loadSoon" />
        <section aria-label="Times">
          <h2>Times</h2>
          <label class="field narrow">Time zone<ChoiceField :value="clockChoice.zone" :options="ZONES" data-field="zone" @update:value="(zone) => choose({ zone })" /></label>
          <div class="field narrow" role="group" aria-label="Clock">Clock<Radio.Group :value="clockChoice.hours" :options="HOURS" @change="(event) => choose({ hours: event.target.value })" /></div>
          <p class="soft">Now: <span data-now>{{ exactly(now) }}</span></p>
        </section>
        <section aria-label="Notifications">
          <h2>Notifications</h2>
          <form class="row" @submit.prevent="saveEmail">
            <Input v-model:value="email" class="mail" type="email" :maxlength="200" placeholder="you@saltmarsh.example" aria-label="E-mail address" />
            <Button html-type="submit" :disabled="email.trim() === own.email || isBusy">Save address</Button>
          </form>
          <p v-if="own.email" class="soft">
            <template v-if="rules.length">These rules mail you: {{ rules.map((rule) => rule.name).join(', ') }}.</template>
            <template v-else>No notification rule mails you.</template>
            <RouterLink :to="{ name: 'watch' }"> Rules</RouterLink>
          </p>
        </section>
        <section v-if="calendar" aria-label="Calendar">
          <h2>Calendar</h2>
          <p class="soft">An address at which your calendar reads the maintenance windows that you may see.</p>
          <template v-if="calendar.url"><p>Copy it now; it is not shown again.</p><CopyText :text="calendar.url" /></template>
          <p v-else-if="calendar.made_at">Made <TimeAgo :at="calendar.made_at" />.</p>
          <div class="row">
            <Button size="small" :disabled="isBusy" @click="makeCalendar">{{ calendar.made_at ? 'Replace the address' : 'Make an address' }}</Button>
            <Button v-if="calendar.made_at" size="small" :disabled="isBusy" @click="endCalendar">End it</Button>
          </div>
        </section>
      </div>
    </div>
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(320px, 2fr);
  gap: 0 34px;
}

section {
  margin-top: 18px;
}

h2 {
  margin-bottom: 4px;
}

h3 {
  margin: 14px 0 4px;
  font-size: 14px;
}

.between {
  justify-content: space-between;
}

.narrow {
  max-width: 320px;
  margin-bottom: 8px;
}

.mail {
  max-width: 280px;
}

@media (width < 900px) {
  .columns {
    grid-template-columns: 1fr;
  }
}
</style>
