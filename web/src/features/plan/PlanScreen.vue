<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { day, headline, useStretch, type Outlook } from './plan'
import { answered, api } from '../../api/client'
import { useSession } from '../people/session'
import { useYard } from '../yard/yard'
import { gathered, onNote } from '../../live/feed'
import ChoiceField from '../../kit/ChoiceField.vue'
import KindsView from './KindsView.vue'
import RehearsalsView from './RehearsalsView.vue'
import ReportView from './ReportView.vue'
import UseView from './UseView.vue'

/** Do we need another machine, and when? */
const props = defineProps<{ view?: string; id?: number }>()
const VIEWS = [
  { name: 'use', title: 'Use' },
  { name: 'kinds', title: 'Kinds of work' },
  { name: 'rehearsals', title: 'Rehearsals' },
  { name: 'report', title: 'Report' },
]
const session = useSession()
const yard = useYard()
if (!yard.plates.length) void yard.load()
const route = useRoute()
const router = useRouter()
const weeks = ref(8)
const paddock = ref(String(route.query.paddock ?? ''))
const outlook = ref<Outlook | null>(null)
const trouble = ref('')
const isLoaded = ref(false)
const seesAll = computed(() => !!session.session?.role)
const here = computed(() => props.view || 'use')
const last = computed(() => outlook.value?.span[1])
/** The dates of a link to a report stay; choosing another time leaves them. */
const fixed = computed(() => {
  const [since, until] = [route.query.since, route.query.until].map((moment) => Date.parse(String(moment ?? '')))
  return since && until && since < until ? { since: new Date(since).toISOString(), until: new Date(until).toISOString() } : null
})
const stretch = useStretch(weeks, paddock, last, fixed)
const span = computed({
  get: () => (fixed.value ? 0 : weeks.value),
  set: (value: number) => {
    if (!value) return
    weeks.value = value
    if (fixed.value) void router.replace({ query: { ...route.query, since: undefined, until: undefined } })
  },
})
const answer = computed(() => headline(outlook.value))
const target = computed(() => outlook.value?.settings.target ?? 900)
const paddocks = computed(() => [{ value: '', label: 'all paddocks' }, ...[...new Set(yard.plates.map((one) => one.paddock))].sort().map((value) => ({ value, label: value }))])
const spans = computed(() => [...(fixed.value ? [{ value: 0, label: `${day(fixed.value.since)} to ${day(fixed.value.until)}` }] : []), ...[1, 2, 4, 8, 12, 26, 52].map((value) => ({ value, label: value === 1 ? 'last week' : `last ${value} weeks` }))])

async function load(): Promise<void> {
  try {
    if (seesAll.value) outlook.value = await answered(api.GET('/api/v1/plan/outlook/'))
  } catch (error) {
    trouble.value = (error as Error).message
  } finally {
    isLoaded.value = true
  }
}

const soon = gathered(load)
onNote((note) => {
  if (['rehearsal', 'everything'].includes(note.noun)) soon()
})
void load()
</script>

<template>
  <div class="screen plan">
    <div class="row head">
      <h1>Plan</h1>
      <p class="sentence" data-part="headline">
        <template v-if="answer">{{ answer.growth }}<template v-if="answer.breaks">. <strong class="trouble">{{ answer.breaks }}</strong> <span class="soft">{{ answer.between }}</span></template><template v-else>{{ answer.between }}</template>{{ answer.breaks ? '. ' : ' ' }}{{ answer.remedy }}</template>
        <span v-else-if="isLoaded && outlook && !outlook.span.length" class="soft">No job has ended yet. Plan counts every job from its first day; <code>paddock history --runs</code> imports earlier ones.</span>
        <span v-else-if="isLoaded" class="soft">No kind of work surely grows, as far as four weeks or more are recorded.</span>
      </p>
    </div>
    <div class="row bar">
      <nav class="row views" aria-label="Views of Plan">
        <RouterLink v-for="one in VIEWS" :key="one.name" :to="{ name: 'plan', params: { view: one.name } }" class="view" :class="{ here: here === one.name }" :data-view="one.name">{{ one.title }}</RouterLink>
      </nav>
      <ChoiceField v-model:value="span" class="small" :options="spans" label="Time" />
      <ChoiceField v-model:value="paddock" class="small" :options="paddocks" label="Paddock" />
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="isLoaded">
      <UseView v-if="here === 'use'" :stretch="stretch" :target="target" />
      <KindsView v-else-if="here === 'kinds'" :stretch="stretch" :target="target" :outlook="outlook" />
      <RehearsalsView v-else-if="here === 'rehearsals'" :id="id" :stretch="stretch" :target="target" />
      <ReportView v-else :stretch="stretch" :outlook="outlook" @saved="load" />
    </template>
  </div>
</template>

<style scoped>
.sentence {
  flex: 1;
  font-size: 15px;
}

.bar {
  margin: 8px 0 14px;
}

.views {
  gap: 4px;
  margin-right: 12px;
}

.view {
  padding: 4px 12px;
  border: 1px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
  color: var(--ink);
  text-decoration: none;
}

.view.here {
  border-color: var(--ink);
  background: var(--yellow);
  color: var(--on-yellow);
  font-weight: 600;
}

@media print {
  .bar {
    display: none;
  }
}
</style>
