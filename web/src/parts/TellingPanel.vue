<script setup lang="ts">
import { Button, Checkbox, Popconfirm } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api, type Schemas } from '../api/client'
import { onNote } from '../api/feed'
import { useSession } from '../api/session'
import CopyText from './CopyText.vue'
import { useDoing } from './doing'
import MakeTelling from './MakeTelling.vue'
import TimeAgo from './TimeAgo.vue'
import { clockTime, count } from './wording'

/** Who is told of findings, and what became of what was sent. */
const session = useSession()
const place = ref<Schemas['TellingPlace'] | null>(null)
const made = ref<Schemas['NewTelling'] | null>(null)
const making = ref(false)
const { isBusy, trouble, doing } = useDoing()

function load(): Promise<void> {
  return doing(async () => {
    place.value = await answered(api.GET('/api/v1/telling/'))
  })
}
void load()
onNote((note) => {
  if (note.noun === 'telling' || note.noun === 'everything') void load()
})

function change(rule: Schemas['Telling'], body: Schemas['PatchedChangeTellingRequest']): Promise<void> {
  return doing(async () => {
    await answered(api.PATCH('/api/v1/telling/{id}/', { params: { path: { id: rule.id } }, body }))
    await load()
  })
}

function tryOut(rule: Schemas['Telling']): Promise<void> {
  return doing(async () => {
    await answered(api.POST('/api/v1/telling/{id}/try-out/', { params: { path: { id: rule.id } } }))
    await load()
  })
}

function remove(rule: Schemas['Telling']): Promise<void> {
  return doing(async () => {
    await answered(api.DELETE('/api/v1/telling/{id}/', { params: { path: { id: rule.id } } }))
    await load()
  })
}

function again(pk: number): Promise<void> {
  return doing(async () => {
    await answered(api.POST('/api/v1/deliveries/{id}/send-again/', { params: { path: { id: pk } } }))
    await load()
  })
}

function quiet(rule: Schemas['Telling']): string {
  if (rule.quiet_from == null || rule.quiet_to == null || !rule.quiet_days?.length) return 'at all hours'
  const urgent = rule.urgent_anyway ? ', but for urgent ones' : ''
  return `quiet from ${clockTime(rule.quiet_from)} to ${clockTime(rule.quiet_to)} (${rule.zone})${urgent}`
}
</script>

<template>
  <section aria-label="Who is told">
    <h2 class="row">
      <span>Who is told</span>
      <Button v-if="session.may('administrator')" size="small" @click="making = true">Add a rule</Button>
    </h2>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="made?.secret">
      <p>What “{{ made.name }}” sends is signed with this secret, shown this once. Give it to the receiver:</p>
      <CopyText :text="made.secret" data-webhook-secret />
    </template>
    <p v-if="place && !place.rules.length" class="soft">Nobody: findings are seen here only.</p>
    <p v-if="place && !place.has_mail" class="soft">This server sends no mail: <code>PADDOCK_SMTP=smtp://HOST:PORT</code> says where mail goes out.</p>
    <table v-if="place?.rules.length" class="plain-table">
      <tbody>
        <tr v-for="rule in place.rules" :key="rule.id" :data-rule="rule.name">
          <td>
            <strong>{{ rule.name }}</strong> · {{ rule.kind }} to <span class="machine">{{ rule.target }}</span><br />
            <span class="soft">{{ rule.severity === 'urgent' ? 'urgent findings' : rule.severity === 'soon' ? 'urgent and soon' : 'all findings' }}<template v-if="rule.paddocks?.length"> of {{ rule.paddocks.join(', ') }}</template>, gathered for {{ rule.gather_seconds }} s, {{ quiet(rule) }}</span>
          </td>
          <td v-if="session.may('administrator')" class="acts">
            <Checkbox :checked="rule.is_on" @change="change(rule, { is_on: !rule.is_on })">on</Checkbox>
            <Button size="small" :disabled="isBusy" @click="tryOut(rule)">Try it out</Button>
            <Popconfirm :title="`Remove the rule “${rule.name}”, with the history of what it sent?`" ok-text="Remove it" cancel-text="Leave it" @confirm="remove(rule)">
              <Button size="small" :disabled="isBusy">Remove…</Button>
            </Popconfirm>
          </td>
        </tr>
      </tbody>
    </table>
    <template v-if="place?.deliveries.length">
      <h3>What was sent</h3>
      <table class="plain-table">
        <tbody>
          <tr v-for="one in place.deliveries.slice(0, 12)" :key="one.id" :data-delivery="one.state">
            <td><TimeAgo :at="one.sent_at ?? one.made_at" /></td>
            <td>{{ one.telling }}</td>
            <td>{{ one.subject || count(one.told.length, 'finding') }}<p v-if="one.trouble" class="trouble">{{ one.trouble }}</p></td>
            <td :class="{ well: one.state === 'sent', trouble: one.state === 'given up' }">{{ one.state }}<template v-if="one.state === 'waiting' && one.tries">, tried {{ count(one.tries, 'time') }}</template></td>
            <td><Button v-if="session.may('administrator') && ['given up', 'waiting'].includes(one.state) && one.tries" size="small" @click="again(one.id)">Try again now</Button></td>
          </tr>
        </tbody>
      </table>
    </template>
    <MakeTelling v-model:open="making" @made="(rule) => ((made = rule), load())" />
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
