import { describe, expect, it } from 'vitest'
import { ALL, at, cellOf, ending, lineOf, placesOf, spread, spreads, taken, type Columns, type Filter } from './fleet-columns'

const COLUMNS: Columns = {
  hosts: {
    name: ['avocet-01', 'curlew-01', 'ketch-01', 'russet-01'],
    paddock: ['shoreline', 'shoreline', 'workshop', 'orchard'],
    os: ['linux', 'linux', 'windows', 'macos'],
    arch: ['x64', 'x64', 'x64', 'arm64'],
    healthy: [true, false, true, true],
    surveyed: [true, true, true, false],
    labels: [[], [], [], []],
  },
  tools: [
    {
      name: 'jdk', title: 'JDK', kind: 'compiler or SDK', asked: 3, changed: 0, missed: 0,
      versions: ['11.0.25', '17.0.13', '21.0.5'], ends: ['2027-10-31', null, null],
      hosts: [0, 0, 1, 2, 2], version: [1, 2, 0, 1, -1], plain: [1, 0, 1, 1, 0],
    },
    { name: 'maven', title: 'Maven', kind: 'build system', asked: 0, changed: 0, missed: 0, versions: ['3.9.9'], ends: [null], hosts: [1, 1], version: [0, 0], plain: [0, 0] },
  ],
  kits: [],
}

function names(filter: Partial<Filter>): string[] {
  return placesOf(taken(COLUMNS, { ...ALL, ...filter })).map((host) => at(COLUMNS.hosts.name, host))
}

describe('a filter of hosts', () => {
  it('takes all of them when it asks for nothing', () => expect(names({})).toHaveLength(4))
  it('answers “all Linux hosts in shoreline with a JDK under 17”', () =>
    expect(names({ os: 'linux', paddock: 'shoreline', tool: 'jdk', versions: new Set([0]) })).toEqual(['curlew-01']))
  it('finds hosts that lack a tool, not those that were never asked', () => expect(names({ tool: 'maven', has: 'lacks' })).toEqual(['avocet-01', 'ketch-01']))
  it('finds who has a broken one', () => expect(names({ tool: 'jdk', has: 'broken' })).toEqual(['ketch-01']))
  it('looks for a part of a name, whatever its case', () => expect(names({ sought: ' LEW ' })).toEqual(['curlew-01']))
  it('finds nothing for a tool that no host has', () => expect(names({ tool: 'zig' })).toEqual([]))
})

describe('the spread of a tool', () => {
  it('counts a host once for each version, and its health', () => {
    const found = spread(COLUMNS, at(COLUMNS.tools, 0), taken(COLUMNS, ALL))
    expect([found.hosts, found.healthy, found.broken, found.counts, found.present]).toEqual([3, 2, 1, [1, 2, 1], [0, 1, 2]])
  })
  it('counts two places of one version on a host as one', () => expect(spread(COLUMNS, at(COLUMNS.tools, 1), taken(COLUMNS, ALL)).counts).toEqual([1]))
  it('is of the hosts that are meant', () =>
    expect(spreads(COLUMNS, taken(COLUMNS, { ...ALL, paddock: 'workshop' })).map((one) => [one.hosts, one.broken])).toEqual([[1, 1], [0, 0]]))
})

it('reads one cell: versions with the plain one first, and whether one is broken', () => {
  expect(cellOf(at(COLUMNS.tools, 0), 0)).toEqual({ versions: ['17.0.13', '21.0.5'], broken: false })
  expect(cellOf(at(COLUMNS.tools, 0), 2)).toEqual({ versions: ['17.0.13'], broken: true })
  expect(cellOf(at(COLUMNS.tools, 0), 3)).toEqual({ versions: [], broken: false })
})

it.each([['3.11.2', '3.11'], ['17.0.9+9', '17'], ['8', '8'], ['v1', 'v1']])('puts %s into the line %s', (version, line) => expect(lineOf(version)).toBe(line))

it('knows what has ended and what ends soon', () => {
  expect([ending('2026-04-30', '2026-11-23'), ending('2027-01-31', '2026-11-23'), ending('2027-01-31', '2026-11-23', 90), ending(null, '2026-11-23', 90)]).toEqual([true, false, true, false])
})
