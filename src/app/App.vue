<script setup lang="ts">
// The page: routes, files dropped anywhere, messages, running work, the shortcut sheet, the first-run walk.
import 'element-plus/es/components/message-box/style/css'
import { useDropZone, useFileDialog } from '@vueuse/core'
import { defineAsyncComponent, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { bindShortcuts, useActions } from './actions/actions'
import { ConfigProvider } from './controls/untyped'
import MessageCorner from './frame/MessageCorner.vue'
import { useImport } from './frame/import-files'
import { SESSION_ENDING } from '../core/formats/session-file'
import { useInterface } from './stores/interface'
import { useMessages } from './stores/messages'

// Fetched when they are asked for: the page is there sooner.
const ShortcutSheet = defineAsyncComponent(() => import('./actions/ShortcutSheet.vue'))
const FirstWalk = defineAsyncComponent(() => import('./frame/FirstWalk.vue'))

const ui = useInterface()
const actions = useActions()
const messages = useMessages()
const { importFiles } = useImport()
let unbind = (): void => {}

const OFFERED = {
  recordings: '.wav,.wave,.aif,.aiff,.aifc,.flac,.mp3,.ogg,.oga,.opus,.m4a,.mp4,audio/*',
  sessions: SESSION_ENDING,
}
const chooser = useFileDialog({ multiple: true, reset: true })
chooser.onChange((files) => {
  if (files?.length) void messages.attempt(() => importFiles([...files]))
})
watch(
  () => ui.chooser,
  () => chooser.open({ accept: OFFERED[ui.choosing] }),
)

const page = ref(document.body)
const { isOverDropZone } = useDropZone(page, {
  preventDefaultForUnhandled: true,
  onDrop: (files) => {
    if (files?.length) void messages.attempt(() => importFiles(files))
  },
})

onMounted(() => (unbind = bindShortcuts(actions)))
onBeforeUnmount(() => unbind())
</script>

<template>
  <config-provider size="small">
    <router-view />
    <div v-if="isOverDropZone" class="drop-cover">Drop recordings or session files to bring them in</div>
    <message-corner />
    <shortcut-sheet v-if="ui.sheet" />
    <first-walk v-if="ui.walking" />
  </config-provider>
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
