<script setup lang="ts">
// A button for one action of the list: label, help, key and state come from there.
import { computed } from 'vue'
import { shortcutText, useActions } from './actions'

const props = defineProps<{ id: string; label?: string; small?: boolean; strong?: boolean; bare?: boolean }>()
const actions = useActions()
const action = computed(() => actions.get(props.id))
const title = computed(() => {
  const a = action.value
  return `${a.label}: ${a.help}${a.shortcut ? `  [${shortcutText(a.shortcut)}]` : ''}`
})
</script>

<template>
  <button
    type="button"
    class="plain"
    :class="{ small, strong, bare }"
    :title="title"
    :aria-label="action.label"
    :aria-pressed="action.on ? action.on() : undefined"
    :disabled="!action.enabled()"
    :data-action="id"
    @click="actions.run(id)"
  >
    <slot>{{ label ?? action.label }}</slot>
  </button>
</template>
