<script setup lang="ts">
import { ConfigProvider } from 'ant-design-vue'
import { computed } from 'vue'
import { onNote } from './live/feed'
import { useSession } from './features/people/session'
import AppBand from './features/shell/AppBand.vue'
import { antdTheme } from './theme/antd'
import { useMode } from './theme/mode'

const mode = useMode()
const session = useSession()
onNote((note) => {
  if (note.noun === 'access') void session.load() // a role may have come
})
const theme = computed(() => antdTheme(mode.isDark))
</script>

<template>
  <ConfigProvider :theme="theme" :auto-insert-space-in-button="false">
    <a class="skip" href="#main">Skip to content</a>
    <AppBand v-if="session.name" />
    <main id="main" tabindex="-1"><RouterView /></main>
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
