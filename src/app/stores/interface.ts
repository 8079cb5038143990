// Matters of the interface itself: theme, the shortcut sheet, the file chooser, what is folded, the first-run walk.
import { useDark, useLocalStorage } from '@vueuse/core'
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
  const railFolded = useLocalStorage('unwarp.rail-folded', false)
  const inspectorFolded = useLocalStorage('unwarp.inspector-folded', false)
  /** The first-run walk is being shown. */
  const walking = ref(false)
  /** It was shown or skipped before, and never comes by itself again. */
  const walked = useLocalStorage('unwarp.walked', false)
  function walk(): void {
    walked.value = true
    walking.value = true
  }
  return { dark, sheet, chooser, choosing, chooseFiles, railFolded, inspectorFolded, walking, walked, walk }
})
