import { createRouter, createWebHistory } from 'vue-router'
import { serverPath } from './api/address'
import { useSession } from './features/people/session'

export const router = createRouter({
  history: createWebHistory(`${serverPath}/`),
  routes: [
    { path: '/', name: 'yard', component: () => import('./features/yard/YardScreen.vue'), meta: { title: 'Yard' } },
    { path: '/hosts/:name', name: 'host', component: () => import('./features/host/HostScreen.vue'), props: true, meta: { title: 'Host' } },
    { path: '/bring-in', name: 'bring-in', component: () => import('./features/bring-up/BringInScreen.vue'), props: ({ query }) => ({ name: String(query.name ?? '') }), meta: { title: 'Bring in a host' } },
    { path: '/bring-in/many', name: 'bring-many', component: () => import('./features/bring-up/BringManyScreen.vue'), meta: { title: 'Bring in many hosts' } },
    { path: '/bring-in/:id(\\d+)', name: 'bring-up', component: () => import('./features/bring-up/BringUpScreen.vue'), props: true, meta: { title: 'Bring-up' } },
    { path: '/board/:id(\\d+)?', name: 'board', component: () => import('./features/board/BoardScreen.vue'), meta: { title: 'Board' } },
    { path: '/board/help', name: 'board-help', component: () => import('./features/board/BoardScreen.vue'), meta: { title: 'What would help' } },
    { path: '/runs/compare', name: 'compare-runs', component: () => import('./features/run/CompareRunsScreen.vue'), meta: { title: 'Two runs' } },
    { path: '/runs/:id(\\d+)', name: 'run', component: () => import('./features/run/RunScreen.vue'), props: true, meta: { title: 'Run' } },
    { path: '/chores', name: 'chores', component: () => import('./features/chores/ChoresScreen.vue'), meta: { title: 'Chores' } },
    { path: '/chores/new', name: 'new-chore', component: () => import('./features/chores/NewChoreScreen.vue'), meta: { title: 'New chore' } },
    { path: '/chores/:id(\\d+)', name: 'chore-run', component: () => import('./features/chores/ChoreRunScreen.vue'), props: true, meta: { title: 'Chore' } },
    { path: '/versions', name: 'versions', component: () => import('./features/versions/VersionsScreen.vue'), meta: { title: 'Versions' } },
    { path: '/versions/new', name: 'new-rollout', component: () => import('./features/versions/NewRolloutScreen.vue'), meta: { title: 'New rollout' } },
    { path: '/versions/:id(\\d+)', name: 'rollout', component: () => import('./features/versions/RolloutScreen.vue'), props: true, meta: { title: 'Rollout' } },
    { path: '/maintenance', name: 'maintenance', component: () => import('./features/maintenance/MaintenanceScreen.vue'), meta: { title: 'Maintenance windows' } },
    { path: '/standby', name: 'standby', component: () => import('./features/standby/StandbyScreen.vue'), meta: { title: 'Standby' } },
    { path: '/pipelines', name: 'pipelines', component: () => import('./features/pipelines/PipelinesScreen.vue'), meta: { title: 'Pipelines' } },
    { path: '/pipelines/:name(.+)', name: 'pipeline', component: () => import('./features/pipelines/PipelineScreen.vue'), props: true, meta: { title: 'Pipeline' } },
    { path: '/toolchains', name: 'toolchains', component: () => import('./features/toolchains/ToolchainsScreen.vue'), meta: { title: 'Toolchains' } },
    { path: '/toolchains/compare', name: 'compare', component: () => import('./features/toolchains/CompareScreen.vue'), meta: { title: 'Compare' } },
    { path: '/toolchains/:name', name: 'tool', component: () => import('./features/toolchains/ToolScreen.vue'), props: true, meta: { title: 'Tool' } },
    { path: '/watch', name: 'watch', component: () => import('./features/watch/WatchScreen.vue'), meta: { title: 'Watch' } },
    { path: '/plan/:view(use|kinds|rehearsals|report)?', name: 'plan', component: () => import('./features/plan/PlanScreen.vue'), props: true, meta: { title: 'Plan' } },
    { path: '/plan/rehearsals/:id(\\d+)', name: 'rehearsal', component: () => import('./features/plan/PlanScreen.vue'), props: ({ params }) => ({ view: 'rehearsals', id: Number(params.id) }), meta: { title: 'Rehearsal' } },
    { path: '/logbook', name: 'logbook', component: () => import('./features/logbook/LogbookScreen.vue'), meta: { title: 'Logbook' } },
    { path: '/people', name: 'people', component: () => import('./features/people/PeopleScreen.vue'), meta: { title: 'People' } },
    { path: '/people/sign-on', name: 'sign-on', component: () => import('./features/people/SignOnScreen.vue'), meta: { title: 'Sign-on' } },
    { path: '/server', name: 'server', component: () => import('./features/server/ServerScreen.vue'), meta: { title: 'This server' } },
    { path: '/me', name: 'me', component: () => import('./features/people/OwnScreen.vue'), meta: { title: 'Your page' } },
    { path: '/welcome', name: 'welcome', component: () => import('./features/people/WelcomeScreen.vue'), meta: { title: 'Welcome', isOpen: true } },
    { path: '/login', name: 'login', component: () => import('./features/people/LoginScreen.vue'), meta: { title: 'Log in' } },
    { path: '/:rest(.*)*', name: 'nowhere', component: () => import('./features/shell/NowhereScreen.vue'), meta: { title: 'Not found' } },
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
  if (!session.name && to.name !== 'login' && !to.meta.isOpen) return { name: 'login', query: { to: to.fullPath } }
  return true
})

router.afterEach((to) => {
  document.title = `${String(to.params.name ?? to.meta.title)} · Yellow Paddock`
})
