import type { Schemas } from '../../api/client'

export type HostPower = Schemas['HostPower']
export type Policy = Schemas['StandbyPolicy']
export type Standby = Schemas['Standby']
export type Saved = Schemas['Saved']

/** What the modes of a policy let the server do, for people. */
export const MODES: { value: Policy['mode']; label: string; help: string }[] = [
  { value: 'never', label: 'never sleeps', help: 'The server neither wakes these hosts nor powers them down.' },
  { value: 'by hand', label: 'only when a person asks', help: 'People power them down and wake them here.' },
  { value: 'when jobs wait', label: 'wakes when jobs wait', help: 'Idle hosts power down, and wake for a job that needs them.' },
]

export const modeLabel = (mode: Policy['mode']): string => MODES.find((one) => one.value === mode)?.label ?? mode

/** Hours or days, without needless digits. */
export function hours(amount: number): string {
  if (amount >= 100) return `${Math.round(amount / 24)} days`
  return amount >= 10 ? `${Math.round(amount)} h` : `${amount.toFixed(1)} h`
}

export const energy = (kilowattHours: number | null): string => (kilowattHours === null ? 'not known' : `${kilowattHours >= 10 ? Math.round(kilowattHours) : kilowattHours.toFixed(1)} kWh`)

/** What can be done with the power of a host now. */
export function verbs(power: HostPower): ('wake' | 'power-down' | 'count-again')[] {
  if (power.power === 'asleep' || power.power === 'switched off') return ['wake']
  if (power.power === 'does not wake') return ['wake', 'count-again']
  return power.power === 'on' ? ['power-down'] : []
}
