import { describe, expect, it } from 'vitest'
import { completed, placeOf, suggestions } from './term-completion'

const WORDS = {
  subjects: ['os', 'tool', 'label', 'user group', 'not', 'prefer'],
  after: {
    os: [{ word: 'linux', hosts: 12 }],
    tool: [{ word: 'jdk', hosts: 9 }, { word: 'jq', hosts: 2 }],
    label: [{ word: 'bench-rig', hosts: 3 }],
    'user group': [{ word: 'dialout', hosts: 4 }],
  },
  versions: { jdk: [{ word: '17.0.9', hosts: 5 }] },
}

describe('completion of terms', () => {
  it.each([
    ['', ['os', 'tool', 'label', 'user group', 'not', 'prefer']],
    ['t', ['tool']],
    ['tool ', ['jdk', 'jq']],
    ['tool jd', ['jdk']],
    ['tool jdk ', ['17.0.9']],
    ['prefer not lab', ['label']],
    ['any of label ', ['bench-rig']],
    ['(os ', ['linux']],
    ['user group d', ['dialout']],
    ['label os ', []],
    ['label bench-rig', []],
  ])('after %j offers %j', (before, wanted) => {
    expect(suggestions(before, WORDS).map(({ word }) => word)).toEqual(wanted)
  })

  it('finds the line of the caret and completes the word there', () => {
    const text = 'os linux\ntool j\nlabel x'
    expect(placeOf(text, 15)).toEqual({ line: 'tool j', start: 9, before: 'tool j' })
    expect(completed(text, 15, 'jdk')).toEqual({ text: 'os linux\ntool jdk \nlabel x', caret: 18 })
  })
})
