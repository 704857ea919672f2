// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { mounted } from '../../testing/mounted'
import WaitingGroups from './WaitingGroups.vue'

const job = (id: number, name = 'soak', change = {}) => ({ id, name, pipeline: 'tide-gauge', submitted_at: '2026-11-28T10:00:00Z', priority: 0, ...change })
function group(jobs: ReturnType<typeof job>[], change: Record<string, unknown> = {}) {
  return { kind: 'no host fits', reason: 'No host has jdk.', terms: ['tool jdk'], slots: 1, count: jobs.length, oldest: '2026-11-28T10:00:00Z', pipelines: [{ name: 'tide-gauge' }], jobs, ...change }
}
const list = (groups: unknown[], chosen: number | null = null) => mounted(WaitingGroups, { props: { lots: [{ kind: 'no host fits', groups, count: 9 }] as never, chosen } })
const shown = (page: ReturnType<typeof list>) => page.findAll('[data-job]').map((one) => one.attributes('data-job'))

describe('waiting jobs by reason', () => {
  it('shows a lone job at once, and several alike on demand', async () => {
    const page = list([group([job(1)]), group([job(2), job(3)], { terms: ['tool go'] })])
    expect(page.get('h2').text()).toBe('No host fits9')
    expect(shown(page)).toEqual(['1'])
    await page.get('.many').trigger('click')
    expect(shown(page)).toEqual(['1', '2', '3'])
    await page.get('.many').trigger('click')
    expect(shown(page)).toEqual(['1'])
  })

  it('opens the group of the chosen job, and marks the job', () => {
    const page = list([group([job(2), job(3)])], 3)
    expect(page.get('.chosen').attributes('data-job')).toBe('3')
    expect(page.get('.many').attributes('aria-expanded')).toBe('true')
  })

  it('keeps groups apart that differ in slots alone', async () => {
    const page = list([group([job(1), job(2)]), group([job(3), job(4)], { slots: 8 })])
    await page.findAll('.many')[1]!.trigger('click')
    expect(shown(page)).toEqual(['3', '4'])
    expect(page.get('[data-job="3"]').text()).toContain('8 slots')
  })

  it('names two jobs and no more, and each name once', () => {
    expect(list([group([job(1), job(2), job(3, 'lint')])]).get('.many strong').text()).toBe('soak, lint')
    expect(list([group([job(1), job(2, 'pack'), job(3, 'lint')])]).get('.many strong').text()).toBe('soak, pack …')
  })

  it('says how many more have the same terms', () => {
    expect(list([group([job(1), job(2)], { count: 40 })], 1).get('.more').text()).toBe('and 38 more with the same terms')
  })
})
