// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { mounted } from '../../testing/mounted'
import AttemptProof from './AttemptProof.vue'
import RunEvidence from './RunEvidence.vue'

const ATTEMPT = {
  number: 2, host: 'knot-01', paddock: 'shoreline', state: 'passed', why: 'It has `jdk 21`.', account: 'paddock', folder: '/work/7', exit_code: 0, note: '',
  tools: [{ tool: 'jdk', version: '21.0.5', path: '/opt/jdk/bin/java' }], offered_at: '2026-11-28T10:00:00Z', started_at: '2026-11-28T10:00:02Z', ended_at: '2026-11-28T10:01:02Z',
  warm: false, commit: '', processor: null, memory: null, leftover_processes: [], facts: {}, variable_names: [], variable_values: {},
}
const JOB = { submitted_by: 'deckhand', submitted_at: '2026-11-28T09:59:00Z', secrets: [] }
const terms = (page: { findAll(selector: string): { text(): string }[] }) => page.findAll('dt').map((one) => one.text())

describe('the proof of an attempt on the board', () => {
  const proof = (change: Record<string, unknown> = {}) => mounted(AttemptProof, { props: { job: 7, showsLog: false, attempt: { ...ATTEMPT, ...change } as never } })

  it('names host, result, account, folder, time and tools', () => {
    const page = proof()
    expect(terms(page)).toEqual(['Host', 'Result', 'Why this host', 'Account', 'Folder', 'Tools', 'When'])
    expect(page.get('[data-why]').text()).toBe('It has jdk 21.')
    expect(page.text()).toContain('jdk 21.0.5 at /opt/jdk/bin/java')
    expect(page.get('[data-when]').text()).toMatch(/, 1 min$/)
  })

  it.each([
    [{ started_at: null, ended_at: null }, /^offered /],
    [{ ended_at: null }, /^began /],
  ])('of one that is not over (%o) says since when', (change, expected) => expect(proof(change).get('[data-when]').text()).toMatch(expected))

  it.each([['passed', 'well'], ['failed', 'trouble'], ['timed out', 'trouble'], ['refused', 'trouble']])('marks %s as %s', (state, mark) => {
    expect(proof({ state }).get('dd strong').classes()).toEqual([mark])
  })

  it('leaves out account and folder of one that never began, and an unknown exit code', () => {
    const page = proof({ account: '', started_at: null, exit_code: null, tools: [], why: '' })
    expect(terms(page)).toEqual(['Host', 'Result', 'When'])
    expect(page.text()).not.toContain('exit code')
  })
})

describe('the evidence of a run', () => {
  const evidence = (change: Record<string, unknown> = {}, job: Record<string, unknown> = {}) => mounted(RunEvidence, { props: { attempt: { ...ATTEMPT, ...change } as never, job: { ...JOB, ...job } as never } })

  it('adds the paddock, the agent and the sender', () => {
    const page = evidence({ facts: { agent_version: '0.1.0', os_name: 'Debian 12', arch: 'x64' } })
    expect(terms(page)).toEqual(['Host', 'Why this host', 'Account', 'Folder', 'Tools', 'Agent', 'Sent by'])
    expect(page.text()).toContain('knot-01 in shoreline · Debian 12, x64')
    expect(page.text()).toContain('0.1.0')
  })

  it.each([
    [{ processor: 90, memory: 2 * 1024 ** 3 }, '2 min of processor, 2 GiB peak memory'],
    [{ processor: 90 }, '2 min of processor'],
    [{ memory: 1024 ** 2 }, '1 MiB peak memory'],
  ])('says what it used: %o', (change, expected) => expect(evidence(change).get('[data-used]').text()).toBe(expected))

  it('lists the processes that it left, and which the agent ended', () => {
    const page = evidence({ leftover_processes: [{ pid: 77, name: 'watcher', ended: true }, { pid: 78, name: 'sleep', ended: false }] })
    expect(page.findAll('dd.trouble .line').map((one) => one.text())).toEqual(['watcher (77), ended by the agent', 'sleep (78)'])
  })

  it('has the values of variables only where they are recorded', () => {
    const page = evidence({ variable_names: ['PATH', 'TOKEN'], variable_values: { PATH: '/bin' } })
    expect(page.get('summary').text()).toBe('2 names')
    expect(page.findAll('.variable').map((one) => one.text())).toEqual(['PATH = /bin', 'TOKEN'])
  })

  it('names the secrets, never their values', () => expect(evidence({}, { secrets: ['TABLE_KEY'] }).text()).toContain('TABLE_KEY'))
})
