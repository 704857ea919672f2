<script setup lang="ts">
import { ConfigProvider } from 'ant-design-vue'
import { computed, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { onNote, shutOuts } from './live/feed'
import { useSession } from './features/people/session'
import AppBand from './features/shell/AppBand.vue'
import RefusedBar from './features/people/RefusedBar.vue'
import { antdTheme } from './theme/antd'
import { useMode } from './theme/mode'

const mode = useMode()
const session = useSession()
const route = useRoute()
const router = useRouter()
onNote((note) => {
  if (note.noun === 'access' || note.noun === 'everything') void session.load().catch(() => undefined) // a role may have come or gone
})
watch(shutOuts, async () => {
  await session.load().catch(() => undefined)
  if (!session.name) await router.push({ name: 'login', query: { to: route.fullPath, ended: '1' } })
})
const theme = computed(() => antdTheme(mode.isDark))
</script>

<template>
  <ConfigProvider :theme="theme" :auto-insert-space-in-button="false">
    <a class="skip" href="#main">Skip to content</a>
    <AppBand v-if="session.name" />
    <main id="main" tabindex="-1"><RouterView /></main>
    <RefusedBar v-if="session.name" />
  </ConfigProvider>
</template>

<style scoped>
.skip {
  position: absolute;
  left: -999px;
  padding: 8px 12px;
  background: var(--yellow);
  color: var(--on-yellow);
}

.skip:focus {
  left: 8px;
  top: 8px;
  z-index: 10;
}

main:focus {
  outline: none;
}
</style>
