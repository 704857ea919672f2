import type { Plate } from './yard'

type Marked = Pick<Plate, 'standing' | 'link' | 'holding' | 'power'>

/** Off on purpose, or on its way up: that is no trouble. */
const sleeps = (plate: Marked): boolean => plate.link !== 'connected' && (plate.power === 'asleep' || plate.power === 'waking')

/** The classes of a plate's edge and fill; `plate.css` draws them, the legend explains them. */
export function plateMarks(plate: Marked): string[] {
  const edge =
    plate.standing === 'at the gate'
      ? 'at-the-gate'
      : sleeps(plate)
        ? 'asleep'
        : { connected: 'connected', lost: 'lost', stopped: 'stopped', 'never seen': 'stopped' }[plate.link]
  return plate.holding ? [edge, plate.holding] : [edge]
}

/** The word that goes with the marks; "" for a host that is simply well. */
export function plateWord(plate: Marked): string {
  if (plate.standing === 'at the gate') return 'at the gate'
  if (sleeps(plate) || plate.power === 'does not wake' || plate.power === 'going down') return plate.power
  if (plate.link !== 'connected') return plate.power === 'switched off' ? plate.power : plate.link
  return plate.holding ?? ''
}
