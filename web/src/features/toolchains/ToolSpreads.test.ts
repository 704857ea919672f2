// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { mounted } from '../../testing/mounted'
import type { Spread } from './fleet-columns'
import ToolSpreads from './ToolSpreads.vue'
import VersionRail from './VersionRail.vue'

const TODAY = '2026-11-28'

function spreadOf(name: string, change: Partial<Spread> & { tool?: Record<string, unknown> } = {}): Spread {
  const { tool, ...rest } = change
  return {
    tool: { name, title: name.toUpperCase(), kind: 'build system', asked: 0, changed: 0, missed: 0, versions: ['1.0', '2.0'], ends: [null, null], hosts: [], version: [], plain: [], ...tool },
    hosts: 3, healthy: 3, broken: 0, present: [0, 1], counts: [1, 2], ...rest,
  } as Spread
}
const table = (spreads: Spread[], chosen = '') => mounted(ToolSpreads, { props: { spreads, meant: 5, today: TODAY, chosen } })
const names = (page: ReturnType<typeof table>) => page.findAll('[data-tool-row]').map((row) => row.attributes('data-tool-row'))
const remarks = (page: ReturnType<typeof table>, name: string) => page.findAll(`[data-tool-row=${name}] .remark`).map((one) => [one.text(), one.classes('trouble')])

describe('the spread of tools', () => {
  it.each([
    ['asked for and on no ready host', { healthy: 0, tool: { asked: 2 } }, [['no ready host', true]]],
    ['on one ready host, and asked for', { healthy: 1, tool: { asked: 2 } }, [['one ready host only', true]]],
    ['on one ready host, asked for by none', { healthy: 1 }, [['one ready host only', false]]],
    ['missing where a kit asks for it', { tool: { missed: 1 } }, [['1 host out of kit', true]]],
    ['broken somewhere', { broken: 2 }, [['broken on 2', true]]],
    ['changed in the week', { tool: { changed: 4 } }, [['changed on 4 in 7 days', false]]],
    ['past its support on some hosts', { tool: { ends: ['2026-11-27', null] } }, [['no longer supported on 1', true]]],
    ['near the end of its support', { tool: { ends: [null, '2027-01-10'] } }, [['support ends 2027-01-10', false]]],
    ['well', {}, []],
  ])('remarks on a tool that is %s', (_, change, expected) => {
    expect(remarks(table([spreadOf('cmake', change as never)]), 'cmake')).toEqual(expected)
  })

  it('leaves out a tool that is nowhere and that no one asks for', () => {
    const nowhere = { hosts: 0, broken: 0, present: [], counts: [] }
    const asked = spreadOf('zig', { ...nowhere, healthy: 0, tool: { asked: 1 } } as never)
    expect(names(table([spreadOf('go', nowhere as never), asked]))).toEqual(['zig'])
    expect(table([asked]).text()).toContain('on none of these hosts')
  })

  const THREE = [spreadOf('ant', { present: [0] }), spreadOf('bazel', { healthy: 0, tool: { asked: 9 } } as never), spreadOf('cmake', { tool: { asked: 20 } } as never)]

  it.each([
    ['Tool', ['ant', 'bazel', 'cmake']],
    ['Versions by hosts, oldest first', ['bazel', 'cmake', 'ant']],
    ['Asked', ['cmake', 'bazel', 'ant']],
    ['Remarks', ['bazel', 'cmake', 'ant']],
  ])('sorts by %s', async (head, expected) => {
    const page = table(THREE)
    await page.findAll('th button').find((one) => one.text() === head)!.trigger('click')
    expect(names(page)).toEqual(expected)
    expect(page.findAll('th').filter((one) => one.attributes('aria-sort') === 'ascending').map((one) => one.text())).toEqual([head])
  })

  it('puts the chosen tool first, whatever the order', () => expect(names(table(THREE, 'ant'))[0]).toBe('ant'))

  it('draws the first rows and names the number of the others', () => {
    const page = table(Array.from({ length: 45 }, (_, n) => spreadOf(`tool-${String(n).padStart(2, '0')}`)))
    expect(names(page)).toHaveLength(20)
    expect(page.text()).toContain('25 more tools')
  })
})

describe('the rail of versions', () => {
  const rail = (change: Record<string, unknown> = {}) => mounted(VersionRail, { props: { spread: spreadOf('jdk', change as never), today: TODAY } })
  const pieces = (page: ReturnType<typeof rail>) => page.findAll('.piece').map((one) => one.text())

  it('has a piece for each version, with its hosts unless it is one', () => expect(pieces(rail())).toEqual(['1.0', '2.02']))

  it('is to scale', () => {
    expect(rail().findAll('.piece').map((one) => (one.element as HTMLElement).style.flexGrow)).toEqual(['1', '2'])
  })

  it('ends with the broken ones', async () => {
    const page = rail({ broken: 1 })
    expect(pieces(page).at(-1)).toBe('broken')
    await page.get('.broken').trigger('click')
    expect(page.emitted('choose')).toEqual([['broken', '']])
  })

  it('emits the versions of a piece', async () => {
    const page = rail()
    await page.findAll('.piece')[1]!.trigger('click')
    expect(page.emitted('choose')).toEqual([[[1], '2.0']])
  })

  it('folds many versions into their lines', async () => {
    const versions = ['3.9.2', '3.9.18', '3.10.1', '3.10.4', '3.11.2', '3.11.9', '3.12.1', '3.12.7']
    const page = rail({ present: [0, 1, 2, 3, 4, 5, 6, 7], counts: [1, 1, 1, 1, 1, 1, 1, 1], tool: { versions, ends: versions.map(() => null) } })
    expect(pieces(page)).toEqual(['3.92', '3.102', '3.112', '3.122'])
    await page.findAll('.piece')[0]!.trigger('click')
    expect(page.emitted('choose')).toEqual([[[0, 1], '3.9']])
  })

  it('marks what is past its support, and says until when it was', () => {
    const page = rail({ tool: { ends: ['2026-10-31', '2028-01-01'] } })
    expect(page.findAll('.piece').map((one) => one.classes('ended'))).toEqual([true, false])
    expect(page.findAll('.piece').map((one) => one.attributes('title'))).toEqual(['1.0 on 1 host; supported until 2026-10-31', '2.0 on 2 hosts; support ends 2028-01-01'])
  })
})
