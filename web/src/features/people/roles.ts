import type { Schemas } from '../../api/client'

export type Role = Schemas['RoleEnum']
export type HeldRole = Schemas['HeldRole']
export const ROLES: Role[] = ['viewer', 'operator', 'administrator']
export const RANK: Record<Role, number> = { viewer: 0, operator: 1, administrator: 2 }
/** Days without use after which a role is worth a second look. */
export const UNUSED_DAYS = 90
const DAY = 86_400_000

/** What a person may do in one place: the role that was given there by hand, the one that a provider's groups give, and the one that comes with the role for everything. */
export interface Place {
  own: HeldRole | null
  byGroup: HeldRole | null
  through: Role | null
}

/** An empty paddock stands for everything. */
export function placeOf(roles: HeldRole[], paddock: string): Place {
  const here = roles.filter((one) => one.paddock === paddock)
  const everywhere = paddock ? roles.filter((one) => !one.paddock).map((one) => one.role) : []
  const through = everywhere.sort((one, other) => RANK[other] - RANK[one])[0] ?? null
  const highest = (held: HeldRole[]) => held.sort((one, other) => RANK[other.role] - RANK[one.role])[0] ?? null
  return { own: highest(here.filter((one) => !one.by_provider)), byGroup: highest(here.filter((one) => one.by_provider)), through }
}

/** The role that counts in a place; null for none. */
export function roleIn(place: Place): Role | null {
  const held = [place.own?.role, place.byGroup?.role, place.through].filter((one): one is Role => Boolean(one))
  return held.sort((one, other) => RANK[other] - RANK[one])[0] ?? null
}

/** Days since a role let its person do something, or since it was given; null for a viewer's, which lets a person only look. */
export function unusedDays(held: HeldRole, now: number): number | null {
  const last = held.last_used_at ?? held.granted_at
  return held.role === 'viewer' || !last ? null : Math.floor((now - Date.parse(last)) / DAY)
}

/** Whether the role is worth a second look. */
export const isUnused = (held: HeldRole, now: number): boolean => (unusedDays(held, now) ?? 0) >= UNUSED_DAYS

/** For how long a role is given: days, or null for good. */
export const SPANS = [
  { value: 0, label: 'for good' },
  { value: 1, label: 'for a day' },
  { value: 7, label: 'for a week' },
  { value: 30, label: 'for 30 days' },
]

export const SCOPES: { value: Schemas['ScopeEnum']; label: string; more: string }[] = [
  { value: 'read', label: 'Read', more: 'sees what the account sees, changes nothing' },
  { value: 'jobs', label: 'Send jobs', more: 'also submits, reruns and cancels jobs' },
  { value: 'operate', label: 'Operate', more: 'also holds, drains and surveys hosts' },
  { value: 'all', label: 'All', more: 'everything that the account may do' },
]

/** A browser and its system, of what it says of itself: "Firefox on Linux". */
export function browserName(agent: string): string {
  const browser = /Edg\//.test(agent) ? 'Edge' : /OPR\//.test(agent) ? 'Opera' : /Firefox\//.test(agent) ? 'Firefox' : /Chrom(e|ium)\//.test(agent) ? 'Chromium or Chrome' : /Safari\//.test(agent) ? 'Safari' : ''
  const system = /Windows/.test(agent) ? 'Windows' : /Android/.test(agent) ? 'Android' : /iPhone|iPad/.test(agent) ? 'iOS' : /Mac OS X/.test(agent) ? 'macOS' : /Linux/.test(agent) ? 'Linux' : ''
  if (!browser) return agent.slice(0, 60) || 'a browser'
  return system ? `${browser} on ${system}` : browser
}
