import type { Schemas } from '../../api/client'
import { money } from '../../kit/format'

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

export function energy(kilowattHours: number | null): string {
  if (kilowattHours === null) return 'not known'
  if (kilowattHours < 0.95) return `${Math.round(kilowattHours * 1000)} Wh`
  return `${kilowattHours >= 10 ? Math.round(kilowattHours) : kilowattHours.toFixed(1)} kWh`
}

/** Energy and, where prices were entered, money. */
export function savedOf(saved: Saved, currency: string): string {
  return saved.money === null ? energy(saved.kilowatt_hours) : `${energy(saved.kilowatt_hours)}, ${money(saved.money, currency)}`
}

/** Which people a policy lets wake hosts. */
export const WAKERS: { value: NonNullable<Policy['wakers']>; label: string }[] = [
  { value: 'viewer', label: 'everyone who sees them' },
  { value: 'operator', label: 'operators' },
  { value: 'administrator', label: 'administrators' },
]

export type Verb = 'wake' | 'power-down' | 'count-again' | 'switch-off'

/** What can be done with the power of a host now. Only a controller can cut the power of one that hangs. */
export function verbs(power: HostPower): Verb[] {
  const cut: Verb[] = power.settings.controller && power.power !== 'asleep' && power.power !== 'waking' ? ['switch-off'] : []
  if (power.power === 'asleep' || power.power === 'switched off') return ['wake', ...cut]
  if (power.power === 'does not wake') return ['wake', 'count-again', ...cut]
  return power.power === 'on' ? ['power-down', ...cut] : cut
}

export type Settings = HostPower['settings']
type Way = NonNullable<Settings['way']>

/** What wakes a host, for people. */
export const WAYS: { value: Way; label: string }[] = [
  { value: 'wake-on-lan', label: 'a packet over the network' },
  { value: 'redfish', label: 'its controller, by Redfish' },
  { value: 'script', label: 'a script on another host' },
  { value: 'by hand', label: 'a person' },
]

/** The fields of the form. */
export interface WantedSettings {
  way: string
  hardware: string
  may_power_down: boolean
  watts: number | null
  watts_asleep: number | null
  controller: string
  controller_user: string
  controller_password: string
  certificate: string
  system: string
  script: string
  script_host: string
}

/** What the form begins with; the password is never known. */
export const wantedOf = (settings: Settings): WantedSettings => ({
  way: settings.way ?? 'wake-on-lan',
  hardware: settings.hardware ?? '',
  may_power_down: settings.may_power_down ?? false,
  watts: settings.watts ?? null,
  watts_asleep: settings.watts_asleep ?? null,
  controller: settings.controller ?? '',
  controller_user: settings.controller_user ?? '',
  controller_password: '',
  certificate: settings.certificate ?? '',
  system: settings.system ?? '',
  script: settings.script ?? '',
  script_host: settings.script_host ?? '',
})

/** What is sent of it: a password only where one was typed, so that an empty field keeps the one before. */
export function settingsBody({ controller_password, ...wanted }: WantedSettings): Schemas['PowerSettingsRequest'] {
  const password = controller_password ? { controller_password } : {}
  return { ...wanted, way: wanted.way as Way, ...password }
}

/** What a host draws, entered or measured; null where it is not known. */
export function drawOf(power: HostPower | null): { on: number; asleep: number; aDay: number; isMeasured: boolean } | null {
  const settings = power?.settings
  const on = settings?.watts ?? settings?.measured_watts
  if (!on) return null
  const asleep = settings?.watts_asleep ?? settings?.measured_watts_asleep ?? 0
  return { on, asleep, aDay: ((on - asleep) * 24) / 1000, isMeasured: settings?.watts === null }
}
