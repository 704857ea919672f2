import { createRouter, createWebHistory } from 'vue-router'
import { useSession } from './api/session'

export const router = createRouter({
  history: createWebHistory('/'),
  routes: [
    { path: '/', name: 'yard', component: () => import('./screens/YardScreen.vue'), meta: { title: 'Yard' } },
    { path: '/hosts/:name', name: 'host', component: () => import('./screens/HostScreen.vue'), props: true, meta: { title: 'Host' } },
    { path: '/bring-in', name: 'bring-in', component: () => import('./screens/BringInScreen.vue'), props: ({ query }) => ({ name: String(query.name ?? '') }), meta: { title: 'Bring in a host' } },
    { path: '/bring-in/many', name: 'bring-many', component: () => import('./screens/BringManyScreen.vue'), meta: { title: 'Bring in many hosts' } },
    { path: '/bring-in/:id(\\d+)', name: 'bring-up', component: () => import('./screens/BringUpScreen.vue'), props: true, meta: { title: 'Bring-up' } },
    { path: '/board/:id(\\d+)?', name: 'board', component: () => import('./screens/BoardScreen.vue'), meta: { title: 'Board' } },
    { path: '/board/help', name: 'board-help', component: () => import('./screens/BoardScreen.vue'), meta: { title: 'What would help' } },
    { path: '/runs/compare', name: 'compare-runs', component: () => import('./screens/CompareRunsScreen.vue'), meta: { title: 'Two runs' } },
    { path: '/runs/:id(\\d+)', name: 'run', component: () => import('./screens/RunScreen.vue'), props: true, meta: { title: 'Run' } },
    { path: '/chores', name: 'chores', component: () => import('./screens/ChoresScreen.vue'), meta: { title: 'Chores' } },
    { path: '/chores/new', name: 'new-chore', component: () => import('./screens/NewChoreScreen.vue'), meta: { title: 'New chore' } },
    { path: '/chores/:id(\\d+)', name: 'chore-run', component: () => import('./screens/ChoreRunScreen.vue'), props: true, meta: { title: 'Chore' } },
    { path: '/care', name: 'care', component: () => import('./screens/CareScreen.vue'), meta: { title: 'Planned care' } },
    { path: '/pipelines', name: 'pipelines', component: () => import('./screens/PipelinesScreen.vue'), meta: { title: 'Pipelines' } },
    { path: '/pipelines/:name(.+)', name: 'pipeline', component: () => import('./screens/PipelineScreen.vue'), props: true, meta: { title: 'Pipeline' } },
    { path: '/toolchains', name: 'toolchains', component: () => import('./screens/ToolchainsScreen.vue'), meta: { title: 'Toolchains' } },
    { path: '/toolchains/compare', name: 'compare', component: () => import('./screens/CompareScreen.vue'), meta: { title: 'Compare' } },
    { path: '/toolchains/:name', name: 'tool', component: () => import('./screens/ToolScreen.vue'), props: true, meta: { title: 'Tool' } },
    { path: '/watch', name: 'watch', component: () => import('./screens/WatchScreen.vue'), meta: { title: 'Watch' } },
    { path: '/logbook', name: 'logbook', component: () => import('./screens/LogbookScreen.vue'), meta: { title: 'Logbook' } },
    { path: '/login', name: 'login', component: () => import('./screens/LoginScreen.vue'), meta: { title: 'Log in' } },
    { path: '/:rest(.*)*', name: 'nowhere', component: () => import('./screens/NowhereScreen.vue'), meta: { title: 'Nothing here' } },
  ],
})

router.beforeEach(async (to) => {
  const session = useSession()
  if (session.session === null) {
    try {
      await session.load()
    } catch {
      // The login screen says that the server does not answer.
    }
  }
  if (!session.name && to.name !== 'login') return { name: 'login', query: { to: to.fullPath } }
  return true
})

router.afterEach((to) => {
  document.title = `${String(to.params.name ?? to.meta.title)} · Yellow Paddock`
})
