<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { isLive } from '../../live/feed'
import { useYard } from '../yard/yard'
import FindField from './FindField.vue'
import { onKeys } from '../../kit/keys'
import PersonMenu from './PersonMenu.vue'
import KeysHelp from './KeysHelp.vue'

const router = useRouter()
const yard = useYard()
const find = ref<InstanceType<typeof FindField> | null>(null)
const helps = ref(false)

void yard.load()

const PLACES = [
  { name: 'yard', title: 'Yard', key: '1' },
  { name: 'board', title: 'Board', key: '2' },
  { name: 'toolchains', title: 'Toolchains', key: '3' },
  { name: 'watch', title: 'Watch', key: '4' },
  { name: 'plan', title: 'Plan', key: '5' },
  { name: 'logbook', title: 'Logbook', key: '6' },
]

onKeys({
  ...Object.fromEntries(PLACES.map((place) => [place.key, () => void router.push({ name: place.name })])),
  '/': () => find.value?.focus(),
  '?': () => (helps.value = true),
})
</script>

<template>
  <header class="band">
    <RouterLink class="name" :to="{ name: 'yard' }">
      <svg viewBox="0 0 26 18" width="26" height="18" aria-hidden="true">
        <path d="M5 1v16M13 1v16M21 1v16M0 6h26M0 12h26" stroke="#F2C12E" stroke-width="2.6" fill="none" />
      </svg>
      Yellow Paddock
    </RouterLink>
    <nav aria-label="Places">
      <RouterLink v-for="place in PLACES" :key="place.name" :to="{ name: place.name }" :class="{ here: $route.name === place.name || (place.name === 'plan' && $route.name === 'rehearsal') }">
        {{ place.title }}<b v-if="place.name === 'board' && yard.yard?.waiting" :title="`${yard.yard.waiting} waiting`">{{ yard.yard.waiting }}</b>
      </RouterLink>
    </nav>
    <span v-if="!isLive" class="away" role="status">Offline: reconnecting</span>
    <FindField ref="find" />
    <RouterLink class="gate" :class="{ some: yard.atTheGate.length }" :to="{ name: 'yard', hash: '#hand' }">{{ yard.atTheGate.length }} at the gate</RouterLink>
    <div class="who">
      <button type="button" class="bare" title="Keys and marks (?)" @click="helps = true">?</button>
      <PersonMenu />
    </div>
    <KeysHelp v-model:open="helps" />
  </header>
</template>

<style scoped>
.band {
  position: sticky;
  top: 0;
  z-index: 5;
  display: flex;
  align-items: center;
  gap: 18px;
  min-height: 46px;
  padding: 0 18px;
  background: var(--band);
  color: var(--band-ink);
}

.band a {
  color: inherit;
  text-decoration: none;
}

.band :focus-visible {
  outline-color: var(--yellow);
}

.name {
  display: flex;
  align-items: center;
  gap: 9px;
  font-size: 16px;
  font-weight: 600;
  white-space: nowrap;
}

nav {
  display: flex;
}

nav a {
  padding: 12px 13px 9px;
  border-bottom: 3px solid transparent;
  font-weight: 500;
}

nav a.here {
  border-color: var(--yellow);
}

nav b {
  margin-left: 5px;
  color: var(--yellow);
  font-size: 12px;
}

.away {
  color: var(--yellow);
  font-size: 12px;
}

.find {
  margin-left: auto;
}

.gate {
  padding: 3px 10px;
  border: 1px dotted var(--slate);
  border-radius: 4px;
  white-space: nowrap;
}

.gate.some {
  border-color: var(--yellow);
  font-weight: 600;
}

.who {
  display: flex;
  gap: 14px;
  font-size: 13px;
  white-space: nowrap;
}

@media (width < 900px) {
  .band {
    flex-wrap: wrap;
    gap: 4px 12px;
    padding-bottom: 6px;
  }

  nav {
    flex-wrap: wrap;
  }
}
</style>
