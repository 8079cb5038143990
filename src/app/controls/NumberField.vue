<script setup lang="ts">
// A typed number with its unit; checked by a Yup schema, with a sentence when it is wrong. Arrow keys step it.
import { ref, watch } from 'vue'
import { ValidationError, type NumberSchema } from 'yup'
import Hint from './Hint.vue'

const props = withDefaults(
  defineProps<{
    modelValue: number
    schema: NumberSchema
    label: string
    help: string
    unit?: string
    digits?: number
    width?: string
    hideLabel?: boolean
    disabled?: boolean
    /** By how much an arrow key changes it; with Shift ten times as much. */
    step?: number
  }>(),
  { unit: '', digits: 2, width: '72px', step: 1 },
)
const emit = defineEmits<{ 'update:modelValue': [number] }>()
const shownValue = (): string => String(Number(props.modelValue.toFixed(props.digits)))
const text = ref(shownValue())
const error = ref('')
watch(
  () => props.modelValue,
  () => (text.value = shownValue()),
)

function take(typed: string | number | undefined): void {
  try {
    const value = props.schema.validateSync(typed)
    error.value = ''
    emit('update:modelValue', value as number)
    text.value = shownValue()
  } catch (e) {
    error.value = e instanceof ValidationError ? e.errors[0]! : String(e)
  }
}
function commit(): void {
  const typed = text.value.trim().replace(',', '.').replace('−', '-')
  if (typed === shownValue()) {
    error.value = ''
    text.value = shownValue()
  } else take(typed === '' ? undefined : typed)
}
function nudge(e: KeyboardEvent, way: 1 | -1): void {
  const by = way * props.step * (e.shiftKey ? 10 : 1)
  take(Number((props.modelValue + by).toFixed(props.digits)))
}
/** Enter takes the value and gives the keys back to the desk. */
function enter(e: Event | KeyboardEvent): void {
  commit()
  if (!error.value) (e.target as HTMLElement).blur()
}
function giveUp(e: Event | KeyboardEvent): void {
  text.value = shownValue()
  error.value = ''
  ;(e.target as HTMLElement).blur()
}
</script>

<template>
  <el-form-item class="field" :class="{ bare: hideLabel }" :error="error" :show-message="false">
    <template v-if="!hideLabel" #label>{{ label }}</template>
    <hint :text="help">
      <el-input
        v-model="text"
        class="number figures"
        inputmode="decimal"
        :style="{ width }"
        :aria-label="label"
        :aria-invalid="error !== ''"
        :validate-event="false"
        :disabled="disabled"
        @change="commit"
        @keydown.enter="enter"
        @keydown.esc.stop="giveUp"
        @keydown.up.prevent="nudge($event as KeyboardEvent, 1)"
        @keydown.down.prevent="nudge($event as KeyboardEvent, -1)"
      />
    </hint>
    <span v-if="unit" class="unit soft">{{ unit }}</span>
    <p v-if="error" class="error-text" role="alert">{{ error }}</p>
  </el-form-item>
</template>
