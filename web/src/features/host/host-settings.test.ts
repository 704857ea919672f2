import { describe, expect, it } from 'vitest'
import { mergeSettings } from './host-settings'

const BASE = { labels: ['edge'], slots: 2, services: ['docker'], reserved: false }

describe('settings of a host that two people edit', () => {
  it('follow what is saved where nothing was typed', () => {
    const saved = { ...BASE, slots: 3 }
    expect(mergeSettings(BASE, BASE, saved)).toEqual({ wanted: saved, conflicts: [] })
  })

  it('keep what was typed, and take over the rest', () => {
    const merged = mergeSettings(BASE, { ...BASE, labels: ['edge', 'gpu'] }, { ...BASE, slots: 3 })
    expect(merged).toEqual({ wanted: { ...BASE, labels: ['edge', 'gpu'], slots: 3 }, conflicts: [] })
  })

  it('name what both have changed, unless to the same', () => {
    const typed = { ...BASE, labels: ['gpu'], slots: 4 }
    const merged = mergeSettings(BASE, typed, { ...BASE, labels: ['rig'], slots: 4 })
    expect(merged).toEqual({ wanted: { ...typed }, conflicts: ['labels'] })
  })

  it('begin again with another host', () => {
    expect(mergeSettings(null, { ...BASE, slots: 9 }, BASE)).toEqual({ wanted: BASE, conflicts: [] })
  })
})
