<script setup lang="ts">
// A typed number with its unit; checked by a Yup schema, with a sentence when it is wrong.
import { ref, watch } from 'vue'
import { ValidationError, type NumberSchema } from 'yup'

const props = defineProps<{
  modelValue: number
  schema: NumberSchema
  label: string
  help: string
  unit?: string
  digits?: number
  width?: string
  hideLabel?: boolean
}>()
const emit = defineEmits<{ 'update:modelValue': [number] }>()
const shownValue = (): string => String(Number(props.modelValue.toFixed(props.digits ?? 2)))
const text = ref(shownValue())
const error = ref('')
watch(
  () => props.modelValue,
  () => (text.value = shownValue()),
)

function commit(): void {
  if (text.value.trim() === shownValue()) {
    error.value = ''
    return
  }
  try {
    const typed = text.value.trim().replace(',', '.')
    const value = props.schema.validateSync(typed === '' ? undefined : typed)
    error.value = ''
    emit('update:modelValue', value as number)
    text.value = shownValue()
  } catch (e) {
    error.value = e instanceof ValidationError ? e.errors[0]! : String(e)
  }
}
/** Enter takes the value and gives the keys back to the desk. */
function enter(e: KeyboardEvent): void {
  commit()
  if (!error.value) (e.target as HTMLInputElement).blur()
}
function giveUp(e: KeyboardEvent): void {
  text.value = shownValue()
  error.value = ''
  ;(e.target as HTMLInputElement).blur()
}
</script>

<template>
  <label class="field" :title="help">
    <span v-if="!hideLabel" class="name">{{ label }}</span>
    <span class="entry">
      <input
        v-model="text"
        class="plain figures"
        inputmode="decimal"
        :style="{ width: width ?? '64px' }"
        :aria-label="label"
        :aria-invalid="error !== ''"
        @change="commit"
        @keydown.enter="enter"
        @keydown.esc.stop="giveUp"
      />
      <span v-if="unit" class="soft">{{ unit }}</span>
    </span>
    <span v-if="error" class="error-text" role="alert">{{ error }}</span>
  </label>
</template>

<style scoped>
.field {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  justify-content: space-between;
  gap: 2px 8px;
  position: relative;
  margin: 2px 0;
}
.entry {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}
input {
  text-align: right;
}
input[aria-invalid='true'] {
  border-color: var(--danger);
}
.error-text {
  flex-basis: 100%;
}
</style>
