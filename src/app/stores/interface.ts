// Matters of the interface itself: theme, the shortcut sheet, the file chooser.
import { useDark } from '@vueuse/core'
import { defineStore } from 'pinia'
import { ref } from 'vue'

export const useInterface = defineStore('interface', () => {
  const dark = useDark({ storageKey: 'unwarp.theme', initialValue: 'light' })
  const sheet = ref(false)
  /** Counts requests to open the file chooser, which lives in App.vue. */
  const chooser = ref(0)
  return { dark, sheet, chooser, chooseFiles: () => chooser.value++ }
})
