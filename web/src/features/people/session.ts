import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { chooseClock } from '../../kit/moments'
import { closeFeed, openFeed } from '../../live/feed'

type Role = 'viewer' | 'operator' | 'administrator'
const RANK: Record<Role, number> = { viewer: 0, operator: 1, administrator: 2 }

/** Who is logged in, and what they may do. The server asks again in every action; this only hides what would fail. */
export const useSession = defineStore('session', () => {
  const session = ref<Schemas['Session'] | null>(null)
  const name = computed(() => session.value?.name ?? null)

  function keep(answer: Schemas['Session']): void {
    session.value = answer
    if (!answer.name) return
    openFeed()
    if (answer.time_zone || answer.clock_hours) chooseClock({ zone: answer.time_zone, hours: answer.clock_hours === '12' ? '12' : '24' })
  }

  async function load(): Promise<void> {
    keep(await answered(api.GET('/api/v1/session/')))
  }

  async function logIn(username: string, password: string): Promise<void> {
    keep(await answered(api.POST('/api/v1/session/', { body: { username, password } })))
  }

  /** The second step of a log-in. */
  async function finishLogIn(body: Schemas['SecondFactorRequest']): Promise<void> {
    keep(await answered(api.POST('/api/v1/session/second-factor/', { body })))
  }

  /** Sets a password by a one-time link. */
  async function acceptLink(link: string, password: string): Promise<void> {
    closeFeed()
    keep(await answered(api.POST('/api/v1/links/accept/', { body: { link, password } })))
  }

  /** Ends the session. Returns where to log out of the provider as well; empty for nowhere. */
  async function logOut(): Promise<string> {
    closeFeed() // first: its end is no surprise
    try {
      return (await answered(api.DELETE('/api/v1/session/'))).provider_log_out
    } finally {
      await load()
    }
  }

  /** Whether the person has at least `role`, for everything or in this paddock. */
  function may(role: Role, paddock?: string): boolean {
    const held: Role[] = (session.value?.paddock_roles ?? [])
      .filter((one) => paddock === undefined || one.paddock === paddock)
      .map((one) => one.role)
    if (session.value?.role) held.push(session.value.role)
    return held.some((one) => RANK[one] >= RANK[role])
  }

  return { session, name, load, logIn, finishLogIn, acceptLink, logOut, may }
})
