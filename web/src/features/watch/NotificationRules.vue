<script setup lang="ts">
import { Button, Checkbox, Popconfirm } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { onNote } from '../../live/feed'
import { useSession } from '../people/session'
import CopyText from '../../kit/CopyText.vue'
import { useAction } from '../../kit/useAction'
import NewRuleDialog from './NewRuleDialog.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { clockTime, count } from '../../kit/format'

/** The notification rules and the last deliveries. */
const session = useSession()
const place = ref<Schemas['Notifications'] | null>(null)
const made = ref<Schemas['NewRule'] | null>(null)
const making = ref(false)
const { isBusy, trouble, perform } = useAction()

function load(): Promise<void> {
  return perform(async () => {
    place.value = await answered(api.GET('/api/v1/notification-rules/'))
  })
}
void load()
onNote((note) => {
  if (note.noun === 'notification rule' || note.noun === 'everything') void load()
})

function change(rule: Schemas['NotificationRule'], body: Schemas['PatchedChangeRuleRequest']): Promise<void> {
  return perform(async () => {
    await answered(api.PATCH('/api/v1/notification-rules/{id}/', { params: { path: { id: rule.id } }, body }))
    await load()
  })
}

function tryOut(rule: Schemas['NotificationRule']): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/notification-rules/{id}/try-out/', { params: { path: { id: rule.id } } }))
    await load()
  })
}

function remove(rule: Schemas['NotificationRule']): Promise<void> {
  return perform(async () => {
    await answered(api.DELETE('/api/v1/notification-rules/{id}/', { params: { path: { id: rule.id } } }))
    await load()
  })
}

function again(pk: number): Promise<void> {
  return perform(async () => {
    await answered(api.POST('/api/v1/deliveries/{id}/send-again/', { params: { path: { id: pk } } }))
    await load()
  })
}

function quiet(rule: Schemas['NotificationRule']): string {
  if (rule.quiet_from == null || rule.quiet_to == null || !rule.quiet_days?.length) return 'at all hours'
  const urgent = rule.urgent_anyway ? ', except urgent findings' : ''
  return `quiet from ${clockTime(rule.quiet_from)} to ${clockTime(rule.quiet_to)} (${rule.zone})${urgent}`
}
</script>

<template>
  <section aria-label="Notifications">
    <h2 class="row">
      <span>Notifications</span>
      <Button v-if="session.may('administrator')" size="small" @click="making = true">Add a rule</Button>
    </h2>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="made?.secret">
      <p>Deliveries of “{{ made.name }}” are signed with this secret. Copy it to the receiver now; it is not shown again.</p>
      <CopyText :text="made.secret" data-webhook-secret />
    </template>
    <p v-if="place && !place.rules.length" class="soft">No rules yet. Findings appear only on this page.</p>
    <p v-if="place && !place.has_mail" class="soft">E-mail is not set up. Set <code>PADDOCK_SMTP=smtp://HOST:PORT</code> and restart the server.</p>
    <table v-if="place?.rules.length" class="plain-table">
      <tbody>
        <tr v-for="rule in place.rules" :key="rule.id" :data-rule="rule.name">
          <td>
            <strong>{{ rule.name }}</strong> · {{ rule.kind }} to <span class="machine">{{ rule.target }}</span><br />
            <span class="soft">{{ rule.severity === 'urgent' ? 'urgent findings' : rule.severity === 'soon' ? 'urgent and soon' : 'all findings' }}<template v-if="rule.paddocks?.length"> of {{ rule.paddocks.join(', ') }}</template>, collected for {{ rule.gather_seconds }} s, {{ quiet(rule) }}</span>
          </td>
          <td v-if="session.may('administrator')" class="acts">
            <Checkbox :checked="rule.is_on" @change="change(rule, { is_on: !rule.is_on })">on</Checkbox>
            <Button size="small" :disabled="isBusy" @click="tryOut(rule)">Send a test</Button>
            <Popconfirm :title="`Delete the rule “${rule.name}” and its delivery history?`" ok-text="Delete" cancel-text="Cancel" @confirm="remove(rule)">
              <Button size="small" :disabled="isBusy">Delete…</Button>
            </Popconfirm>
          </td>
        </tr>
      </tbody>
    </table>
    <template v-if="place?.deliveries.length">
      <h3>Last deliveries</h3>
      <table class="plain-table">
        <tbody>
          <tr v-for="one in place.deliveries.slice(0, 12)" :key="one.id" :data-delivery="one.state">
            <td><TimeAgo :at="one.sent_at ?? one.made_at" /></td>
            <td>{{ one.rule }}</td>
            <td>{{ one.subject || count(one.items.length, 'finding') }}<p v-if="one.trouble" class="trouble">{{ one.trouble }}</p></td>
            <td :class="{ well: one.state === 'sent', trouble: one.state === 'given up' }">{{ one.state }}<template v-if="one.state === 'waiting' && one.tries">, tried {{ count(one.tries, 'time') }}</template></td>
            <td><Button v-if="session.may('administrator') && ['given up', 'waiting'].includes(one.state) && one.tries" size="small" @click="again(one.id)">Retry now</Button></td>
          </tr>
        </tbody>
      </table>
    </template>
    <NewRuleDialog v-model:open="making" @made="(rule) => ((made = rule), load())" />
  </section>
</template>

<style scoped>
section {
  margin-top: 26px;
}

h2 {
  justify-content: space-between;
}

h3 {
  margin: 14px 0 2px;
  font-size: 14px;
}

.acts {
  white-space: nowrap;
  text-align: right;
}

.acts button {
  margin-left: 6px;
}
</style>
