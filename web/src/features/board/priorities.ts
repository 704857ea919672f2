/** Words for priorities, as a pipeline file has them. */
export const PRIORITIES: [string, number][] = [
  ['low', -10],
  ['normal', 0],
  ['high', 10],
  ['urgent', 50],
]

export function priorityWord(priority: number): string {
  return PRIORITIES.find(([, value]) => value === priority)?.[0] ?? `priority ${priority}`
}
