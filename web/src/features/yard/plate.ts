import type { Plate } from './yard'

type Marked = Pick<Plate, 'standing' | 'link' | 'holding'>

/** The classes of a plate's edge and fill; `plate.css` draws them, the legend explains them. */
export function plateMarks(plate: Marked): string[] {
  const edge =
    plate.standing === 'at the gate'
      ? 'at-the-gate'
      : { connected: 'connected', lost: 'lost', stopped: 'stopped', 'never seen': 'stopped' }[plate.link]
  return plate.holding ? [edge, plate.holding] : [edge]
}

/** The word that goes with the marks; "" for a host that is simply well. */
export function plateWord(plate: Marked): string {
  if (plate.standing === 'at the gate') return 'at the gate'
  if (plate.link !== 'connected') return plate.link
  return plate.holding ?? ''
}
