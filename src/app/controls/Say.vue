<script setup lang="ts">
// A button that is no action of the list: with its word, an icon where there is one, and its line of help.
import type { Component } from 'vue'
import Hint from './Hint.vue'

defineOptions({ inheritAttrs: false })
withDefaults(
  defineProps<{
    help: string
    keys?: string
    icon?: Component
    /** Name for screen readers where there is no word. */
    name?: string
    strong?: boolean
    bare?: boolean
    on?: boolean | undefined
    disabled?: boolean
  }>(),
  { on: undefined },
)
</script>

<template>
  <hint :text="help" :keys="keys">
    <el-button
      v-bind="{
        ...$attrs,
        ...(name ? { 'aria-label': name } : {}),
        ...(on === undefined ? {} : { 'aria-pressed': on }),
      }"
      :class="{ strong }"
      :type="on ? 'primary' : ''"
      :text="bare && !on"
      :disabled="disabled ?? false"
      ><component :is="icon" v-if="icon" class="icon" aria-hidden="true" /><span v-if="$slots.default"
        ><slot /></span
    ></el-button>
  </hint>
</template>
