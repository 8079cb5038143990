<script setup lang="ts" generic="T extends string | number">
// One of several: side by side where they are few and short, else a list.
import Hint from './Hint.vue'
import { Choice, Segmented } from './untyped'

defineProps<{
  modelValue: T
  options: readonly { readonly value: T; readonly label: string; readonly help?: string }[]
  label: string
  help: string
  /** Shows the options side by side. */
  open?: boolean
  hideLabel?: boolean
  width?: string
  disabled?: boolean
}>()
const emit = defineEmits<{ 'update:modelValue': [T] }>()

/** What was chosen gives the keys back to the desk, so that Space plays. */
function chosen(v: T): void {
  emit('update:modelValue', v)
  setTimeout(() => document.activeElement instanceof HTMLElement && document.activeElement.blur(), 50)
}
</script>

<template>
  <div class="choice">
    <span v-if="!hideLabel" class="name">{{ label }}</span>
    <hint :text="help">
      <segmented
        v-if="open"
        :model-value="modelValue"
        :options="options.map((o) => ({ value: o.value, label: o.label }))"
        :aria-label="label"
        :disabled="disabled ?? false"
        @change="(v) => emit('update:modelValue', v as T)"
      />
      <span v-else class="list" :style="width ? { width } : {}">
        <el-select
          :model-value="modelValue"
          :aria-label="label"
          :fit-input-width="false"
          :disabled="disabled ?? false"
          placement="bottom-start"
          @update:model-value="chosen"
        >
          <choice v-for="o in options" :key="String(o.value)" :value="o.value" :label="o.label">
            <span>{{ o.label }}</span><span v-if="o.help" class="soft option-help">{{ o.help }}</span>
          </choice>
        </el-select>
      </span>
    </hint>
  </div>
</template>

<style scoped>
.choice {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
  min-height: 26px;
}
.list {
  display: inline-block;
  min-width: 84px;
}
.option-help {
  margin-left: 10px;
  font-size: 12px;
}
</style>
