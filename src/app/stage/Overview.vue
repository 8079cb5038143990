<script setup lang="ts">
// The whole session in one strip: every track's waveform, what the stage shows, range and playhead.
import { useElementSize } from '@vueuse/core'
import { computed, ref, watchPostEffect } from 'vue'
import { beatToSeconds } from '../../core/music/tempo-map'
import { mapOf } from '../../core/render/plan'
import { findClip } from '../../core/session/find'
import { useMedia } from '../stores/media'
import { useSession } from '../stores/session'
import { useTransport } from '../stores/transport'
import { useView } from '../stores/view'
import { fitAxis, toSecond, toX } from './axis'
import { useColors } from './colors'
import { barsInSight } from './ruler'
import { drawWave, waveHeight } from './wave'

const HEIGHT = 58
const store = useSession()
const media = useMedia()
const view = useView()
const transport = useTransport()
const colors = useColors()
const box = ref<HTMLElement>()
const canvas = ref<HTMLCanvasElement>()
const { width } = useElementSize(box)
const axis = computed(() => fitAxis(view.extent, Math.max(1, width.value)))

watchPostEffect(() => {
  const el = canvas.value
  const s = store.session
  if (!el || !s || width.value === 0) return
  const ratio = window.devicePixelRatio || 1
  el.width = Math.round(width.value * ratio)
  el.height = HEIGHT * ratio
  const g = el.getContext('2d')!
  g.scale(ratio, ratio)
  const c = colors.value
  g.fillStyle = c.sunk
  g.fillRect(0, 0, width.value, HEIGHT)
  g.fillStyle = c.line
  for (const b of barsInSight(s, axis.value, width.value))
    if (b.labelled) g.fillRect(Math.round(b.x), 0, 1, HEIGHT)
  const lane = HEIGHT / Math.max(1, s.tracks.length)
  s.tracks.forEach((t, i) => {
    g.fillStyle = t.id === view.track?.id ? c.wave : c.waveFaint
    g.strokeStyle = g.fillStyle
    for (const clip of t.clips) {
      const found = media.media.get(clip.recording)
      const recording = findClip(s, clip.id)?.recording
      if (!found || !recording) continue
      const wave = {
        media: found,
        map: mapOf(s, clip, recording),
        sampleRate: s.sampleRate,
        scale: s.sampleRate / recording.sampleRate,
        axis: axis.value,
        width: width.value,
      }
      drawWave(g, wave, (i + 0.5) * lane, waveHeight(found, lane * 0.44))
    }
  })
})

const inView = computed(() => {
  const from = Math.max(0, toX(axis.value, view.axis.start))
  const to = Math.min(width.value, toX(axis.value, view.axis.start + view.width * view.axis.perPixel))
  return { left: `${from}px`, width: `${Math.max(6, to - from)}px` }
})
const inRange = computed(() => {
  const s = store.session
  const r = view.range
  if (!s || !r) return null
  const from = toX(axis.value, beatToSeconds(s.tempo, r.from))
  return { left: `${from}px`, width: `${toX(axis.value, beatToSeconds(s.tempo, r.to)) - from}px` }
})
const head = computed(() => ({ transform: `translateX(${toX(axis.value, transport.position)}px)` }))

let grabbed: number | null = null
function down(e: PointerEvent): void {
  const second = toSecond(axis.value, e.offsetX)
  const span = view.width * view.axis.perPixel
  const inside = second >= view.axis.start && second <= view.axis.start + span
  grabbed = inside ? second - view.axis.start : span / 2
  box.value!.setPointerCapture(e.pointerId)
  move(e)
}
function move(e: PointerEvent): void {
  if (grabbed === null) return
  const x = e.clientX - box.value!.getBoundingClientRect().left
  view.set({ ...view.axis, start: toSecond(axis.value, x) - grabbed })
}
function up(): void {
  grabbed = null
}
</script>

<template>
  <div
    ref="box"
    class="overview"
    title="The whole session: drag to look elsewhere, double-click to put the playhead."
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="up"
    @dblclick="transport.seek(toSecond(axis, $event.offsetX))"
  >
    <canvas ref="canvas" />
    <div v-if="inRange" class="range" :style="inRange" />
    <div class="window" :style="inView" />
    <div class="head" :style="head" />
  </div>
</template>

<style scoped>
.overview {
  position: relative;
  flex: none;
  height: 58px;
  border-bottom: 1px solid var(--line);
  overflow: hidden;
  cursor: grab;
  touch-action: none;
}
canvas {
  display: block;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.window,
.range,
.head {
  position: absolute;
  top: 0;
  bottom: 0;
  pointer-events: none;
}
.window {
  border: 1.5px solid var(--ink);
  border-radius: 4px;
  background: color-mix(in srgb, var(--paper-raised) 30%, transparent);
}
.range {
  background: var(--accent-soft);
}
.head {
  left: 0;
  width: 1.5px;
  background: var(--danger);
}
</style>
