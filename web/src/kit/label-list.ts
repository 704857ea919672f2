/** Lists of words that people type or paste: labels, services, pipelines, networks. */

export const MAX_WORDS = 50
export const MAX_WORD_LENGTH = 100

/** What a text adds to a list, and what of it was left out. */
export interface ReadWords {
  words: string[]
  added: string[]
  repeated: string[]
  tooLong: number
  tooMany: number
}

/** Invisible marks and the separators of lists from other programs. Names of pipelines may contain spaces. */
const BETWEEN_WORDS = /[\s,;\u200b-\u200d\u2060\ufeff]+/u
const BETWEEN_NAMES = /[\r\n\t,;\u200b-\u200d\u2060\ufeff]+/u

/** Whether a text that is being typed has come to the end of a word. */
export function endsWord(text: string, spaced = false): boolean {
  return (spaced ? BETWEEN_NAMES : BETWEEN_WORDS).test(text.trimStart())
}

/**
 * Adds the words of `text` to `words`. Case is ignored when words are compared, as the server does. With `spaced`, a
 * word may contain spaces.
 *
 * readWords(['a'], ' b, c\nA ') → words a b c, added b c, repeated A
 */
export function readWords(words: readonly string[], text: string, spaced = false): ReadWords {
  const known = new Set(words.map((word) => word.toLowerCase()))
  const read: ReadWords = { words: [...words], added: [], repeated: [], tooLong: 0, tooMany: 0 }
  for (const word of text.split(spaced ? BETWEEN_NAMES : BETWEEN_WORDS).map((part) => part.trim()).filter(Boolean)) {
    if (word.length > MAX_WORD_LENGTH) read.tooLong += 1
    else if (known.has(word.toLowerCase())) read.repeated.push(word)
    else if (read.words.length >= MAX_WORDS) read.tooMany += 1
    else {
      known.add(word.toLowerCase())
      read.words.push(word)
      read.added.push(word)
    }
  }
  return read
}

/** A message about pasted text that became several labels, or lost some; empty for one label. */
export function sayRead(read: ReadWords): string {
  const lines = []
  if (read.added.length > 1) lines.push(`Added ${read.added.length}: ${short(read.added)}.`)
  if (read.repeated.length) lines.push(`Already in the list: ${short(read.repeated)}.`)
  if (read.tooLong) lines.push(`Left out ${read.tooLong} longer than ${MAX_WORD_LENGTH} characters.`)
  if (read.tooMany) lines.push(`Left out ${read.tooMany}: the list holds ${MAX_WORDS}.`)
  return lines.join(' ')
}

function short(words: readonly string[]): string {
  return words.length > 5 ? `${words.slice(0, 4).join(', ')} and ${words.length - 4} more` : words.join(', ')
}
