// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { minutesOf, wavesOf, wavesTyped, type RolloutHost, type RolloutSheet } from './rollouts'

const host = (name: string, wave: number, step: RolloutHost['step'], begun: string | null = null) => ({ host: name, wave, step, begun_at: begun }) as RolloutHost

describe('the waves of a rollout', () => {
  it('come in order, the canaries first, without hosts that never belonged to one', () => {
    const hosts = [host('knot-02', 1, 'waiting'), host('knot-01', 0, 'proven', '2031-05-04T03:00:00Z'), host('knot-03', 0, 'left out')]
    expect(wavesOf({ hosts } as RolloutSheet).map((one) => [one.name, one.hosts.map((each) => each.host)])).toEqual([['Canaries', ['knot-01']], ['Wave 1', ['knot-02']]])
  })

  it('keep a host that was left out after it began, or of a wave that never came', () => {
    const hosts = [host('knot-01', 0, 'left out', '2031-05-04T03:00:00Z'), host('knot-02', 2, 'left out')]
    expect(wavesOf({ hosts } as RolloutSheet).map((one) => one.wave)).toEqual([0, 2])
  })
})

describe('what a person types', () => {
  it.each([['00:00', 0], ['2:05', 125], [' 23:59 ', 1439], ['24:00', null], ['9:5', null], ['', null]])('reads %s as a time of the day', (text, minutes) => {
    expect(minutesOf(text)).toBe(minutes)
  })

  it('separates waves by commas, spaces or both', () => {
    expect(wavesTyped(' 5, 25%  100% ;')).toEqual(['5', '25%', '100%'])
    expect(wavesTyped(' ')).toEqual([])
  })
})
