<script setup lang="ts">
import { Dropdown, Menu } from 'ant-design-vue'
import { useRouter } from 'vue-router'
import { useMode } from '../../theme/mode'
import { useSession } from '../people/session'

/** What belongs to the person: their own page, the people, the server, the colours, the way out. */
const router = useRouter()
const session = useSession()
const mode = useMode()

async function logOut(): Promise<void> {
  const elsewhere = await session.logOut()
  if (elsewhere) window.location.assign(elsewhere)
  else await router.push({ name: 'login' })
}

function choose(key: string): void {
  if (key === 'mode') mode.toggle()
  else if (key === 'out') void logOut()
  else void router.push({ name: key })
}
</script>

<template>
  <Dropdown :trigger="['click']" placement="bottomRight">
    <button type="button" class="bare" aria-haspopup="menu" data-act="person-menu">{{ session.name }} <span aria-hidden="true">▾</span></button>
    <template #overlay>
      <Menu @click="({ key }) => choose(String(key))">
        <Menu.Item key="me" data-menu="me">Your page</Menu.Item>
        <Menu.Item v-if="session.may('administrator')" key="people" data-menu="people">People</Menu.Item>
        <Menu.Item v-if="session.session?.role === 'administrator'" key="server" data-menu="server">This server</Menu.Item>
        <Menu.Item key="mode" data-menu="mode">{{ mode.isDark ? 'Light colours' : 'Dark colours' }}</Menu.Item>
        <Menu.Divider />
        <Menu.Item key="out" data-menu="out">Log out</Menu.Item>
      </Menu>
    </template>
  </Dropdown>
</template>
