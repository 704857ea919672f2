// @vitest-environment jsdom
import { beforeEach, describe, expect, it, vi } from 'vitest'

const went = vi.hoisted(() => [] as { name: string; query: Record<string, string[]> }[])
vi.mock('vue-router', () => ({ useRouter: () => ({ push: async (to: never) => void went.push(to) }) }))

import { mounted } from '../../testing/mounted'
import ChosenHosts from './ChosenHosts.vue'

function hosts(many: number, places = [...Array(many).keys()]) {
  const columns = { hosts: { name: Array.from({ length: many }, (_, n) => `knot-${n}`), paddock: Array(many).fill('annex'), healthy: Array(many).fill(1) }, tools: [] }
  return mounted(ChosenHosts, { props: { columns: columns as never, places, tool: '' } })
}
const tick = (page: ReturnType<typeof hosts>, name: string) => page.get(`[data-meant=${name}] input`).setValue(true)
const button = (page: ReturnType<typeof hosts>, text: string) => page.findAll('button').find((one) => one.text().startsWith(text))!

describe('the chosen hosts', () => {
  beforeEach(() => void went.splice(0))

  it('compares two to four', async () => {
    const page = hosts(6)
    await tick(page, 'knot-0')
    expect(button(page, 'Compare').attributes('disabled')).toBeDefined()
    for (const name of ['knot-1', 'knot-2', 'knot-3']) await tick(page, name)
    expect(page.get('[data-meant=knot-4] input').attributes('disabled')).toBeDefined()
    await button(page, 'Compare 4').trigger('click')
    expect(went).toEqual([{ name: 'compare', query: { host: ['knot-0', 'knot-1', 'knot-2', 'knot-3'] } }])
  })

  it('forgets a choice that the filter no longer takes', async () => {
    const page = hosts(3)
    await tick(page, 'knot-0')
    await tick(page, 'knot-2')
    await page.setProps({ places: [1, 2] })
    expect(button(page, 'Compare').text()).toBe('Compare 1')
  })

  it('takes the chosen hosts for a chore, or all', async () => {
    const page = hosts(3)
    await button(page, 'Chore').trigger('click')
    await tick(page, 'knot-1')
    await button(page, 'Chore').trigger('click')
    expect(went.map((to) => to.query.hosts)).toEqual([['knot-0', 'knot-1', 'knot-2'], ['knot-1']])
  })

  it.each([[500, false], [501, true]])('says of %s hosts whether a chore leaves some out', async (many, cut) => {
    const page = hosts(many)
    expect(page.text().includes('takes the first 500 of them')).toBe(cut)
    await button(page, 'Chore').trigger('click')
    expect(went[0]!.query.hosts).toHaveLength(500)
  })

  it('lists forty and counts the others', () => {
    expect(hosts(43).text()).toContain('3 more: narrow the search.')
    expect(hosts(0).text()).toContain('No host matches.')
  })
})
