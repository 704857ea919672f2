import type { Schemas } from '../api/client'

/** The command of a sheet that was made a moment ago, kept in this page alone until it is left or loaded anew. */
let kept: { sheet: number; command: Schemas['Command'] } | null = null

export function keepCommand(sheet: number, command: Schemas['Command']): void {
  kept = { sheet, command }
}

export function commandOf(sheet: number): Schemas['Command'] | null {
  return kept?.sheet === sheet ? kept.command : null
}
