<script setup lang="ts">
// A panel beside what is worked on, with a border between them that can be dragged, also by arrow keys.
import 'splitpanes/dist/splitpanes.css'
import { useElementSize } from '@vueuse/core'
import { Pane, Splitpanes } from 'splitpanes'
import { computed, onMounted, ref, watch } from 'vue'
import { usePanel } from './panels'

const props = defineProps<{ panel: 'rail' | 'inspector'; folded?: boolean }>()
const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const { size, min, max, keep } = usePanel(props.panel, width)
const first = computed(() => props.panel === 'rail')
function resized(e: { event?: unknown; panes: readonly { size: number }[] }): void {
  if (e.event) keep(e.panes[first.value ? 0 : 1]!.size)
  describe()
}
/** The border is a control with a name and a value, as those who do not see it need it. */
function describe(): void {
  const bar = box.value?.querySelector('.splitpanes__splitter')
  bar?.setAttribute('aria-label', first.value ? 'Width of the track list' : 'Width of the inspector')
  bar?.setAttribute('aria-valuenow', String(Math.round(first.value ? size.value : 100 - size.value)))
}
onMounted(() => setTimeout(describe))
watch([size, () => props.folded], () => setTimeout(describe))
</script>

<template>
  <div ref="box" class="split">
    <splitpanes
      v-if="width > 0 && !folded"
      :maximize-panes="false"
      :keyboard-step="2"
      @ready="describe"
      @resized="resized"
    >
      <pane v-if="first" :size="size" :min-size="min" :max-size="max"><slot name="panel" /></pane>
      <pane :size="100 - size"
        ><div class="work"><slot /></div
      ></pane>
      <pane v-if="!first" :size="size" :min-size="min" :max-size="max"><slot name="panel" /></pane>
    </splitpanes>
    <div v-else class="work"><slot /></div>
  </div>
</template>

<style scoped>
.split {
  display: flex;
  flex: 1;
  min-width: 0;
  min-height: 0;
}
.work {
  display: flex;
  flex: 1;
  flex-direction: column;
  width: 100%;
  min-width: 0;
  height: 100%;
  min-height: 0;
}
.split :deep(.splitpanes) {
  min-width: 0;
}
.split :deep(.splitpanes__pane) {
  transition: none;
}
</style>
