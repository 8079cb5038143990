<script setup lang="ts">
// The page: routes, files dropped anywhere, messages, running work, the shortcut sheet.
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { bindShortcuts, useActions } from './actions/actions'
import ShortcutSheet from './actions/ShortcutSheet.vue'
import MessageCorner from './frame/MessageCorner.vue'
import { useImport } from './frame/import-files'
import { SESSION_ENDING } from '../core/formats/session-file'
import { useInterface } from './stores/interface'
import { useMessages } from './stores/messages'

const ui = useInterface()
const actions = useActions()
const messages = useMessages()
const { importFiles } = useImport()
const chooser = ref<HTMLInputElement>()
const dropping = ref(false)
let unbind = (): void => {}

const OFFERED = {
  recordings: '.wav,.wave,.aif,.aiff,.aifc,.flac,.mp3,.ogg,.oga,.opus,.m4a,.mp4,audio/*',
  sessions: SESSION_ENDING,
}
watch(
  () => ui.chooser,
  () => {
    if (!chooser.value) return
    chooser.value.accept = OFFERED[ui.choosing]
    chooser.value.click()
  },
)

function chosen(): void {
  const files = [...(chooser.value?.files ?? [])]
  if (chooser.value) chooser.value.value = ''
  void messages.attempt(() => importFiles(files))
}

const carriesFiles = (e: DragEvent): boolean => e.dataTransfer?.types.includes('Files') ?? false
function over(e: DragEvent): void {
  if (!carriesFiles(e)) return
  e.preventDefault()
  dropping.value = true
}
function drop(e: DragEvent): void {
  dropping.value = false
  if (!carriesFiles(e)) return
  e.preventDefault()
  const files = [...(e.dataTransfer?.files ?? [])]
  void messages.attempt(() => importFiles(files))
}
function leave(e: DragEvent): void {
  if (e.relatedTarget === null) dropping.value = false
}

onMounted(() => {
  unbind = bindShortcuts(actions)
  window.addEventListener('dragover', over)
  window.addEventListener('dragleave', leave)
  window.addEventListener('drop', drop)
})
onBeforeUnmount(() => {
  unbind()
  window.removeEventListener('dragover', over)
  window.removeEventListener('dragleave', leave)
  window.removeEventListener('drop', drop)
})
</script>

<template>
  <router-view />
  <input ref="chooser" data-test="files" type="file" multiple hidden @change="chosen" />
  <div v-if="dropping" class="drop-cover">Drop recordings or session files to bring them in</div>
  <message-corner />
  <shortcut-sheet />
</template>

<style scoped>
.drop-cover {
  position: fixed;
  inset: 12px;
  z-index: 3000;
  display: grid;
  place-items: center;
  border: 2px dashed var(--accent);
  border-radius: 14px;
  background: color-mix(in srgb, var(--paper) 88%, transparent);
  font-size: 22px;
  pointer-events: none;
}
</style>
