// @vitest-environment jsdom
import { describe, expect, it, vi } from 'vitest'

const went = vi.hoisted(() => [] as unknown[])
vi.mock('vue-router', () => ({ useRouter: () => ({ push: async (to: unknown) => void went.push(to) }) }))

import { mounted } from '../../testing/mounted'
import RunStrip from './RunStrip.vue'

const run = (change: Record<string, unknown>) => ({ id: 7, state: 'passed', host: 'knot-01', waited: 30, took: 60, ...change })
const strip = (...runs: unknown[]) => mounted(RunStrip, { props: { runs: runs as never } })
const height = (page: ReturnType<typeof strip>, at: number, part: string) => Number(page.findAll('.bar')[at]!.find(part).attributes('height'))

describe('the strip of runs', () => {
  it.each([['passed', 'took'], ['cancelled', 'cut'], ['running', 'cut']])('draws a run that is %s in the look “%s”', (state, look) => {
    const bar = strip(run({ state })).get('.bar rect:nth-of-type(2)')
    expect(bar.classes()).toContain(look)
    expect(bar.attributes('fill')).toBeUndefined()
  })

  it.each(['failed', 'lost', 'timed out'])('hatches a run that is %s', (state) => {
    const page = strip(run({ state }))
    expect(page.get('.bar rect:nth-of-type(2)').attributes('fill')).toBe('url(#did-not-pass)')
    expect(page.find('.bar .took').exists()).toBe(false)
  })

  it('draws the longest to the edge, and the shortest so that it is seen', () => {
    const page = strip(run({ took: 0, waited: 0 }), run({ took: 36000 }))
    expect([height(page, 0, '.took'), height(page, 0, '.waited'), height(page, 1, '.took')]).toEqual([2, 2, 26])
  })

  it('draws nothing for what has not happened, and a frame while it waits', () => {
    const page = strip(run({ state: 'waiting', took: null, waited: null, host: '' }))
    expect(page.findAll('.bar rect').map((one) => one.classes())).toEqual([['reach'], ['waits']])
    expect(page.get('.bar title').text()).toBe('job 7: waiting')
  })

  it('says in words what a bar is, and leads to the run', async () => {
    const page = strip(run({}))
    expect(page.get('.bar title').text()).toBe('job 7: passed on knot-01, waited 30 s, took 1 min')
    await page.get('.bar').trigger('click')
    expect(went).toEqual([{ name: 'run', params: { id: '7' } }])
  })
})
