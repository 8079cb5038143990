// Matters of the interface itself: theme, the shortcut sheet, the file chooser.
import { useDark } from '@vueuse/core'
import { defineStore } from 'pinia'
import { ref } from 'vue'

/** What the file chooser offers first; any file that is chosen is taken for what it is. */
export type Chosen = 'recordings' | 'sessions'

export const useInterface = defineStore('interface', () => {
  const dark = useDark({ storageKey: 'unwarp.theme', initialValue: 'light' })
  const sheet = ref(false)
  /** Counts requests to open the file chooser, which lives in App.vue. */
  const chooser = ref(0)
  const choosing = ref<Chosen>('recordings')
  function chooseFiles(what: Chosen): void {
    choosing.value = what
    chooser.value++
  }
  return { dark, sheet, chooser, choosing, chooseFiles }
})
