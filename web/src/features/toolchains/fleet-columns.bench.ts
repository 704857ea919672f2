import { bench } from 'vitest'
import { ALL, placesOf, spreads, taken, type Columns } from './fleet-columns'

/** Two thousand hosts, a hundred tools, three versions of each: what a filter computes before anything is drawn. */
const places = [...Array(2000).keys()]
const columns: Columns = {
  hosts: {
    name: places.map((host) => `knot-${host}`),
    paddock: places.map((host) => `paddock-${host % 4}`),
    os: places.map((host) => ['linux', 'macos', 'windows'][host % 3] ?? ''),
    arch: places.map(() => 'x64'),
    healthy: places.map(() => true),
    surveyed: places.map(() => true),
    labels: places.map(() => []),
  },
  tools: [...Array(100).keys()].map((tool) => ({
    name: `tool-${tool}`, title: '', kind: 'other', asked: 0, changed: 0, missed: 0,
    versions: ['1', '2', '3'], ends: [null, null, null],
    hosts: places, version: places.map((host) => (host + tool) % 3), plain: places.map(() => 1),
  })),
  kits: [],
}

bench('a filter over 2,000 hosts and 100 tools', () => {
  const mask = taken(columns, { ...ALL, sought: '12', os: 'linux' })
  spreads(columns, mask)
  placesOf(mask)
})

bench('a bare pass over as many cells', () => {
  let sum = 0
  for (const tool of columns.tools) for (const version of tool.version) sum += version
  if (sum < 0) throw new Error('never')
})
