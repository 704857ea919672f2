// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { mounted } from '../../testing/mounted'
import CheckList from './CheckList.vue'
import StepLadder from './StepLadder.vue'

const row = (step: string, state: string, change: Record<string, unknown> = {}) => ({ step, title: `Title of ${step}`, state, at: null, seconds: null, detail: '', remedy: [], ...change })
const ladder = (steps: ReturnType<typeof row>[], checks: unknown[] = []) => mounted(StepLadder, { props: { sheet: { steps, checks } as never } })

describe('the ladder of steps', () => {
  it('has every step with its state in words', () => {
    const page = ladder([row('fetch', 'done'), row('preflight', 'now'), row('install', 'waits'), row('service', 'left out')])
    expect(page.findAll('li').map((one) => [one.attributes('data-state'), one.find('em').exists() ? one.get('em').text() : ''])).toEqual([['done', 'done'], ['now', 'now'], ['waits', ''], ['left out', 'left out']])
  })

  it('gives detail, commands and how to go on where a step failed', () => {
    const page = ladder([row('install', 'failed', { detail: 'the disk is full', remedy: ['du -sh /opt'] })])
    expect(page.get('.detail').text()).toBe('the disk is full')
    expect(page.get('.remedy').text()).toContain('du -sh /opt')
    expect(page.text()).toContain('Then run the command again.')
  })

  it('says so only of steps that the command repeats', () => expect(ladder([row('connect', 'failed')]).text()).not.toContain('run the command again'))

  it('is silent on the detail of what is done', () => expect(ladder([row('fetch', 'done', { detail: 'x' })]).find('.detail').exists()).toBe(false))

  it.each([[12, 'took 12 s'], [0.04, null], [null, null]])('of %s seconds says %s', (seconds, expected) => {
    const page = ladder([row('fetch', 'done', { seconds })])
    expect(page.find('.soft').exists() ? page.get('.soft').text() : null).toBe(expected)
  })
})

describe('the checks of a preflight', () => {
  const CHECKS = [
    { name: 'disk', mark: 'ok', found: '80 GB', why: '', remedy: [] },
    { name: 'proxy', mark: 'mind', found: 'set', why: 'It may be in the way.', remedy: ['export no_proxy=paddock'] },
    { name: 'account', mark: 'missing', found: 'none', why: 'Make one.', remedy: ['useradd paddock'] },
  ]
  const list = (folded: boolean, checks = CHECKS) => mounted(CheckList, { props: { checks: checks as never, folded } })
  const names = (page: ReturnType<typeof list>) => page.findAll('th').map((one) => one.text())

  it('come with what is missing first', () => expect(names(list(false))).toEqual(['account', 'proxy', 'disk']))

  it('fold those that passed, and show them on request', async () => {
    const page = list(true)
    expect(names(page)).toEqual(['account', 'proxy'])
    await page.get('button').trigger('click')
    expect(names(page)).toEqual(['account', 'proxy', 'disk'])
    await page.get('button').trigger('click')
    expect(names(page)).toEqual(['account', 'proxy'])
  })

  it('have commands only where something is to be done', () => {
    const page = list(false)
    expect(page.findAll('tr').map((one) => one.text().includes('useradd') || one.text().includes('export'))).toEqual([true, true, false])
  })

  it('have nothing to show where none passed', () => expect(list(true, CHECKS.slice(1)).find('.more').exists()).toBe(false))
})
