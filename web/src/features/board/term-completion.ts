import type { Schemas } from '../../api/client'

/** A word that fits at the caret, and the number of hosts for which it holds. */
export interface Suggestion {
  word: string
  hosts: number | null
}

/** Where the caret is in a text of one term a line. */
export interface Place {
  line: string
  start: number
  before: string
}

const BEFORE_A_TERM = new Set(['not', 'or', 'and', 'of', 'prefer'])
const MOST = 8

export function placeOf(text: string, caret: number): Place {
  const start = text.lastIndexOf('\n', caret - 1) + 1
  const end = text.indexOf('\n', caret)
  return { line: text.slice(start, end < 0 ? undefined : end), start, before: text.slice(start, caret) }
}

/** What could stand at the caret: subjects at the start of a term, then the fleet's own words after each subject. */
export function suggestions(before: string, words: Schemas['Words']): Suggestion[] {
  const parts = before.toLowerCase().split(/[\s(]+/)
  const typed = parts.pop() ?? ''
  const written = parts.filter(Boolean)
  const last = written[written.length - 1] ?? ''
  const twoBack = written[written.length - 2] ?? ''
  let known: Suggestion[] = []
  if (!last || BEFORE_A_TERM.has(last)) known = words.subjects.map((word) => ({ word, hosts: null }))
  else if (last === 'group' && twoBack === 'user') known = words.after['user group'] ?? []
  else if (words.after[last] && !isName(written)) known = words.after[last] ?? []
  else if (twoBack === 'tool') known = words.versions[last] ?? []
  return known.filter(({ word }) => word.toLowerCase().startsWith(typed) && word.toLowerCase() !== typed).slice(0, MOST)
}

/** Whether the last word is a name that only looks like a subject, as in `label os`. */
function isName(written: string[]): boolean {
  const before = written[written.length - 2] ?? ''
  return written.length > 1 && !BEFORE_A_TERM.has(before) && before !== 'user'
}

/** The text with the word that is being typed completed, and where the caret is then. */
export function completed(text: string, caret: number, word: string): { text: string; caret: number } {
  const before = text.slice(0, caret).replace(/[^\s(]*$/, '') + word + ' '
  return { text: before + text.slice(caret).replace(/^ /, ''), caret: before.length }
}
