/** The settings of a host while a person edits them, and the conflicts when another person saves first. */

export interface HostSettings {
  labels: string[]
  slots: number
  services: string[]
  reserved: boolean
}

export const settingNames = ['labels', 'slots', 'services', 'reserved'] as const

/** One setting as text, to show and to compare. */
export function showSetting(value: HostSettings[keyof HostSettings]): string {
  return Array.isArray(value) ? value.join(', ') : String(value)
}

/**
 * What the form holds after the saved settings have changed from `base` to `saved`: what was typed stays, the rest follows.
 * `conflicts` are settings that were typed and that another person has changed to another value. Without a `base` the
 * form begins again.
 */
export function mergeSettings(base: HostSettings | null, typed: HostSettings, saved: HostSettings): { wanted: HostSettings; conflicts: (keyof HostSettings)[] } {
  if (!base) return { wanted: { ...saved }, conflicts: [] }
  const isTyped = (name: keyof HostSettings): boolean => showSetting(typed[name]) !== showSetting(base[name])
  const kept = Object.fromEntries(settingNames.filter(isTyped).map((name) => [name, typed[name]]))
  const differs = (name: keyof HostSettings): boolean =>
    showSetting(saved[name]) !== showSetting(base[name]) && showSetting(saved[name]) !== showSetting(typed[name])
  return { wanted: { ...saved, ...kept }, conflicts: settingNames.filter((name) => isTyped(name) && differs(name)) }
}
