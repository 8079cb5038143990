// @vitest-environment happy-dom
// A slider with its figure: what lies beyond its ends is shown, and left as it is until a person changes it.
import { mount } from '@vue/test-utils'
import { ElSlider } from 'element-plus/es/components/slider/index'
import { describe, expect, it } from 'vitest'
import SliderField from './SliderField.vue'

const field = (modelValue: number) =>
  mount(SliderField, {
    props: { modelValue, min: -30, max: 12, label: 'Gain', help: 'Level', unit: 'dB' },
    attachTo: document.body,
  })

describe('a slider field', () => {
  it('changes nothing by itself, even where the value lies beyond its ends', async () => {
    for (const value of [-60, -30, 3, 40]) {
      const w = field(value)
      await w.vm.$nextTick()
      expect(w.emitted('update:modelValue')).toBeUndefined()
      expect((w.get('input').element as HTMLInputElement).value).toBe(String(value))
    }
  })

  it('takes what is slid and what is typed, and says what cannot be', async () => {
    const w = field(0)
    w.getComponent(ElSlider).vm.$emit('input', 6)
    await w.get('input').setValue('-12')
    await w.get('input').trigger('keydown.enter')
    expect(w.emitted('update:modelValue')).toEqual([[6], [-12]])
    await w.get('input').setValue('30')
    await w.get('input').trigger('change')
    expect(w.get('[role="alert"]').text()).toBe('Gain can be at most 12 dB.')
    expect(w.emitted('update:modelValue')).toHaveLength(2)
  })
})
