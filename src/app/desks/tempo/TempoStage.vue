<script setup lang="ts">
// The stage of the Tempo desk: choose a place on the waveform, a range on the ruler, draw on the curve.
import { useElementSize } from '@vueuse/core'
import { computed, ref, watch, watchPostEffect } from 'vue'
import { barAt, barOfBeat } from '../../../core/music/meter-map'
import { formatPosition, formatSeconds, toPosition } from '../../../core/music/position'
import { secondsToBeat } from '../../../core/music/tempo-map'
import { setTempoIn } from '../../../core/session/tempo-edits'
import { beatOf, tempoWith } from '../../stage/beat-words'
import { toSecond, toX } from '../../stage/axis'
import { useColors } from '../../stage/colors'
import { useMedia } from '../../stores/media'
import { useSession } from '../../stores/session'
import { useTempo } from '../../stores/tempo'
import { useTransport } from '../../stores/transport'
import { useView } from '../../stores/view'
import {
  barCurve,
  bpmAtY,
  layoutFor,
  paintTempo,
  scaleFor,
  type TempoPicture,
  type TempoScale,
} from './paint'
import { drawing, held, staying } from './choices'

const store = useSession()
const view = useView()
const media = useMedia()
const tempo = useTempo()
const transport = useTransport()
const colors = useColors()
const box = ref<HTMLElement>()
const canvas = ref<HTMLCanvasElement>()
const { width, height } = useElementSize(box)
const layout = computed(() => layoutFor(Math.max(200, height.value)))
/** While the curve is drawn on, its scale stays. */
const heldScale = ref<TempoScale | null>(null)
const scale = computed(
  () => heldScale.value ?? scaleFor(barCurve(tempo.counted, tempo.secondOf), view.shown!),
)

watch(width, (w) => w > 0 && view.resize(Math.max(100, w)))

const picture = computed<TempoPicture | null>(() => {
  const doc = view.shown
  if (!doc || width.value === 0) return null
  const found = tempo.focused && media.media.get(tempo.focused.recording.id)
  return {
    session: doc,
    wave:
      found && tempo.map
        ? {
            media: found,
            map: tempo.map,
            sampleRate: doc.sampleRate,
            scale: doc.sampleRate / tempo.rate,
            axis: view.axis,
            width: width.value,
          }
        : null,
    counted: tempo.counted,
    notes: tempo.notes,
    beat: beatOf(doc.meter[0]!),
    secondOf: tempo.secondOf,
    rate: tempo.rate,
    place: tempo.place,
    points: tempo.count.points.map((p) => p.source),
    range: view.rangeSeconds,
    axis: view.axis,
    width: width.value,
    layout: layout.value,
    scale: scale.value,
    colors: colors.value,
  }
})
watchPostEffect(() => {
  const el = canvas.value
  const p = picture.value
  if (!el || !p) return
  const ratio = window.devicePixelRatio || 1
  el.width = Math.round(width.value * ratio)
  el.height = Math.round(height.value * ratio)
  const g = el.getContext('2d')!
  g.scale(ratio, ratio)
  paintTempo(g, p)
})

const head = computed(() => ({ transform: `translateX(${toX(view.axis, transport.position)}px)` }))

type Zone = 'ruler' | 'wave' | 'curve'
const zoneOf = (y: number): Zone =>
  y < layout.value.ruler ? 'ruler' : y < layout.value.waveBottom ? 'wave' : 'curve'
const pointer = ref<{ x: number; y: number; zone: Zone } | null>(null)
let drag: { kind: 'range' | 'draw'; from: number; bar: number; stroke: number } | null = null
let strokes = 0

/** How near a click must come to an attack to mean it, pixels. */
const NEAR = 9

function pick(x: number): void {
  const at = tempo.sourceAt(toSecond(view.axis, x))
  tempo.place = tempo.snapped(at, NEAR * view.axis.perPixel)
  transport.seek(tempo.secondOf(tempo.place))
}

/** Gives the bar under the pointer the tempo at its height. */
function draw(x: number, y: number): void {
  const s = store.session!
  const bar = barOfBeat(s.meter, secondsToBeat(s.tempo, toSecond(view.axis, x)))
  if (!drag || bar.index < 0) return
  const bpm = Math.round(10 * bpmAtY(layout.value, scale.value, y)) / 10
  store.edit(
    'Draw tempo',
    (doc) =>
      setTempoIn(doc, bar.start, barAt(doc.meter, bar.index + 1).start, bpm, staying.value, held.value),
    `draw ${drag.stroke}`,
  )
}

function down(e: PointerEvent): void {
  if (e.button !== 0) return
  const zone = zoneOf(e.offsetY)
  box.value!.setPointerCapture(e.pointerId)
  if (zone === 'ruler' || e.shiftKey) drag = { kind: 'range', from: e.offsetX, bar: 0, stroke: 0 }
  else if (zone === 'curve' && drawing.value) {
    drag = { kind: 'draw', from: e.offsetX, bar: 0, stroke: ++strokes }
    heldScale.value = scale.value
    draw(e.offsetX, e.offsetY)
  } else if (zone === 'wave') pick(e.offsetX)
  else transport.seek(toSecond(view.axis, e.offsetX))
}
function move(e: PointerEvent): void {
  const r = box.value!.getBoundingClientRect()
  const [x, y] = [e.clientX - r.left, e.clientY - r.top]
  pointer.value = { x, y, zone: zoneOf(y) }
  if (drag?.kind === 'draw') draw(x, y)
  else if (drag && Math.abs(x - drag.from) > 3) {
    const s = store.session!
    const bars = [Math.min(x, drag.from), Math.max(x, drag.from)].map((v) =>
      barOfBeat(s.meter, secondsToBeat(s.tempo, toSecond(view.axis, v))),
    )
    view.range = { from: bars[0]!.start, to: barAt(s.meter, bars[1]!.index + 1).start }
  }
}
function up(e: PointerEvent): void {
  if (drag?.kind === 'range' && Math.abs(e.offsetX - drag.from) <= 3)
    transport.seek(toSecond(view.axis, e.offsetX))
  drag = null
  heldScale.value = null
}
function wheel(e: WheelEvent): void {
  e.preventDefault()
  if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY))
    view.scroll((e.deltaX || e.deltaY) * view.axis.perPixel)
  else view.zoom(Math.exp(e.deltaY * 0.0022), e.offsetX)
}

const readout = computed(() => {
  const p = pointer.value
  const s = view.shown
  if (!p || !s) return null
  const second = toSecond(view.axis, p.x)
  // In the ruler, on the side where the pointer is not.
  const left = `${p.x > width.value / 2 ? 8 : Math.max(8, width.value - 200)}px`
  const bar = formatPosition(toPosition(s.meter, secondsToBeat(s.tempo, second)))
  const words =
    p.zone === 'curve'
      ? tempoWith(s.meter[0]!, bpmAtY(layout.value, scale.value, p.y) / beatOf(s.meter[0]!).quarters)
      : formatSeconds(second)
  return { left, bar, words }
})
</script>

<template>
  <div
    ref="box"
    class="stage"
    data-test="tempo-stage"
    role="application"
    tabindex="0"
    aria-label="Waveform with its counted beats, and the tempo curve; known places and bars are listed in the inspector"
    :style="{ cursor: pointer?.zone === 'curve' && drawing ? 'crosshair' : 'default' }"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointerleave="pointer = null"
    @wheel="wheel"
  >
    <canvas ref="canvas" />
    <div class="head" :style="head" />
    <p v-if="readout" class="readout figures" :style="{ left: readout.left }">
      <b>{{ readout.bar }}</b> {{ readout.words }}
    </p>
    <p v-if="tempo.error" class="problem" role="alert" data-test="count-error">{{ tempo.error }}</p>
  </div>
</template>

<style scoped>
.stage {
  position: relative;
  flex: 1;
  min-height: 200px;
  overflow: hidden;
  touch-action: none;
  user-select: none;
}
canvas {
  display: block;
  width: 100%;
  height: 100%;
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
.problem {
  position: absolute;
  top: 90px;
  left: 20px;
  right: 20px;
  padding: 6px 10px;
  border: 1px solid var(--danger);
  border-radius: 6px;
  background: var(--paper-raised);
  color: var(--danger);
}
</style>
