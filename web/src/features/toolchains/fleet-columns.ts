import type { Schemas } from '../../api/client'

/** The fleet as columns: what the screens count, filter and sort, without an object for each installation. */
export type Columns = Schemas['Columns']
export type ToolColumns = Schemas['ToolColumns']

export const BROKEN = -1

/** What stands at a place that is known to be inside: columns name each other by place. */
export function at<T>(list: readonly T[], place: number): T {
  return list[place] as T
}

/** Which hosts are meant. `versions` are the places of those versions of `tool` that count; null for all of them. */
export interface Filter {
  os: string
  paddock: string
  sought: string
  tool: string
  has: 'has' | 'lacks' | 'broken'
  versions: Set<number> | null
}

export const ALL: Filter = { os: '', paddock: '', sought: '', tool: '', has: 'has', versions: null }

/** One byte a host: 1 where the filter takes it. */
export function taken(columns: Columns, filter: Filter): Uint8Array {
  const { name, paddock, os, surveyed } = columns.hosts
  const sought = filter.sought.trim().toLowerCase()
  const mask = new Uint8Array(name.length)
  const tool = filter.tool ? columns.tools.find((one) => one.name === filter.tool) : undefined
  const having = tool ? hostsWith(tool, name.length, filter) : null
  for (let host = 0; host < mask.length; host++) {
    if (filter.os && os[host] !== filter.os) continue
    if (filter.paddock && paddock[host] !== filter.paddock) continue
    if (sought && !at(name, host).toLowerCase().includes(sought)) continue
    if (filter.tool) {
      const has = having?.[host] ?? 0
      // What was never looked for is not missing.
      if (filter.has === 'lacks' ? has || !surveyed[host] : !has) continue
    }
    mask[host] = 1
  }
  return mask
}

function hostsWith(tool: ToolColumns, hosts: number, filter: Filter): Uint8Array {
  const having = new Uint8Array(hosts)
  for (let cell = 0; cell < tool.hosts.length; cell++) {
    const version = at(tool.version, cell)
    const counts = filter.has === 'broken' ? version === BROKEN : version !== BROKEN && (filter.versions === null || filter.versions.has(version))
    if (counts) having[at(tool.hosts, cell)] = 1
  }
  return having
}

/** One tool among the hosts that are meant. */
export interface Spread {
  tool: ToolColumns
  /** Hosts that have it and where it works. */
  hosts: number
  healthy: number
  broken: number
  /** Hosts by version, in the order of the tool's versions. */
  counts: number[]
  /** The places of the versions that some meant host has. */
  present: number[]
}

export function spread(columns: Columns, tool: ToolColumns, mask: Uint8Array): Spread {
  const counts = new Array<number>(tool.versions.length).fill(0)
  const last = new Int32Array(tool.versions.length).fill(-1)
  const { healthy } = columns.hosts
  let hosts = 0
  let well = 0
  let broken = 0
  let before = -1
  let beforeBroken = -1
  // Cells are sorted by host, so a host that was just counted is the last one.
  for (let cell = 0; cell < tool.hosts.length; cell++) {
    const host = at(tool.hosts, cell)
    if (!mask[host]) continue
    const version = at(tool.version, cell)
    if (version === BROKEN) {
      if (host !== beforeBroken) broken++
      beforeBroken = host
      continue
    }
    if (host !== before) {
      hosts++
      if (healthy[host]) well++
      before = host
    }
    if (last[version] !== host) {
      counts[version] = at(counts, version) + 1
      last[version] = host
    }
  }
  const present = counts.flatMap((count, version) => (count ? [version] : []))
  return { tool, hosts, healthy: well, broken, counts, present }
}

export function spreads(columns: Columns, mask: Uint8Array): Spread[] {
  return columns.tools.map((tool) => spread(columns, tool, mask))
}

/** The places of the hosts that are meant. */
export function placesOf(mask: Uint8Array): number[] {
  const places: number[] = []
  for (let host = 0; host < mask.length; host++) if (mask[host]) places.push(host)
  return places
}

/** For one host and tool: its versions, the plain one first, and whether one is broken. */
export function cellOf(tool: ToolColumns, host: number): { versions: string[]; broken: boolean } {
  let low = 0
  let high = tool.hosts.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (at(tool.hosts, middle) < host) low = middle + 1
    else high = middle
  }
  const versions: string[] = []
  let broken = false
  for (; low < tool.hosts.length && tool.hosts[low] === host; low++) {
    const place = at(tool.version, low)
    const version = place === BROKEN ? '' : at(tool.versions, place)
    if (!version) broken = true
    else if (!versions.includes(version)) versions.push(version)
  }
  return { versions, broken }
}

/** The line that a version belongs to: its first number, or its first two where the first is below ten. */
export function lineOf(version: string): string {
  const found = /^(\d+)(?:\.(\d+))?/.exec(version)
  if (!found) return version
  return Number(found[1]) >= 10 || found[2] === undefined ? String(found[1]) : `${found[1]}.${found[2]}`
}

/** Whether support of a line has ended, or ends within so many days. */
export function ending(day: string | null, today: string, within = 0): boolean {
  return day !== null && Date.parse(day) <= Date.parse(today) + within * 86_400_000
}

/** The hosts that stand so to a kit. */
export function standing(kit: Schemas['KitColumns'], stands: string): number[] {
  return kit.hosts.filter((_, place) => kit.stands[place] === stands)
}
