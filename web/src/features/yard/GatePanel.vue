<script setup lang="ts">
import { Button, Input, Modal, Popconfirm } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { useSession } from '../people/session'
import { useYard } from './yard'
import { useAction } from '../../kit/useAction'
import HandItem from './HandItem.vue'
import { asked, count } from '../../kit/format'
import { memorySize } from '../../kit/units'

const yard = useYard()
const session = useSession()
const hosts = ref<Schemas['Host'][]>([])
/** Agents without anything odd that this person may admit. */
const plain = computed(() => hosts.value.filter((host) => !host.suspicions.length && session.may('administrator', host.paddock)))
const ALL = 'all of them'
const busy = ref('')
const { trouble, perform } = useAction()
const turning = ref<Schemas['Host'] | null>(null)
const reason = ref('')

async function load(): Promise<void> {
  const asked = yard.atTheGate.map((plate) => answered(api.GET('/api/v1/hosts/{name}/', { params: { path: { name: plate.name } } })))
  const all = await Promise.allSettled(asked)
  hosts.value = all.flatMap((one) => (one.status === 'fulfilled' ? [one.value] : []))
}

watch(() => yard.atTheGate.map((plate) => `${plate.name} ${plate.link} ${plate.link_since}`).join(), load, { immediate: true })

async function decide(name: string, work: () => Promise<unknown>): Promise<void> {
  busy.value = name
  await perform(async () => {
    await work()
    await yard.load()
  })
  busy.value = ''
}

function admit(host: Schemas['Host'], asAsked = false): Promise<void> {
  const params = { path: { name: host.name } }
  return decide(host.name, () => answered(api.POST('/api/v1/hosts/{name}/admit/', { params, body: { as_asked: asAsked } })))
}

function admitAll(): Promise<void> {
  return decide(ALL, async () => {
    const answer = await answered(
      api.POST('/api/v1/gate/{verb}/', { params: { path: { verb: 'admit' } }, body: { names: plain.value.map((host) => host.name) } }),
    )
    const refused = Object.values(answer.refused)
    if (refused.length) throw new Error(refused.join(' '))
  })
}

async function turnAway(): Promise<void> {
  const host = turning.value
  if (!host) return
  turning.value = null
  await decide(host.name, () =>
    answered(api.POST('/api/v1/hosts/{name}/turn-away/', { params: { path: { name: host.name } }, body: { reason: reason.value } })),
  )
  reason.value = ''
}
</script>

<template>
  <section v-if="hosts.length" class="gate" aria-label="At the gate">
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div v-if="plain.length > 1" class="all row">
      <span>{{ plain.length }} agents without anything odd.</span>
      <Popconfirm :title="`Admit ${plain.map((host) => host.name).join(', ')}?`" ok-text="Admit" cancel-text="Cancel" @confirm="admitAll">
        <Button :loading="busy === ALL">Admit all {{ plain.length }}…</Button>
      </Popconfirm>
    </div>
    <HandItem v-for="host in hosts" :key="host.name" what="At the gate" :since="host.joined_at" kind="note" :data-gate="host.name">
      <template #title><RouterLink :to="{ name: 'host', params: { name: host.name } }">{{ host.name }}</RouterLink> asks to join {{ host.paddock }}</template>
      {{ host.facts.os_name || host.facts.os }} · {{ host.facts.arch }} · {{ host.facts.cores }} cores · {{ memorySize(host.facts.memory) }}.
      With the pass “{{ host.joined_with }}” of {{ host.joined_by }}, from {{ host.address }}, as {{ host.facts.user }}.
      <template v-if="host.link === 'never seen'">Its agent has not connected yet.</template>
      <template v-else-if="host.link !== 'connected'">Its agent is {{ host.link }} now.</template>
      <template v-else-if="host.surveyed_at">{{ count(host.installations.length, 'installation') }} found.</template>
      <span v-if="asked(host)" class="asked" data-asked>It asks for {{ asked(host) }}, which its pass does not give.</span>
      <strong v-for="odd in host.suspicions" :key="odd.sentence" class="odd trouble">{{ odd.sentence }}</strong>
      <template v-if="session.may('administrator', host.paddock)" #actions>
        <Button type="primary" :loading="busy === host.name" @click="admit(host)">Admit</Button>
        <Popconfirm v-if="asked(host)" :title="`Admit ${host.name} and give it ${asked(host)}?`" ok-text="Admit as asked" cancel-text="Cancel" @confirm="admit(host, true)">
          <Button :disabled="busy === host.name" data-act="admit-as-asked">Admit as asked…</Button>
        </Popconfirm>
        <Button :disabled="busy === host.name" @click="turning = host">Turn away…</Button>
      </template>
    </HandItem>
    <Modal :open="turning !== null" :title="`Turn ${turning?.name} away?`" ok-text="Turn away" cancel-text="Cancel" @ok="turnAway" @cancel="turning = null">
      <p>Its key is revoked at once. To come back, it must join again with an entry pass.</p>
      <label class="reason">Reason (for the logbook and the machine's owner)<Input v-model:value="reason" :maxlength="300" /></label>
    </Modal>
  </section>
</template>

<style scoped>
.odd,
.asked {
  display: block;
  margin-top: 3px;
}

.all {
  justify-content: space-between;
  padding: 8px 0;
  border-bottom: 1px solid var(--fence);
}

.reason {
  display: block;
  margin-top: 10px;
}
</style>
