// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { mounted } from '../../testing/mounted'
import FitFunnel from './FitFunnel.vue'

const step = (name: string, left: number, term: string | null = null) => ({ name, left, term })
const funnel = (steps: ReturnType<typeof step>[]) => mounted(FitFunnel, { props: { steps } })

describe('the fit funnel', () => {
  it('has a step for each condition, with the hosts that remain', () => {
    const page = funnel([step('all hosts', 40), step('os linux', 22, 'os linux'), step('slot free', 3)])
    expect(page.findAll('li').map((one) => one.text())).toEqual(['40all hosts', '22os linux', '3slot free'])
  })

  it('draws each step to scale of the largest', () => {
    const heights = funnel([step('all hosts', 40), step('os linux', 20), step('slot free', 0)]).findAll('i').map((one) => (one.element as HTMLElement).style.height)
    expect(heights).toEqual(['44px', '22px', '0px'])
  })

  it('marks the first step that leaves no host, and only that', () => {
    const page = funnel([step('all hosts', 4), step('label a', 0, 'label a'), step('slot free', 0)])
    expect(page.findAll('li.empties').map((one) => one.text())).toEqual(['0label a'])
  })

  it('marks none while hosts remain', () => {
    expect(funnel([step('all hosts', 4), step('slot free', 1)]).find('.empties').exists()).toBe(false)
  })

  it('writes terms as machine text and conditions as words', () => {
    const page = funnel([step('all hosts', 4), step('os linux', 2, 'os linux')])
    expect(page.findAll('span.machine').map((one) => one.text())).toEqual(['os linux'])
  })

  it('stands without hosts and without steps', () => {
    expect(funnel([step('all hosts', 0)]).find('i').attributes('style')).toContain('height: 0px')
    expect(funnel([]).findAll('li')).toEqual([])
  })
})
