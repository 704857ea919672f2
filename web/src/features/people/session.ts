import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { closeFeed, openFeed } from '../../live/feed'

type Role = 'viewer' | 'operator' | 'administrator'
const RANK: Record<Role, number> = { viewer: 0, operator: 1, administrator: 2 }

/** Who is logged in, and what they may do. The server asks again in every action; this only hides what would fail. */
export const useSession = defineStore('session', () => {
  const session = ref<Schemas['Session'] | null>(null)
  const name = computed(() => session.value?.name ?? null)

  function keep(answer: Schemas['Session']): void {
    session.value = answer
    if (answer.name) openFeed()
  }

  async function load(): Promise<void> {
    keep(await answered(api.GET('/api/v1/session/')))
  }

  async function logIn(username: string, password: string): Promise<void> {
    keep(await answered(api.POST('/api/v1/session/', { body: { username, password } })))
  }

  async function logOut(): Promise<void> {
    await answered(api.DELETE('/api/v1/session/'))
    closeFeed()
    await load()
  }

  /** Whether the person has at least `role`, for everything or in this paddock. */
  function may(role: Role, paddock?: string): boolean {
    const held: Role[] = (session.value?.paddock_roles ?? [])
      .filter((one) => paddock === undefined || one.paddock === paddock)
      .map((one) => one.role)
    if (session.value?.role) held.push(session.value.role)
    return held.some((one) => RANK[one] >= RANK[role])
  }

  return { session, name, load, logIn, logOut, may }
})
