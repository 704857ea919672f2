// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const server = vi.hoisted(() => ({ calls: [] as unknown[], roles: {} as Record<string, string[]> }))
vi.mock('../../api/client', () => ({
  api: { POST: async (_: string, options: { params: { path: { id: number } }; body: unknown }) => void server.calls.push([options.params.path.id, options.body]) },
  answered: (answer: unknown) => answer,
}))
vi.mock('../people/session', () => ({ useSession: () => ({ may: (role: string, paddock: string) => (server.roles[paddock] ?? []).includes(role) }) }))

import type { Schemas } from '../../api/client'
import { mounted, settled } from '../../testing/mounted'
import FenceItems from './FenceItems.vue'

const job = (id: number, pipeline: string, ...places: string[]) => ({ id, name: `job-${id}`, pipeline, reason_places: places, submitted_at: `2031-05-0${id}T12:00:00Z` }) as unknown as Schemas['Job']
const items = (...jobs: Schemas['Job'][]) => mounted(FenceItems, { props: { jobs } })

describe('pipelines that wait at a fence', () => {
  beforeEach(() => Object.assign(server, { calls: [], roles: { workshop: ['operator', 'administrator'] } }))
  afterEach(() => {
    document.body.innerHTML = ''
  })

  it('stand once for each paddock, with all their jobs', () => {
    const page = items(job(1, 'pilot-mobile', 'workshop'), job(2, 'pilot-mobile', 'workshop', 'annex'), job(3, 'almanac-docs', 'workshop'))
    expect(page.findAll('[data-fence]').map((one) => one.attributes('data-fence'))).toEqual(['pilot-mobile workshop', 'pilot-mobile annex', 'almanac-docs workshop'])
  })

  it('are let in job by job', async () => {
    const page = items(job(1, 'pilot-mobile', 'workshop'), job(2, 'pilot-mobile', 'workshop'))
    await page.get('[data-act=let-in-once]').trigger('click')
    await settled()
    expect(server.calls).toEqual([[1, { paddock: 'workshop', for_good: false }], [2, { paddock: 'workshop', for_good: false }]])
    expect(page.emitted('changed')).toHaveLength(1)
  })

  it.each([
    [['operator'], true, false, false],
    [['operator', 'administrator'], true, true, false],
    [[], false, false, true],
  ])('offer what the person may do: %o', (roles, once, always, asks) => {
    server.roles = { workshop: roles }
    const page = items(job(1, 'pilot-mobile', 'workshop'))
    expect(page.find('[data-act=let-in-once]').exists()).toBe(once)
    expect(page.find('[data-act=let-in-for-good]').exists()).toBe(always)
    expect(page.find('[data-act=ask-access]').exists()).toBe(asks)
  })
})
