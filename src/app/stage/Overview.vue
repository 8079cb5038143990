<script setup lang="ts">
// The whole session in one strip: every track's waveform, what the stage shows, range and playhead.
import { useElementSize } from '@vueuse/core'
import { computed, ref, watchPostEffect } from 'vue'
import { beatToSeconds, secondsToBeat } from '../../core/music/tempo-map'
import { mapOf } from '../../core/render/plan'
import { findClip } from '../../core/session/find'
import { fitToLength } from '../../core/session/length-edits'
import { formatLength } from '../../core/music/position'
import Hint from '../controls/Hint.vue'
import { useMedia } from '../stores/media'
import { useSession } from '../stores/session'
import { useTransport } from '../stores/transport'
import { useView } from '../stores/view'
import { afterSound } from './after-sound'
import { fitAxis, toSecond, toX } from './axis'
import { useColors } from './colors'
import { beatOf, tempoWith } from './beat-words'
import { barsInSight } from './ruler'
import { drawWave, waveHeight } from './wave'

const HEIGHT = 58
/** How near to a recording's end it can be taken hold of, pixels. */
const GRIP = 8
const store = useSession()
const media = useMedia()
const view = useView()
const transport = useTransport()
const colors = useColors()
const box = ref<HTMLElement>()
const canvas = ref<HTMLCanvasElement>()
const { width } = useElementSize(box)
const axis = computed(() => fitAxis(view.extent, Math.max(1, width.value)))
const drawn = afterSound(() => ({ session: store.session, axis: axis.value }))

watchPostEffect(() => {
  const el = canvas.value
  const { session: s, axis } = drawn.value
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
  for (const b of barsInSight(s, axis, width.value)) if (b.labelled) g.fillRect(Math.round(b.x), 0, 1, HEIGHT)
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
        axis,
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

/** A clip's end being dragged with Alt: the clip is stretched to a length in whole beats. */
const fitting = ref<{ clipId: string; x: number; words: string } | null>(null)
let wanted = 0

/** The clip whose end is near a place of the strip. */
function endNear(x: number, y: number): string | null {
  const s = store.session!
  const lane = s.tracks[Math.floor((y / HEIGHT) * s.tracks.length)]
  return lane?.clips.find((c) => Math.abs(toX(axis.value, endOf(c.id)) - x) < GRIP)?.id ?? null
}
function endOf(clipId: string): number {
  const s = store.session!
  const { clip, recording } = findClip(s, clipId)!
  return mapOf(s, clip, recording).at(-1)!.target / s.sampleRate
}
/** Length, ratio and tempo that dropping it here would give. */
function fitTo(clipId: string, x: number): void {
  const s = store.session!
  const { clip, recording } = findClip(s, clipId)!
  const beats = Math.max(1, Math.round(secondsToBeat(s.tempo, toSecond(axis.value, x)) - clip.place))
  const start = beatToSeconds(s.tempo, clip.place)
  const seconds = beatToSeconds(s.tempo, clip.place + beats) - start
  const ratio = seconds / ((clip.end - clip.start) / recording.sampleRate)
  wanted = beats
  const bpm = (60 * beats) / ((clip.end - clip.start) / recording.sampleRate)
  fitting.value = {
    clipId,
    x: toX(axis.value, start + seconds),
    words: `${formatLength(s.meter, beats)}, ${(100 * ratio).toFixed(1)} %, played at ${tempoWith(s.meter[0]!, bpm / beatOf(s.meter[0]!).quarters)}`,
  }
}

let grabbed: number | null = null
function down(e: PointerEvent): void {
  const end = e.altKey ? endNear(e.offsetX, e.offsetY) : null
  if (end) {
    box.value!.setPointerCapture(e.pointerId)
    return fitTo(end, e.offsetX)
  }
  const second = toSecond(axis.value, e.offsetX)
  const span = view.width * view.axis.perPixel
  const inside = second >= view.axis.start && second <= view.axis.start + span
  grabbed = inside ? second - view.axis.start : span / 2
  box.value!.setPointerCapture(e.pointerId)
  move(e)
}
function move(e: PointerEvent): void {
  if (fitting.value) return fitTo(fitting.value.clipId, e.clientX - box.value!.getBoundingClientRect().left)
  if (grabbed === null) return
  const x = e.clientX - box.value!.getBoundingClientRect().left
  view.set({ ...view.axis, start: toSecond(axis.value, x) - grabbed })
}
function up(e: PointerEvent): void {
  const f = fitting.value
  fitting.value = null
  if (f && e.type === 'pointerup') store.edit('Fit to length', (s) => fitToLength(s, f.clipId, wanted))
  grabbed = null
}
</script>

<template>
  <hint
    text="The whole session: drag to look elsewhere, double-click to put the playhead; Alt-drag a recording’s end to stretch it to a length."
  >
    <div
      ref="box"
      class="overview"
      data-test="overview"
      role="img"
      aria-label="The whole session, with what the stage shows"
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
      <p
        v-if="fitting"
        class="fit figures"
        data-test="fit"
        :style="{ left: `${Math.min(fitting.x, width - 300)}px` }"
      >
        {{ fitting.words }}
      </p>
    </div>
  </hint>
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
.fit {
  position: absolute;
  top: 4px;
  padding: 1px 7px;
  border-radius: 5px;
  background: var(--ink);
  color: var(--paper-raised);
  font-size: 12px;
  white-space: nowrap;
  pointer-events: none;
}
.head {
  left: 0;
  width: 1.5px;
  background: var(--danger);
}
</style>
