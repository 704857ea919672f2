// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { mounted } from '../../testing/mounted'
import RunBand from './RunBand.vue'

const at = (seconds: number) => new Date(Date.parse('2026-11-28T10:00:00Z') + seconds * 1000).toISOString()
const step = (number: number, change: Record<string, unknown> = {}) => ({
  number, name: `step ${number}`, outcome: 'exited', exit_code: 0, signal: '', why: '', commit: '', always: false, checkout: null,
  began_at: at(number * 10), ended_at: at(number * 10 + 10), line: null, ...change,
})
const band = (steps: ReturnType<typeof step>[], attempt: Record<string, unknown> = {}) =>
  mounted(RunBand, { props: { attempt: { steps, times: { waited: 4, set_up: 2 }, ended_at: at(100), ...attempt } as never } })

describe('the band of a run', () => {
  it('draws waiting, set-up and each step to scale', () => {
    const page = band([step(1), step(2, { ended_at: at(60) })])
    expect(page.findAll('.stretch').map((one) => [one.text(), (one.element as HTMLElement).style.flexGrow])).toEqual([['waited', '4'], ['set up', '2'], ['step 1', '10'], ['step 2', '40']])
    expect(page.get('.time').attributes('aria-label')).toBe('waited 4 s, set up 2 s, step 1 10 s, step 2 40 s')
  })

  it('draws what is very short as long as a fortieth of the whole', () => {
    const page = band([step(1, { began_at: at(0), ended_at: at(0.1) }), step(2, { began_at: at(0), ended_at: at(390) })], { times: { waited: 0, set_up: null } })
    const grows = page.findAll('.stretch').map((one) => Number((one.element as HTMLElement).style.flexGrow))
    expect(grows[1]).toBeCloseTo(390.1 / 40)
    expect(grows[2]).toBe(390)
  })

  it('counts the time of checkouts once: as their step, not as set-up', () => {
    const page = band([step(1, { checkout: { url: 'https://git.saltmarsh.example/x' }, began_at: at(0), ended_at: at(9) })], { times: { waited: 0, set_up: 10 } })
    expect(page.get('.time').attributes('aria-label')).toBe('waited 0 s, set up 1 s, step 1 9 s')
  })

  it.each([
    [{}, 'passed', 'good'],
    [{ exit_code: 3 }, 'exit code 3', 'bad'],
    [{ exit_code: 137, signal: 'SIGKILL' }, 'a command was killed by SIGKILL', 'bad'],
    [{ outcome: 'signalled', exit_code: -9, signal: 'SIGKILL' }, 'killed by SIGKILL', 'bad'],
    [{ outcome: 'signalled', exit_code: -64 }, 'killed by signal 64', 'bad'],
    [{ outcome: 'timed out', exit_code: null }, 'timed out', 'bad'],
    [{ outcome: 'running', exit_code: null, ended_at: null }, 'running', 'now'],
    [{ outcome: 'skipped', exit_code: null }, 'skipped', 'not-run'],
    [{ outcome: '', exit_code: null, began_at: null, ended_at: null }, 'not reached', 'not-run'],
  ])('says of a step %o: %s', (change, word, kind) => {
    const page = band([step(1, change)])
    expect([page.get('li em').text(), page.get('li').classes()]).toEqual([word, [kind]])
  })

  it('gives the reason of a bad step alone', () => {
    const page = band([step(1, { why: 'x' }), step(2, { exit_code: 1, why: 'the disk is full' })])
    expect(page.findAll('.why').map((one) => one.text())).toEqual(['the disk is full'])
  })

  it('leads to the first line of a step that printed', async () => {
    const page = band([step(1, { line: 12 }), step(2)])
    expect(page.findAll('button.name')).toHaveLength(1)
    await page.get('button.name').trigger('click')
    expect(page.emitted('line')).toEqual([[12]])
  })

  it('ends a step that was never ended with its attempt', () => {
    const page = band([step(1, { outcome: 'lost', exit_code: null, ended_at: null })])
    expect(page.get('li .soft').text()).toBe('2 min')
  })

  it('leaves out a time that is not known', () => {
    expect(band([step(1, { outcome: '', began_at: null, ended_at: null })]).find('li .soft').exists()).toBe(false)
  })
})
