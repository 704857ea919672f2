// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { mounted, settled } from '../testing/mounted'
import LabelsField from './LabelsField.vue'

function field(words: string[] = [], props: Record<string, unknown> = {}) {
  const page = mounted(LabelsField, { props: { name: 'Labels', modelValue: words, 'onUpdate:modelValue': (next: string[]) => void page.setProps({ modelValue: next }), ...props } })
  const input = page.get('input')
  return {
    page, input,
    words: () => page.props('modelValue') as string[],
    async type(text: string) {
      await input.setValue(text)
      await settled()
    },
    async paste(text: string) {
      await input.trigger('paste', { clipboardData: { getData: () => text } })
      await settled()
    },
  }
}

describe('a field of labels', () => {
  it.each([['bench-rig,'], ['bench-rig ']])('adds a word at the end of “%s”', async (text) => {
    const one = field(['gpu'])
    await one.type(text)
    expect(one.words()).toEqual(['gpu', 'bench-rig'])
  })

  it('adds by Enter and when it is left', async () => {
    const one = field()
    await one.type('a')
    await one.input.trigger('keydown', { key: 'Enter' })
    await one.type('b')
    await one.input.trigger('blur')
    expect(one.words()).toEqual(['a', 'b'])
  })

  it('leaves Enter in an empty field to the form', async () => {
    const one = field(['a'])
    const event = new KeyboardEvent('keydown', { key: 'Enter', cancelable: true })
    one.input.element.dispatchEvent(event)
    expect(event.defaultPrevented).toBe(false)
  })

  it('keeps spaces where words have them', async () => {
    const one = field([], { spaced: true })
    await one.type('Sea Charts,')
    expect(one.words()).toEqual(['Sea Charts'])
  })

  it('takes a paste apart, and takes it back', async () => {
    const one = field(['gpu'])
    await one.paste('bench-rig, gpu\nfirmware')
    expect(one.words()).toEqual(['gpu', 'bench-rig', 'firmware'])
    expect(one.page.get('[role=status]').text()).toContain('Added 2: bench-rig, firmware.')
    await one.page.get('.undo').trigger('click')
    expect(one.words()).toEqual(['gpu'])
  })

  it('removes the last by Backspace and any by its button', async () => {
    const one = field(['a', 'b', 'c'])
    await one.input.trigger('keydown', { key: 'Backspace' })
    await settled()
    expect(one.words()).toEqual(['a', 'b'])
    await one.page.get('[aria-label="Remove a"]').trigger('click')
    await settled()
    expect(one.words()).toEqual(['b'])
    await one.page.get('.undo').trigger('click')
    expect(one.words()).toEqual(['a', 'b'])
  })

  it('edits the text, not the words, while there is text', async () => {
    const one = field(['a'])
    await one.type('bc')
    await one.input.trigger('keydown', { key: 'Backspace' })
    expect(one.words()).toEqual(['a'])
  })

  it('suggests what is known and not there yet', () => {
    const one = field(['gpu'], { known: ['gpu', 'bench-rig'] })
    expect(one.page.findAll('datalist option').map((option) => option.attributes('value'))).toEqual(['bench-rig'])
  })
})
