<script setup lang="ts">
// One line about a control, shown when the pointer rests on it or the keyboard reaches it, with its key.
defineProps<{ text: string; keys?: string | undefined }>()
</script>

<template>
  <el-tooltip
    :disabled="!text"
    :show-after="450"
    :hide-after="0"
    :trigger="['hover', 'focus']"
    :trigger-keys="[]"
    :enterable="false"
    popper-class="hint"
    transition=""
  >
    <template #content> <span>{{ text }}</span> <kbd v-if="keys">{{ keys }}</kbd> </template>
    <slot />
  </el-tooltip>
</template>
