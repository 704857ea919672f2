import type { Change } from './plan'

/** The changes that can be rehearsed, and the fields of each: which to ask for, and with what to begin. */
export type FieldKind = 'hosts' | 'host' | 'pipeline' | 'pipelines' | 'paddock' | 'text' | 'number' | 'labels' | 'hours' | 'reserved' | 'term' | 'kit' | 'window'

export interface ChangeForm {
  kind: string
  title: string
  fields: { name: string; title: string; type: FieldKind; first?: unknown; optional?: boolean; min?: number; max?: number; step?: number }[]
}

export const FORMS: ChangeForm[] = [
  { kind: 'add hosts', title: 'Add hosts like one', fields: [{ name: 'like', title: 'Like', type: 'host' }, { name: 'count', title: 'How many', type: 'number', first: 1, min: 1, max: 1000 }] },
  { kind: 'retire hosts', title: 'Retire hosts', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }] },
  { kind: 'hold hosts', title: 'Hold hosts', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }] },
  { kind: 'set slots', title: 'Set slots', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }, { name: 'slots', title: 'Slots', type: 'number', first: 2, min: 1, max: 256 }] },
  { kind: 'grow a pipeline', title: 'Grow a pipeline', fields: [{ name: 'pipeline', title: 'Pipeline', type: 'pipeline' }, { name: 'factor', title: 'Times as many jobs', type: 'number', first: 1.3, min: 0, max: 20, step: 0.1 }] },
  { kind: 'add a pipeline', title: 'Add a pipeline like one', fields: [{ name: 'like', title: 'Like', type: 'pipeline' }, { name: 'name', title: 'Name', type: 'text' }, { name: 'factor', title: 'Times as many jobs', type: 'number', first: 1, min: 0, max: 20, step: 0.1 }] },
  { kind: 'set a priority', title: 'Set a priority', fields: [{ name: 'pipeline', title: 'Pipeline', type: 'pipeline' }, { name: 'priority', title: 'Priority', type: 'number', first: 1, min: -100, max: 100 }] },
  { kind: 'change a term', title: 'Change a term', fields: [{ name: 'pipeline', title: 'Pipeline', type: 'pipeline' }, { name: 'term', title: 'Term now', type: 'term' }, { name: 'becomes', title: 'Term then (empty: none)', type: 'text', optional: true }] },
  { kind: 'change labels', title: 'Change labels', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }, { name: 'add', title: 'Add labels', type: 'labels', optional: true }, { name: 'remove', title: 'Remove labels', type: 'labels', optional: true }] },
  { kind: 'install a tool', title: 'Install a tool', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }, { name: 'tool', title: 'Tool', type: 'text' }, { name: 'version', title: 'Version', type: 'text' }] },
  { kind: 'remove a tool', title: 'Remove a tool', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }, { name: 'tool', title: 'Tool', type: 'text' }, { name: 'version', title: 'Version (empty: all)', type: 'text', optional: true }] },
  { kind: 'meet a kit', title: 'Let hosts meet a kit', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }, { name: 'kit', title: 'Kit', type: 'kit' }] },
  { kind: 'move hosts', title: 'Move hosts to a paddock', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }, { name: 'paddock', title: 'Paddock', type: 'paddock' }] },
  { kind: 'set a fence', title: 'Set a fence', fields: [{ name: 'paddock', title: 'Paddock', type: 'paddock' }, { name: 'pipelines', title: 'Lets in (none: all)', type: 'pipelines', optional: true }] },
  { kind: 'reserve hosts', title: 'Reserve hosts', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }, { name: 'reserved', title: 'Reserved', type: 'reserved', first: true }] },
  { kind: 'set hours', title: 'Set hours of hosts', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }, { name: 'begins', title: 'From hour', type: 'number', first: 7, min: 0, max: 24 }, { name: 'ends', title: 'To hour', type: 'number', first: 20, min: 0, max: 24 }] },
  { kind: 'sleep when idle', title: 'Let hosts sleep when idle', fields: [{ name: 'hosts', title: 'Hosts', type: 'hosts' }, { name: 'idle_minutes', title: 'Minutes idle', type: 'number', first: 30, min: 1, max: 10080 }, { name: 'begins', title: 'Powers down from hour', type: 'number', first: 0, min: 0, max: 23 }, { name: 'ends', title: 'To hour (the same: at any time)', type: 'number', first: 0, min: 0, max: 23 }] },
  { kind: 'move a window', title: 'Move a maintenance window', fields: [{ name: 'window', title: 'Window', type: 'window' }, { name: 'hours', title: 'Hours later (minus: earlier)', type: 'number', first: 6, min: -168, max: 168 }] },
]

export function formOf(kind: string): ChangeForm {
  return FORMS.find((one) => one.kind === kind) ?? (FORMS[0] as ChangeForm)
}

/** A change of this kind as its form begins. */
export function begun(form: ChangeForm): Change {
  const empty = (type: FieldKind) => (['hosts', 'labels', 'pipelines'].includes(type) ? [] : '')
  return { kind: form.kind, ...Object.fromEntries(form.fields.map((field) => [field.name, field.first ?? empty(field.type)])) }
}

/** What is missing in a change, "" where it is whole. */
export function missing(form: ChangeForm, change: Change): string {
  for (const field of form.fields) {
    const value = change[field.name]
    const isEmpty = value === '' || value === null || value === undefined || (Array.isArray(value) && !value.length)
    if (isEmpty && !field.optional) return `Enter ${field.title.toLowerCase()}.`
  }
  return ''
}

/** A change in words, before the server has seen it. */
export function inWords(change: Change): string {
  const form = formOf(change.kind)
  const values = form.fields.map((field) => change[field.name]).filter((value) => value !== '' && !(Array.isArray(value) && !value.length))
  return `${form.title}: ${values.map((value) => (Array.isArray(value) ? value.join(', ') : String(value))).join(', ')}`
}
