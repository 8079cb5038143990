<script setup lang="ts">
// A meter: how many notes a bar has, and of which value.
import ChoiceField from './ChoiceField.vue'
import NumberField from './NumberField.vue'
import { beatsInBarSchema } from '../../core/session/schema'

const props = withDefaults(
  defineProps<{
    numerator: number
    denominator: number
    label: string
    unitLabel: string
    help?: string
    values?: readonly number[]
  }>(),
  { help: 'How many notes a bar has.', values: () => [1, 2, 4, 8, 16, 32] },
)
const emit = defineEmits<{ change: [number, number] }>()
</script>

<template>
  <span class="meter">
    <number-field
      :model-value="props.numerator"
      :schema="beatsInBarSchema"
      :label="label"
      :help="help"
      hide-label
      width="38px"
      :digits="0"
      @update:model-value="(v) => emit('change', v, denominator)"
    />
    <span>/</span>
    <choice-field
      :model-value="denominator"
      :options="values.map((v) => ({ value: v, label: String(v) }))"
      :label="unitLabel"
      help="The note value that is counted in the signature."
      hide-label
      width="58px"
      @update:model-value="(v) => emit('change', numerator, v)"
    />
  </span>
</template>

<style scoped>
.meter {
  position: relative;
  display: inline-flex;
  align-items: center;
  gap: 4px;
}
.meter :deep(.list) {
  min-width: 0;
}
</style>
