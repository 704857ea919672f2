<script setup lang="ts">
import { Button, Input, InputNumber } from 'ant-design-vue'
import { computed, ref, toRef } from 'vue'
import { useRouter } from 'vue-router'
import { inWords } from './changes'
import { useFor, useRehearsal, useRehearsals, ZONE, type Change, type RehearsalSheet, type Stretch } from './plan'
import { answered, api } from '../../api/client'
import { useSession } from '../people/session'
import { useAction } from '../../kit/useAction'
import ChangeForm from './ChangeForm.vue'
import ChoiceField from '../../kit/ChoiceField.vue'
import RehearsalResult from './RehearsalResult.vue'
import TimeAgo from '../../kit/TimeAgo.vue'
import { count, duration } from '../../kit/format'

/** What would a change do to the waits of the same weeks? */
const props = defineProps<{ id?: number; stretch: Stretch; target: number }>()
const router = useRouter()
const session = useSession()
const { list, trouble: listTrouble, load } = useRehearsals()
const chosen = computed(() => props.id ?? list.value[0]?.id)
const { sheet, trouble: sheetTrouble, load: loadSheet } = useRehearsal(chosen)
const progress = computed(() => sheet.value?.progress ?? 0)
const secondId = ref(0)
const thirdId = ref(0)
const { sheet: second } = useRehearsal(computed(() => secondId.value || undefined))
const { sheet: third } = useRehearsal(computed(() => thirdId.value || undefined))
const beside = computed(() => [second.value, third.value].filter((one) => one?.result && one.id !== chosen.value) as RehearsalSheet[])
const { shown: kinds } = useFor(toRef(props, 'stretch'), (query) => answered(api.GET('/api/v1/plan/kinds/', { params: { query } })))
const { isBusy, trouble, perform } = useAction()
const name = ref('')
const changes = ref<Change[]>([])
const targetMinutes = ref(0)
const like = ref('')
const pipelines = computed(() => [...new Set((kinds.value?.kinds ?? []).flatMap((kind) => kind.pipelines))].sort())
const terms = computed(() => [...new Set((kinds.value?.kinds ?? []).flatMap((kind) => kind.terms))].sort())
const likes = computed(() => [{ value: '', label: 'no host' }, ...[...new Set((kinds.value?.kinds ?? []).flatMap((kind) => kind.hosts))].sort().map((value) => ({ value, label: value }))])
const forPipeline = ref('')
const others = computed(() => list.value.filter((one) => one.state === 'done' && one.id !== chosen.value))
const besides = (taken: number, first: string) => [{ value: 0, label: first }, ...others.value.filter((one) => one.id !== taken).map((one) => ({ value: one.id, label: one.name }))]
const suggested = computed(() => changes.value.map(inWords).join('; ').slice(0, 90) || 'As it was')

function start(): Promise<void> {
  return perform(async () => {
    const { since, until } = props.stretch
    if (!since || !until) throw new Error('Nothing is recorded yet, so there is nothing to play again.')
    const made = await answered(
      api.POST('/api/v1/rehearsals/', {
        body: { name: name.value.trim() || suggested.value, since, until, zone: ZONE, changes: changes.value, seed: 0, target: forPipeline.value ? Math.round(targetMinutes.value * 60) || props.target : 0, pipelines: forPipeline.value ? [forPipeline.value] : [], like: like.value },
      }),
    )
    changes.value = []
    name.value = ''
    await router.push({ name: 'rehearsal', params: { id: made.id } })
    await load()
  })
}

function act(verb: 'cancel' | 'remove'): Promise<void> {
  return perform(async () => {
    const params = { path: { id: chosen.value ?? 0 } }
    if (verb === 'cancel') await answered(api.POST('/api/v1/rehearsals/{id}/cancel/', { params }))
    else {
      await answered(api.DELETE('/api/v1/rehearsals/{id}/', { params }))
      await router.push({ name: 'plan', params: { view: 'rehearsals' } })
    }
    await Promise.all([load(), loadSheet()])
  })
}
</script>

<template>
  <p v-if="listTrouble" class="trouble" role="alert">{{ listTrouble }}</p>
  <div class="three">
    <section v-if="session.may('operator')" class="compose" aria-label="New rehearsal">
      <h2>Rehearse a change</h2>
      <ChangeForm :pipelines="pipelines" :terms="terms" @add="(change) => changes.push(change)" />
      <ul v-if="changes.length" class="chosen" aria-label="Changes to rehearse">
        <li v-for="(change, at) in changes" :key="at"><span>{{ inWords(change) }}</span><button type="button" class="out" :aria-label="`Remove ${inWords(change)}`" @click="changes.splice(at, 1)">×</button></li>
      </ul>
      <p v-else class="soft">Without a change, the weeks are played as they were: that shows how far a rehearsal can be trusted.</p>
      <details>
        <summary>Also find how many hosts, and when</summary>
        <label class="field">For the waits of<ChoiceField v-model:value="forPipeline" :options="[{ value: '', label: 'no pipeline' }, ...pipelines.map((value) => ({ value, label: value }))]" data-field="for" /></label>
        <label class="field">Minutes that 95 of 100 may wait<InputNumber v-model:value="targetMinutes" :min="0" :max="10000" :placeholder="String(target / 60)" /></label>
        <label class="field">More hosts like<ChoiceField v-model:value="like" :options="likes" data-field="more-like" /></label>
      </details>
      <label class="field">Name<Input v-model:value="name" :maxlength="100" :placeholder="suggested" data-field="name" /></label>
      <Button type="primary" :loading="isBusy" data-act="rehearse" @click="start">Rehearse {{ stretch.since && stretch.until ? count(Math.round((Date.parse(stretch.until) - Date.parse(stretch.since)) / 604_800_000), 'week') : '' }}</Button>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    </section>
    <section class="kept">
      <h2>Kept</h2>
      <ol v-if="list.length" class="list">
        <li v-for="one in list" :key="one.id" :data-rehearsal="one.id" :class="{ here: one.id === chosen }">
          <RouterLink :to="{ name: 'rehearsal', params: { id: one.id } }">{{ one.name }}</RouterLink>
          <span class="soft">{{ one.state === 'done' ? '' : one.state }} by {{ one.asked_by }}, <TimeAgo :at="one.asked_at" /></span>
        </li>
      </ol>
      <p v-else class="soft">None yet.</p>
    </section>
    <section v-if="sheet" class="sheet" :data-sheet="sheet.id" aria-label="Rehearsal">
      <div class="row">
        <h2 class="grow">{{ sheet.name }}</h2>
        <ChoiceField v-if="sheet.state === 'done' && others.length" v-model:value="secondId" class="small" :options="besides(thirdId, 'compare with…')" label="Compare with" />
        <ChoiceField v-if="secondId && others.length > 1" v-model:value="thirdId" class="small" :options="besides(secondId, 'and with…')" label="Compare also with" />
        <Button v-if="session.may('operator') && (sheet.state === 'waiting' || sheet.state === 'running')" size="small" data-act="cancel" @click="act('cancel')">Cancel</Button>
        <Button v-else-if="session.may('operator')" size="small" danger data-act="remove" @click="act('remove')">Remove</Button>
      </div>
      <p v-if="sheetTrouble" class="trouble" role="alert">{{ sheetTrouble }}</p>
      <p v-if="sheet.sentences.length" class="row chips"><span v-for="line in sheet.sentences" :key="line" class="chip">{{ line }}</span></p>
      <div v-if="sheet.state === 'waiting' || sheet.state === 'running'" class="progress">
        <progress :value="progress" max="1" :aria-label="`${Math.round(progress * 100)} % played`"></progress>
        <span class="soft">{{ sheet.state === 'waiting' ? 'waits for its turn' : `${Math.round(progress * 100)} % played${sheet.seconds_left === null ? '' : `, about ${duration(sheet.seconds_left ?? 0)} left`}` }}</span>
      </div>
      <p v-else-if="sheet.state === 'failed'" class="trouble">It failed: {{ sheet.detail }}</p>
      <p v-else-if="sheet.state === 'cancelled'" class="soft">Cancelled.</p>
      <RehearsalResult v-else-if="sheet.result" :sheet="sheet" :result="sheet.result" :beside="beside" />
    </section>
  </div>
</template>

<style scoped>
.three {
  display: grid;
  grid-template-columns: 260px 210px minmax(0, 1fr);
  gap: 22px;
  align-items: start;
}

.compose,
.compose details {
  display: flex;
  flex-direction: column;
  gap: 10px;
}

.compose .field {
  display: flex;
  flex-direction: column;
  gap: 2px;
}

.chosen,
.list {
  margin: 0;
  padding: 0;
  list-style: none;
}

.chosen li {
  display: flex;
  justify-content: space-between;
  margin-bottom: 4px;
  padding: 3px 8px;
  border: 1px solid var(--ink);
  border-radius: 3px;
  background: var(--plate);
}

.out {
  border: 0;
  background: none;
  color: var(--ink);
  cursor: pointer;
}

.list li {
  display: flex;
  flex-direction: column;
  padding: 5px 0 5px 8px;
  border-left: 4px solid transparent;
}

.list li.here {
  border-color: var(--yellow);
}

.sheet {
  padding: 14px 16px;
  border: 2px solid var(--fence);
  background: var(--paper-deep);
}

.chips {
  margin: 6px 0;
}

.chip {
  padding: 2px 8px;
  border: 1px solid var(--ink);
  border-radius: 3px;
  background: var(--plate);
}

.progress {
  display: flex;
  flex-direction: column;
  gap: 4px;
  margin-top: 10px;
}

progress {
  width: 100%;
  accent-color: var(--yellow-deep);
}

@media (width < 1100px) {
  .three {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
