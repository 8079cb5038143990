<script setup lang="ts">
// A word, a place or a length that is typed: taken on Enter or when it is left, with a sentence when it is wrong.
import { nextTick, ref, watch } from 'vue'
import Hint from './Hint.vue'

const props = defineProps<{
  value: string
  label: string
  help: string
  width?: string
  disabled?: boolean
  /** Takes what was typed. @throws an error whose message says what is wrong */
  take: (typed: string) => unknown
}>()
const emit = defineEmits<{ taken: [] }>()
const text = ref(props.value)
const error = ref('')
const editing = ref(false)
let taking = false
watch(
  () => props.value,
  (v) => {
    if (!editing.value) text.value = v
    if (!taking) error.value = ''
  },
)
function commit(): void {
  editing.value = false
  if (text.value.trim() !== props.value)
    try {
      taking = true
      props.take(text.value)
      error.value = ''
    } catch (e) {
      error.value = (e as Error).message
      return
    } finally {
      void nextTick(() => (taking = false))
    }
  else error.value = ''
  text.value = props.value
  emit('taken')
}
function enter(e: Event | KeyboardEvent): void {
  commit()
  if (!error.value) (e.target as HTMLElement).blur()
}
function giveUp(e: Event | KeyboardEvent): void {
  text.value = props.value
  error.value = ''
  ;(e.target as HTMLElement).blur()
}
</script>

<template>
  <div class="text-field" :style="width ? { width } : {}">
    <hint :text="help">
      <el-input
        v-model="text"
        class="quiet"
        :class="{ wrong: error }"
        :aria-label="label"
        :aria-invalid="error !== ''"
        :disabled="disabled ?? false"
        @focus="editing = true"
        @blur="commit"
        @keydown.enter="enter"
        @keydown.esc.stop="giveUp"
      />
    </hint>
    <p v-if="error" class="error-text" role="alert">{{ error }}</p>
  </div>
</template>

<style scoped>
.text-field {
  min-width: 0;
}
</style>
