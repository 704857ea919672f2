import { describe, expect, it } from 'vitest'
import { energy, hours, verbs, type HostPower } from './standby'

describe('the power of a host', () => {
  it.each([
    ['on', ['power-down']],
    ['asleep', ['wake']],
    ['switched off', ['wake']],
    ['waking', []],
    ['going down', []],
    ['does not wake', ['wake', 'count-again']],
  ] as const)('offers what is possible while it is %s', (power, expected) => {
    expect(verbs({ power } as HostPower)).toEqual(expected)
  })

  it('says what was saved in few digits, and nothing that was not entered', () => {
    expect([hours(0.26), hours(12.4), hours(240)]).toEqual(['0.3 h', '12 h', '10 days'])
    expect([energy(0.26), energy(41.7), energy(null)]).toEqual(['0.3 kWh', '42 kWh', 'not known'])
  })
})
