<script setup lang="ts">
// A slim strip over the session's length: where a track is squeezed (teal) or stretched (orange).
import { useElementSize } from '@vueuse/core'
import { computed, ref, watchPostEffect } from 'vue'
import Hint from '../controls/Hint.vue'
import { mapOf } from '../../core/render/plan'
import { findClip } from '../../core/session/find'
import type { Track } from '../../core/session/types'
import { segmentsOf, stretchColor } from '../stage/stretch-color'
import { useColors } from '../stage/colors'
import { useSession } from '../stores/session'
import { useView } from '../stores/view'

const props = defineProps<{ track: Track }>()
const store = useSession()
const view = useView()
const canvas = ref<HTMLCanvasElement>()
const { width } = useElementSize(canvas)
const colors = useColors()

const segments = computed(() => {
  const s = store.session
  if (!s) return []
  return props.track.clips.flatMap((c) => {
    const found = findClip(s, c.id)
    return found ? segmentsOf(mapOf(s, c, found.recording), s.sampleRate) : []
  })
})

watchPostEffect(() => {
  const el = canvas.value
  if (!el || width.value === 0) return
  el.width = Math.round(width.value)
  const g = el.getContext('2d')!
  const { from, to } = view.extent
  const x = (t: number): number => ((t - from) / (to - from)) * el.width
  g.clearRect(0, 0, el.width, el.height)
  for (const s of segments.value) {
    const color = stretchColor(s.ratio, colors.value)
    if (!color) continue
    g.fillStyle = color
    g.fillRect(x(s.from), 0, Math.max(1, x(s.to) - x(s.from)), el.height)
  }
})
</script>

<template>
  <hint text="Where this track is squeezed (teal) or stretched (orange).">
    <canvas
      ref="canvas"
      height="5"
      class="heat"
      role="img"
      aria-label="Where this track is squeezed or stretched"
    />
  </hint>
</template>

<style scoped>
.heat {
  display: block;
  width: 100%;
  height: 5px;
  border-radius: 2px;
  background: var(--paper-sunk);
}
</style>
