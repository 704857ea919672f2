import type { Schemas } from '../../api/client'
import { duration } from '../../kit/format'

export type Server = Schemas['Server']
export type PulseStep = Schemas['PulseStep']
export type Rule = Required<Schemas['RetentionRule']>
export type Sample = Schemas['StorageSample']

export const KINDS: Rule['kind'][] = ['logs and files', 'test results', 'jobs', 'survey changes', 'recorded use', 'closed findings', 'logbook']
const OF_PIPELINES: string[] = ['logs and files', 'test results', 'jobs']

/** Whether records of this kind belong to pipelines and jobs. */
export const isOfPipelines = (kind: string): boolean => OF_PIPELINES.includes(kind)

/** A short time, such as a delay: 12 ms, 1.4 s. */
export function inMoments(seconds: number): string {
  if (seconds < 0.9995) return `${Math.round(seconds * 1000)} ms`
  return seconds < 60 ? `${Math.round(seconds * 10) / 10} s` : duration(seconds)
}

/** How long records of a rule stay, in words. */
export function staying(rule: Rule): string {
  const last = rule.keep_last ? `, and the last ${rule.keep_last} of each job` : ''
  return rule.days ? `${rule.days} ${rule.days === 1 ? 'day' : 'days'}${last}` : 'forever'
}

/** Which records a rule is for. */
export function place(rule: Rule): string {
  const of = [rule.pipeline && `pipeline ${rule.pipeline}`, rule.paddock && `paddock ${rule.paddock}`].filter(Boolean)
  return of.join(' in ') || 'everything'
}

/** A rule as the server has it, where what is left out is foreverything. */
const whole = ({ kind, days, keep_last = 0, paddock = '', pipeline = '' }: Schemas['RetentionRule']): Rule => ({ kind, days, keep_last, paddock, pipeline })

/** Rules as they are read best: by kind, the general ones first. */
export function inOrder(rules: readonly Schemas['RetentionRule'][]): Rule[] {
  const rank = (rule: Rule) => (rule.pipeline ? 2 : 0) + (rule.paddock ? 1 : 0)
  return rules.map(whole).sort((a, b) => KINDS.indexOf(a.kind) - KINDS.indexOf(b.kind) || rank(a) - rank(b) || place(a).localeCompare(place(b)))
}

/** When the disk is full, in a sentence; how much is free where that is not known. */
export function fullness(growth: Schemas['Growth'], free: string, now: number): string {
  if (!growth.full_at) return `${free} free, and no clear trend.`
  const days = (moment: string | null): number => (moment ? Math.max(0, (Date.parse(moment) - now) / 86_400_000) : 0)
  const about = days(growth.full_at)
  if (about > 730) return `${free} free, and not full for years at the present rate.`
  if (about < 1) return `${free} free, and full within a day at the present rate.`
  const between = growth.full_soonest && growth.full_latest ? ` (${Math.floor(days(growth.full_soonest))} to ${Math.ceil(days(growth.full_latest))})` : ''
  return `${free} free, and full in about ${Math.round(about)} days${between} at the present rate.`
}
