import { expect, it } from 'vitest'
import table from '../../../core/tests/sizes.json'
import { diskSize, memorySize } from './units'

it.each(table)('$bytes bytes are $disk of disk and $memory of memory', ({ bytes, disk, memory }) => {
  expect([diskSize(bytes), memorySize(bytes)]).toEqual([disk, memory])
})
