import type { Schemas } from '../../api/client'

/** The command of a new sheet. It holds a secret, so it stays in this page only, until the page is left or reloaded. */
let kept: { sheet: number; pass: number | null; command: Schemas['Command'] } | null = null

export function keepCommand(made: Schemas['NewBringUp']): void {
  kept = { sheet: made.sheet.id, pass: made.sheet.pass_number ?? null, command: made.command }
}

/** The command, as long as its pass is the sheet's own and still good. */
export function commandOf(sheet: Schemas['BringUp'] | null): Schemas['Command'] | null {
  return sheet && kept?.sheet === sheet.id && kept.pass === (sheet.pass_number ?? null) && sheet.pass_is_good ? kept.command : null
}

/** Where this server went into a machine over SSH, by sheet, to go in again. Never a password. */
export const sshTargets = new Map<number, { address: string; port: number; user: string }>()
