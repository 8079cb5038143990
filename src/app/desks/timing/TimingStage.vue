<script setup lang="ts">
// The stage of the Timing desk: As played above, As placed below, ties between.
import { useElementSize, useEventListener } from '@vueuse/core'
import type Konva from 'konva'
import { computed, ref, watch, watchPostEffect } from 'vue'
import { formatPosition, formatSeconds, toPosition } from '../../../core/music/position'
import { secondsToBeat } from '../../../core/music/tempo-map'
import { toX } from '../../stage/axis'
import { useColors } from '../../stage/colors'
import { useMedia } from '../../stores/media'
import { useTiming } from '../../stores/timing'
import { useTransport } from '../../stores/transport'
import { useView } from '../../stores/view'
import { gridDeviation } from './notes'
import { layoutOf } from './layout'
import { paintBase, paintMarks } from './paint'
import type { Marks, Picture } from './picture'
import { usePointer } from './pointer'

const view = useView()
const media = useMedia()
const timing = useTiming()
const transport = useTransport()
const colors = useColors()
const box = ref<HTMLElement>()
const base = ref<{ getNode(): Konva.Layer }>()
const marksLayer = ref<{ getNode(): Konva.Layer }>()
const { width, height } = useElementSize(box)
const layout = computed(() => layoutOf(Math.max(200, height.value)))
const { hovered, pointer, drag, reach, down, move, up, cancel, leave, doubleClick, wheel } =
  usePointer(layout)

watch(width, (w) => w > 0 && view.resize(Math.max(100, w)))

const picture = computed<Picture | null>(() => {
  const { shown: session, track } = view
  if (!session || !track) return null
  return {
    session,
    clip: timing.clip,
    media: view.clip ? media.media.get(view.clip.recording) : undefined,
    method: track.method.method,
    axis: view.axis,
    width: width.value,
    layout: layout.value,
    grid: view.grid,
    colors: colors.value,
    original: transport.original,
  }
})
const marks = computed<Marks>(() => ({
  selected: view.selected,
  hovered: hovered.value,
  reach: reach.value,
  range: view.rangeSeconds,
  ghosts: timing.previewing ? timing.moves : [],
}))

// Konva asks for a drawing; the pictures above say what.
const native = (context: Konva.Context): CanvasRenderingContext2D => context._context
const baseShape = {
  listening: false,
  sceneFunc: (c: Konva.Context) => picture.value && paintBase(native(c), picture.value),
}
const marksShape = {
  listening: false,
  sceneFunc: (c: Konva.Context) => picture.value && paintMarks(native(c), picture.value, marks.value),
}
watchPostEffect(() => {
  void picture.value
  base.value?.getNode().batchDraw()
})
watchPostEffect(() => {
  void picture.value
  void marks.value
  marksLayer.value?.getNode().batchDraw()
})

const head = computed(() => {
  const x = toX(view.axis, transport.position)
  return {
    transform: `translateX(${x}px)`,
    visibility: x < -2 || x > width.value + 2 ? ('hidden' as const) : ('visible' as const),
  }
})
watch(
  () => transport.position,
  (at) => {
    if (!view.follow || !transport.playing || drag.value) return
    const x = toX(view.axis, at)
    const inLoop =
      transport.loop !== null &&
      view.rangeSeconds !== null &&
      (view.rangeSeconds.to - view.rangeSeconds.from) / view.axis.perPixel < width.value
    if (inLoop && x >= 0 && x <= width.value) return
    if (x > width.value * 0.92 || x < 0)
      view.scroll(at - view.axis.start - 0.08 * width.value * view.axis.perPixel)
  },
)

const readout = computed(() => {
  const p = pointer.value
  const s = view.shown
  if (!p || !s) return null
  const dragged = drag.value && drag.value.kind !== 'range' ? drag.value.id : hovered.value
  const note = timing.clip?.notes.find((n) => n.tick.id === dragged)
  const second = note ? (p.zone === 'played' ? note.played : note.placed) : p.second
  const { ms } = gridDeviation(s, view.grid, second)
  const moved = note ? 1000 * (note.placed - note.played) : 0
  const sign = (v: number): string => `${v >= 0 ? '+' : '−'}${Math.abs(v).toFixed(1)} ms`
  return {
    time: formatSeconds(second),
    bar: formatPosition(toPosition(s.meter, secondsToBeat(s.tempo, second))),
    off: `${sign(ms)} off the grid`,
    moved: note && Math.abs(moved) > 0.05 ? `moved ${sign(moved)}` : '',
    // In the ruler, on the side where the pointer is not: it covers neither the note nor what it is moved to.
    left: p.x > width.value / 2 ? 8 : Math.max(8, width.value - 350),
  }
})
const cursor = computed(() => {
  if (drag.value?.kind === 'note' || drag.value?.kind === 'tick') return 'ew-resize'
  if (hovered.value !== null && pointer.value?.zone !== 'ties') return 'ew-resize'
  return pointer.value?.zone === 'ruler' ? 'text' : 'default'
})

const escape = (e: KeyboardEvent): void => {
  if (e.key !== 'Escape' || !drag.value) return
  cancel()
  e.stopImmediatePropagation()
}
useEventListener(window, 'keydown', escape, { capture: true })
</script>

<template>
  <div
    ref="box"
    class="stage"
    data-test="stage"
    data-walk="stage"
    role="application"
    tabindex="0"
    aria-label="Notes as played and as placed; arrow keys step through them, and the Notes section lists them"
    :style="{ cursor }"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="cancel"
    @pointerleave="leave"
    @dblclick="doubleClick"
    @wheel="wheel"
  >
    <v-stage
      class="konva"
      :config="{ width: Math.max(1, width), height: Math.max(1, height), listening: false }"
    >
      <v-layer ref="base" :config="{ listening: false }"><v-shape :config="baseShape" /></v-layer>
      <v-layer ref="marksLayer" :config="{ listening: false }"><v-shape :config="marksShape" /></v-layer>
    </v-stage>
    <div class="head" :style="head" />
    <p v-if="readout" class="readout figures" :style="{ left: `${readout.left}px` }" data-test="readout">
      <b>{{ readout.bar }}</b> {{ readout.time }} <span>{{ readout.off }}</span>
      <span v-if="readout.moved">{{ readout.moved }}</span>
    </p>
    <p v-if="timing.clip && timing.clip.notes.length === 0" class="hint soft">
      No transients yet. They appear here as soon as the recording has been looked through; double-click adds
      one.
    </p>
  </div>
</template>

<style scoped>
.stage {
  position: relative;
  flex: 1;
  min-width: 0;
  min-height: 220px;
  overflow: hidden;
  touch-action: none;
  user-select: none;
}
.konva {
  position: absolute;
  inset: 0;
  pointer-events: none;
}
.head {
  position: absolute;
  top: 0;
  bottom: 0;
  left: 0;
  z-index: 1;
  width: 1px;
  background: var(--danger);
  opacity: 0.8;
  pointer-events: none;
}
/* A flag in the ruler: what the line stands on can be seen beside it. */
.head::before {
  position: absolute;
  top: 0;
  left: -4px;
  border: 4.5px solid transparent;
  border-top: 8px solid var(--danger);
  content: '';
}
.readout {
  position: absolute;
  top: 29px;
  z-index: 2;
  padding: 2px 8px;
  border: 1px solid var(--line);
  border-radius: 5px;
  background: var(--paper-raised);
  font-size: 12px;
  white-space: nowrap;
  pointer-events: none;
}
.readout span {
  color: var(--ink-soft);
}
.hint {
  position: absolute;
  left: 50%;
  bottom: 46%;
  transform: translateX(-50%);
  pointer-events: none;
}
</style>
