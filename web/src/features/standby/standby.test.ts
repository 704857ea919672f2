import { describe, expect, it } from 'vitest'
import { hours } from '../../kit/format'
import { drawOf, energy, savedOf, settingsBody, verbs, wantedOf, type HostPower, type Saved } from './standby'

describe('the power of a host', () => {
  it.each([
    ['on', ['power-down']],
    ['asleep', ['wake']],
    ['switched off', ['wake']],
    ['waking', []],
    ['going down', []],
    ['does not wake', ['wake', 'count-again']],
  ] as const)('offers what is possible while it is %s', (power, expected) => {
    expect(verbs({ power, settings: {} } as HostPower)).toEqual(expected)
  })

  it('offers to cut the power only where a controller can, of a host that is not off', () => {
    const settings = { controller: 'https://192.0.2.7' }
    expect(verbs({ power: 'on', settings } as HostPower)).toEqual(['power-down', 'switch-off'])
    expect(verbs({ power: 'does not wake', settings } as HostPower)).toContain('switch-off')
    expect(verbs({ power: 'asleep', settings } as HostPower)).toEqual(['wake'])
  })

  it('sends a password only where one was typed', () => {
    const wanted = wantedOf({ way: 'redfish', controller: 'https://192.0.2.7' } as HostPower['settings'])
    expect(settingsBody(wanted)).not.toHaveProperty('controller_password')
    expect(settingsBody({ ...wanted, controller_password: 'gauge' })).toMatchObject({ controller_password: 'gauge', way: 'redfish' })
  })

  it('counts what was entered before what was measured', () => {
    const settings = { watts: null, watts_asleep: null, measured_watts: 60, measured_watts_asleep: 10 }
    expect(drawOf({ settings } as HostPower)).toEqual({ on: 60, asleep: 10, aDay: 1.2, isMeasured: true })
    expect(drawOf({ settings: { ...settings, watts: 110, watts_asleep: 0 } } as HostPower)).toMatchObject({ on: 110, asleep: 0, isMeasured: false })
    expect(drawOf({ settings: {} } as HostPower)).toBeNull()
  })

  it('names money only where prices were entered', () => {
    expect(savedOf({ kilowatt_hours: 12, money: null } as Saved, 'EUR')).toBe('12 kWh')
    expect(savedOf({ kilowatt_hours: 12, money: 3.6 } as Saved, 'EUR')).toContain('EUR')
  })

  it('says what was saved in few digits, and nothing that was not entered', () => {
    expect([hours(0.26), hours(12.4), hours(240)]).toEqual(['16 min', '12 h', '10 days'])
    expect([energy(0.26), energy(41.7), energy(null)]).toEqual(['260 Wh', '42 kWh', 'not known'])
  })
})
