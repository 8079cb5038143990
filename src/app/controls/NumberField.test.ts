// @vitest-environment happy-dom
// A typed number: taken when right, refused with the schema's sentence when wrong.
import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { bpmSchema } from '../../core/session/schema'
import NumberField from './NumberField.vue'

const field = () =>
  mount(NumberField, {
    props: { modelValue: 92, schema: bpmSchema, label: 'BPM', help: 'Tempo' },
    attachTo: document.body,
  })

describe('a number field', () => {
  it('takes what is right, with a comma too', async () => {
    const w = field()
    await w.get('input').setValue('93,5')
    await w.get('input').trigger('keydown.enter')
    expect(w.emitted('update:modelValue')).toEqual([[93.5]])
    expect(w.find('[role="alert"]').exists()).toBe(false)
  })

  it.each([
    ['4', 'The tempo must be at least 10 BPM.'],
    ['fast', 'The tempo must be a number, for example 92 or 92.5.'],
    ['', 'Type a tempo in beats a minute.'],
  ])('says what is wrong with “%s”', async (typed, sentence) => {
    const w = field()
    await w.get('input').setValue(typed)
    await w.get('input').trigger('change')
    expect(w.emitted('update:modelValue')).toBeUndefined()
    expect(w.get('[role="alert"]').text()).toBe(sentence)
    await w.get('input').trigger('keydown.esc')
    expect(w.find('[role="alert"]').exists()).toBe(false)
    expect((w.get('input').element as HTMLInputElement).value).toBe('92')
  })
})
