// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { diskSize, memorySize } from '../../kit/units'
import '../../testing/mounted'
import { frame, sizeStep } from './time-chart'

describe('the axis of sizes', () => {
  it.each([
    [500e9, 1000, 200e9],
    [1.2e12, 1000, 0.5e12],
    [80e6, 1000, 50e6],
    [9e9, 1000, 5e9],
    [1, 1000, 0.5],
    [16 * 1024 ** 3, 1024, 10 * 1024 ** 3],
    [7 * 1024 ** 3, 1024, 5 * 1024 ** 3],
  ])('up to %d (by %d) has steps of %d', (most, base, step) => expect(sizeStep(most, base)).toBeCloseTo(step))

  it('has marks that read as round numbers', () => {
    for (const most of [3e9, 45e9, 512e9, 2.5e12]) expect(diskSize(sizeStep(most, 1000))).toMatch(/^(1|2|5|10|20|50|100|200|500)(\.0)? (MB|GB|TB)$/)
    for (const most of [3, 16, 64, 200]) expect(memorySize(sizeStep(most * 1024 ** 3, 1024))).toMatch(/^(1|2|5|10|20|50|100) GiB$/)
  })

  it('ends at a mark', () => {
    const { yAxis } = frame(0, 10, diskSize, { most: 500e9, step: 200e9 }) as unknown as { yAxis: { max: number; interval: number } }
    expect([yAxis.max, yAxis.interval]).toEqual([600e9, 200e9])
  })
})

describe('the axis of time', () => {
  const axes = (start: number, end: number, scale = {}) => frame(start, end, String, scale) as unknown as { xAxis: { min: number; max: number; axisLabel: { formatter: (at: number) => string } }; yAxis: { min?: number } }

  it('reaches from start to end, in milliseconds', () => {
    const { xAxis } = axes(1000, 2000)
    expect([xAxis.min, xAxis.max]).toEqual([1_000_000, 2_000_000])
  })

  it('names midnights by their day and all else by the time', () => {
    const midnight = new Date(2026, 10, 28).getTime()
    const { formatter } = axes(0, 1).xAxis.axisLabel
    expect([formatter(midnight), formatter(midnight + 5_400_000)]).toEqual(['28 Nov', '01:30'])
  })

  it('begins at nothing, unless a reading may be below', () => {
    expect([axes(0, 1).yAxis.min, axes(0, 1, { least: undefined }).yAxis.min]).toEqual([0, undefined])
  })
})
