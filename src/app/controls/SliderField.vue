<script setup lang="ts">
// A value between two ends: a slider, and the figure to be typed.
import { computed } from 'vue'
import { number } from 'yup'
import Hint from './Hint.vue'
import NumberField from './NumberField.vue'

const props = withDefaults(
  defineProps<{
    modelValue: number
    min?: number
    max?: number
    step?: number
    label: string
    help: string
    unit?: string
    /** Stands where the unit would, for a value that has none. */
    mark?: string
    digits?: number
    hideLabel?: boolean
  }>(),
  { min: 0, max: 100, step: 1, unit: '', mark: '', digits: 0 },
)
const emit = defineEmits<{ 'update:modelValue': [number] }>()
const schema = computed(() =>
  number()
    .typeError(`${props.label} must be a number.`)
    .required(`Type a number from ${props.min} to ${props.max}.`)
    .min(props.min, `${props.label} can be at least ${props.min}${props.unit ? ` ${props.unit}` : ''}.`)
    .max(props.max, `${props.label} can be at most ${props.max}${props.unit ? ` ${props.unit}` : ''}.`),
)
/** A slider that is handed a value beyond its ends would change the document to the end by itself. */
const shown = computed(() => Math.max(props.min, Math.min(props.max, props.modelValue)))
const slide = (v: number | number[] | undefined): void => {
  if (typeof v === 'number' && v !== shown.value) emit('update:modelValue', v)
}
</script>

<template>
  <div class="slider-field">
    <span v-if="!hideLabel" class="name">{{ label }}</span>
    <hint :text="help">
      <span class="rail">
        <el-slider
          :model-value="shown"
          :min="min"
          :max="max"
          :step="step"
          :show-tooltip="false"
          :aria-label="label"
          @input="slide"
        />
      </span>
    </hint>
    <number-field
      :model-value="modelValue"
      :schema="schema"
      :label="label"
      :help="help"
      :digits="digits"
      :step="step"
      width="50px"
      hide-label
      @update:model-value="(v) => emit('update:modelValue', v)"
    />
    <span v-if="mark || unit" class="unit soft">{{ mark || unit }}</span>
  </div>
</template>

<style scoped>
.slider-field {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 26px;
}
.name {
  flex: none;
  min-width: 72px;
}
.rail {
  flex: 1;
  min-width: 40px;
  padding: 0 6px;
}
.unit {
  width: 22px;
  font-size: 12px;
}
</style>
