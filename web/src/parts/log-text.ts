/** What a script printed, made fit to be read: colour codes left out, overprinted lines as they last stood, control
 * characters as a mark. It is shown as text only, never as markup. */
const ESCAPES = /\x1b(?:\[[0-9;?]*[ -/]*[@-~]|\][^\x07\x1b]*(?:\x07|\x1b\\)|[@-Z\\-_])/g
const UNPRINTABLE = /[\x00-\x08\x0b-\x1f\x7f]/g

export function readable(text: string): string {
  return text
    .replace(ESCAPES, '')
    .replace(/\r+\n/g, '\n')
    .replace(/[^\n]*\r(?=[^\n])/g, '')
    .replace(UNPRINTABLE, '·')
}

/** The end of a long text, from a line's start on, and how many characters were left out. */
export function tail(text: string, most: number): { text: string; leftOut: number } {
  if (text.length <= most) return { text, leftOut: 0 }
  const cut = text.length - most
  const line = text.indexOf('\n', cut)
  const start = line >= 0 && line - cut < 2000 ? line + 1 : cut
  return { text: text.slice(start), leftOut: start }
}
