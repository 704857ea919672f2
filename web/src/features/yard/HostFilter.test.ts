// @vitest-environment jsdom
import { Select } from 'ant-design-vue'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ inside: [false, true] as boolean[], asked: [] as unknown[], refuses: '' }))
vi.mock('../../api/client', () => ({
  api: {
    POST: async (_: string, { body }: { body: unknown }) => {
      server.asked.push(body)
      if (server.refuses) throw new Error(server.refuses)
      return { inside: server.inside }
    },
  },
  answered: (answer: unknown) => answer,
}))

import { mounted, settled } from '../../testing/mounted'
import { ALL, type Columns, type Filter } from '../toolchains/fleet-columns'
import HostFilter from './HostFilter.vue'

const COLUMNS = {
  hosts: { name: ['a', 'b', 'c'], paddock: ['shoreline', 'orchard', 'shoreline'], os: ['linux', '', 'macos'], arch: [], healthy: [], surveyed: [], labels: [] },
  tools: [{ name: 'jdk', versions: ['17.0.1', '21.0.5'] }, { name: 'maven', versions: ['3.9'] }],
  kits: [],
} as unknown as Columns

function filter(value: Partial<Filter> = {}) {
  const page = mounted(HostFilter, { props: { columns: COLUMNS, modelValue: { ...ALL, ...value }, 'onUpdate:modelValue': (next: Filter) => void page.setProps({ modelValue: next }) } })
  const select = (label: string) => page.findAllComponents(Select).find((one) => one.attributes('aria-label') === label || one.html().includes(`aria-label="${label}"`))!
  return { page, select, value: () => page.props('modelValue') as Filter }
}
async function paused(): Promise<void> {
  await vi.advanceTimersByTimeAsync(200)
  await settled()
}

describe('the filter of hosts', () => {
  beforeEach(() => {
    vi.useFakeTimers()
    Object.assign(server, { inside: [false, true], asked: [], refuses: '' })
  })
  afterEach(() => vi.useRealTimers())

  it('offers the systems, paddocks and tools that the fleet has, each once', () => {
    const { select } = filter()
    const values = (label: string) => (select(label).props('options') as { value: string }[]).map((one) => one.value)
    expect([values('System'), values('Paddock'), values('Tool')]).toEqual([['', 'linux', 'macos'], ['', 'orchard', 'shoreline'], ['', 'jdk', 'maven']])
  })

  it('changes one part and keeps the others', async () => {
    const { select, value } = filter({ os: 'linux' })
    select('Paddock').vm.$emit('update:value', 'orchard')
    await settled()
    expect(value()).toEqual({ ...ALL, os: 'linux', paddock: 'orchard' })
  })

  it('asks for versions only of a tool, and not of a broken one', async () => {
    const page = filter().page
    expect(page.find('[placeholder="<17"]').exists()).toBe(false)
    await page.setProps({ modelValue: { ...ALL, tool: 'jdk' } })
    expect(page.find('[placeholder="<17"]').exists()).toBe(true)
    await page.setProps({ modelValue: { ...ALL, tool: 'jdk', has: 'broken' } })
    expect(page.find('[placeholder="<17"]').exists()).toBe(false)
  })

  it('lets the server read the range, and takes the versions inside', async () => {
    const { page, value } = filter({ tool: 'jdk' })
    await page.get('[placeholder="<17"]').setValue(' 21+ ')
    await paused()
    expect(server.asked).toEqual([{ tool: 'jdk', range: '21+', versions: ['17.0.1', '21.0.5'] }])
    expect(value().versions).toEqual(new Set([1]))
  })

  it('shows why a range cannot be read, and keeps the filter', async () => {
    server.refuses = 'column 2: a version is expected'
    const { page, value } = filter({ tool: 'jdk' })
    await page.get('[placeholder="<17"]').setValue('<')
    await paused()
    expect([page.get('[role=alert]').text(), value().versions]).toEqual(['column 2: a version is expected', null])
  })

  it('forgets the versions with the range, and both with another tool', async () => {
    const { page, select, value } = filter({ tool: 'jdk' })
    await page.get('[placeholder="<17"]').setValue('21+')
    await paused()
    await page.get('[placeholder="<17"]').setValue('')
    await paused()
    expect(value().versions).toBe(null)
    await page.get('[placeholder="<17"]').setValue('21+')
    await paused()
    select('Tool').vm.$emit('update:value', 'maven')
    await settled()
    expect([value().tool, value().versions, (page.get('[placeholder="<17"]').element as HTMLInputElement).value]).toEqual(['maven', null, ''])
  })

  it('takes what a rail chooses as it is, without asking the server', async () => {
    const { page, value } = filter()
    ;(page.vm as unknown as { choose(tool: string, versions: number[] | 'broken', name: string): void }).choose('jdk', [1], '21')
    await paused()
    expect([value().tool, value().versions, server.asked]).toEqual(['jdk', new Set([1]), []])
    ;(page.vm as unknown as { choose(tool: string, versions: number[] | 'broken', name: string): void }).choose('jdk', 'broken', '')
    await paused()
    expect([value().has, value().versions]).toEqual(['broken', null])
  })

  it('can be cleared only when it asks for something', async () => {
    const { page, value } = filter({ os: 'linux' })
    await page.get('button').trigger('click')
    expect(value()).toEqual(ALL)
    await settled()
    expect(page.find('button').exists()).toBe(false)
  })
})
