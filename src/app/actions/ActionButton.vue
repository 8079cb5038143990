<script setup lang="ts">
// A button for one action of the list: label, help, icon, key and state come from there.
import { computed } from 'vue'
import Say from '../controls/Say.vue'
import { shortcutText, useActions } from './actions'
import { ACTION_ICONS } from './icons'

const props = defineProps<{
  id: string
  label?: string
  strong?: boolean
  bare?: boolean
  /** The icon alone, without a word. */
  iconOnly?: boolean
  /** The word alone, without an icon. */
  plain?: boolean
}>()
const actions = useActions()
const action = computed(() => actions.get(props.id))
const icon = computed(() => (props.plain ? undefined : ACTION_ICONS[props.id]))
const attributes = computed(() => ({
  ...(action.value.shortcut ? { keys: shortcutText(action.value.shortcut) } : {}),
  ...(icon.value ? { icon: icon.value } : {}),
  ...(props.iconOnly ? { name: props.label ?? action.value.label } : {}),
}))
const help = computed(() => {
  const { label, help } = action.value
  return (props.label ?? label) === label && !props.iconOnly ? help : `${label}: ${help}`
})
</script>

<template>
  <say
    v-bind="attributes"
    :help="help"
    :strong="strong"
    :bare="bare"
    :on="action.on ? action.on() : undefined"
    :disabled="!action.enabled()"
    :data-action="id"
    @click="actions.run(id)"
  >
    <template v-if="!iconOnly" #default><slot>{{ label ?? action.label }}</slot></template>
  </say>
</template>
