/** Sizes for people, as the server's core writes them: core/tests/sizes.json tests both. */

const DISK = ['B', 'kB', 'MB', 'GB', 'TB']
const MEMORY = ['B', 'KiB', 'MiB', 'GiB', 'TiB']

/** Bytes on a disk or of a file, in powers of 1000: 81 GB. */
export const diskSize = (bytes: number): string => scaled(bytes, 1000, DISK)

/** Bytes of memory, in powers of 1024: 16 GiB. */
export const memorySize = (bytes: number): string => scaled(bytes, 1024, MEMORY)

function scaled(bytes: number, base: number, units: string[]): string {
  let value = Math.max(0, bytes)
  let unit = 0
  while (rounded(value, unit) >= base && unit < units.length - 1) {
    value /= base
    unit += 1
  }
  return `${rounded(value, unit)} ${units[unit]}`
}

function rounded(value: number, unit: number): number {
  return unit === 0 || value >= 9.95 ? Math.floor(value + 0.5) : Math.floor(value * 10 + 0.5) / 10
}
