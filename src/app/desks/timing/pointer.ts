// What the pointer does on the Timing desk's stage: hover, select, drag notes and ticks, ranges, zoom and scroll.
import { computed, ref, shallowRef, type Ref } from 'vue'
import { nearestLine } from '../../../core/music/grid'
import { beatToSeconds, secondsToBeat } from '../../../core/music/tempo-map'
import { moveTick } from '../../../core/session/tick-edits'
import { beats, samples, type Beats, type Samples } from '../../../core/units'
import { toSecond } from '../../stage/axis'
import { useSession } from '../../stores/session'
import { useTiming } from '../../stores/timing'
import { useTransport } from '../../stores/transport'
import { useView } from '../../stores/view'
import { nearestNote } from './notes'
import type { Layout } from './layout'

/** How near the pointer must come to a note, pixels, and how far it must move to be a drag. */
const NEAR = 7
const DRAG = 3

type Zone = 'ruler' | 'played' | 'ties' | 'placed'

/** A note (its sound) or a tick (its detection) being dragged. */
interface NoteDrag {
  readonly kind: 'note' | 'tick'
  readonly id: Samples
  readonly source: Samples
  /** Seconds from the note to where it was grabbed. */
  readonly grab: number
  moved: boolean
  place: Beats
  to: Samples
}
interface RangeDrag {
  readonly kind: 'range'
  readonly from: number
  moved: boolean
}
type Drag = NoteDrag | RangeDrag

export function usePointer(layout: Ref<Layout>) {
  const store = useSession()
  const view = useView()
  const timing = useTiming()
  const transport = useTransport()
  const hovered = ref<Samples | null>(null)
  /** Second and zone under the pointer; null when it is elsewhere. */
  const pointer = shallowRef<{ second: number; zone: Zone; x: number } | null>(null)
  const drag = shallowRef<Drag | null>(null)
  let downX = 0

  function zoneOf(y: number): Zone {
    const l = layout.value
    return y < l.ruler.bottom
      ? 'ruler'
      : y < l.played.bottom
        ? 'played'
        : y < l.ties.bottom
          ? 'ties'
          : 'placed'
  }

  function noteAt(second: number, zone: Zone): number {
    const notes = timing.clip?.notes ?? []
    if (zone === 'ruler') return -1
    return nearestNote(notes, second, zone === 'played' ? 'played' : 'placed', NEAR * view.axis.perPixel)
  }

  const snapped = (second: number): number => {
    const s = store.session!
    if (!view.snap) return second
    return beatToSeconds(s.tempo, nearestLine(s.meter, view.grid, secondsToBeat(s.tempo, second)))
  }

  function down(e: PointerEvent): void {
    if (e.button !== 0 || !store.session) return
    const [x, second, zone] = [e.offsetX, toSecond(view.axis, e.offsetX), zoneOf(e.offsetY)]
    downX = x
    const index = noteAt(second, zone)
    const note = timing.clip?.notes[index]
    ;(e.currentTarget as HTMLElement).setPointerCapture(e.pointerId)
    if (note && (zone === 'played' || (zone === 'placed' && !note.tick.muted))) {
      view.selected = note.tick.id
      const kind = zone === 'played' ? 'tick' : 'note'
      const grab = second - (kind === 'tick' ? note.played : note.placed)
      drag.value = {
        kind,
        id: note.tick.id,
        source: note.tick.at,
        grab,
        moved: false,
        place: beats(0),
        to: note.tick.at,
      }
    } else {
      if (note) view.selected = note.tick.id
      drag.value = { kind: 'range', from: second, moved: false }
    }
  }

  function dragNote(d: NoteDrag, second: number, free: boolean): void {
    const s = store.session!
    const at = secondsToBeat(s.tempo, second - d.grab)
    d.place = view.snap && !free ? nearestLine(s.meter, view.grid, at) : at
    view.draft = timing.moved(s, d.source, d.place)
  }

  function dragTick(d: NoteDrag, second: number): void {
    const v = timing.settled
    const c = view.clip
    if (!v || !c) return
    const at = timing.sourceAt(v, v.played, second - d.grab)
    d.to = samples(Math.max(c.start, Math.min(c.end - 1, at)))
    view.draft = moveTick(store.session!, c.id, d.id, d.to)
  }

  function move(e: PointerEvent): void {
    const x = e.offsetX
    const second = toSecond(view.axis, x)
    const zone = zoneOf(e.offsetY)
    pointer.value = { second, zone, x }
    const d = drag.value
    if (!d) {
      const note = timing.clip?.notes[noteAt(second, zone)]
      hovered.value = note?.tick.id ?? null
      return
    }
    if (!d.moved && Math.abs(x - downX) < DRAG) return
    d.moved = true
    if (d.kind === 'note') dragNote(d, second, e.shiftKey)
    else if (d.kind === 'tick') dragTick(d, second)
    else if (d.kind === 'range') {
      const s = store.session!
      const [a, b] = [snapped(Math.min(d.from, second)), snapped(Math.max(d.from, second))]
      if (b > a) view.range = { from: secondsToBeat(s.tempo, a), to: secondsToBeat(s.tempo, b) }
    }
  }

  function up(e: PointerEvent): void {
    const d = drag.value
    drag.value = null
    if (!d || !store.session) return
    view.draft = null
    const c = view.clip
    if (d.kind === 'range') {
      if (d.moved) return
      const second = toSecond(view.axis, e.offsetX)
      if (noteAt(second, zoneOf(e.offsetY)) < 0) view.selected = null
      transport.seek(second)
      return
    }
    if (!d.moved || !c) return
    if (d.kind === 'note') store.edit('Move note', (s) => timing.moved(s, d.source, d.place))
    else store.edit('Correct transient', (s) => moveTick(s, c.id, d.id, d.to))
  }

  /** Lets go of what is being dragged without changing anything. */
  function cancel(): void {
    drag.value = null
    view.draft = null
  }

  function leave(): void {
    if (drag.value) return
    pointer.value = null
    hovered.value = null
  }

  function doubleClick(e: MouseEvent): void {
    const zone = zoneOf(e.offsetY)
    const second = toSecond(view.axis, e.offsetX)
    if ((zone === 'played' || zone === 'placed') && noteAt(second, zone) < 0) timing.add(second, zone)
  }

  function wheel(e: WheelEvent): void {
    e.preventDefault()
    const unit = e.deltaMode === 1 ? 16 : 1
    const sideways = e.shiftKey && e.deltaX === 0 ? e.deltaY : e.deltaX
    if (!e.ctrlKey && (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)))
      view.scroll(sideways * unit * view.axis.perPixel)
    else view.zoom(Math.exp(e.deltaY * unit * (e.ctrlKey ? 0.01 : 0.0022)), e.offsetX)
  }

  /** What would be bent: of the note being dragged, else of the hovered one in As placed. */
  const reach = computed(() => {
    const d = drag.value
    if (d?.kind === 'note') return timing.reach(d.source)
    if (d || pointer.value?.zone !== 'placed' || hovered.value === null) return null
    const note = timing.clip?.notes.find((n) => n.tick.id === hovered.value)
    return note && !note.tick.muted ? timing.reach(note.tick.at) : null
  })

  return { hovered, pointer, drag, reach, down, move, up, cancel, leave, doubleClick, wheel }
}
