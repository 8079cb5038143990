// The Timing desk's state: the focused clip's notes, the quantize preview, and moves of the selected note.
import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowReactive, watch } from 'vue'
import { nearestZeroCrossing } from '../../core/analysis/select'
import { nearestLine } from '../../core/music/grid'
import { beatToSeconds, secondsToBeat } from '../../core/music/tempo-map'
import { mapOf } from '../../core/render/plan'
import { findClip } from '../../core/session/find'
import { moveNote, placeNotes, type SourceRange } from '../../core/session/pin-edits'
import { addTick } from '../../core/session/tick-edits'
import type { Session } from '../../core/session/types'
import { proposeQuantize, summarize, type Move } from '../../core/timing/quantize'
import { toSource, type TimeMap } from '../../core/timing/time-map'
import { beats, samples, type Beats, type Samples } from '../../core/units'
import { clipView, type ClipView, type Note } from '../desks/timing/notes'
import { holdsOf, reachOf, type Reach } from '../desks/timing/reach'
import { useMedia } from './media'
import { useSession } from './session'
import { useView } from './view'

export interface QuantizeChoice {
  strength: number
  /** ms */
  leaveAlone: number
  /** ms; 0 for no limit. */
  largestMove: number
}

/** How far a new tick may be moved to a zero crossing, seconds. */
const CROSSING_REACH = 0.003

export const useTiming = defineStore('timing', () => {
  const store = useSession()
  const media = useMedia()
  const view = useView()
  const previewing = ref(false)
  const choice = useLocalStorage<QuantizeChoice>('unwarp.quantize', {
    strength: 100,
    leaveAlone: 0,
    largestMove: 0,
  })
  /** Lines chosen by hand for notes that could go either way, by attack. */
  const chosen = shallowReactive(new Map<number, number | null>())

  const candidatesOf = (s: Session, clipId: string) =>
    media.transients.get(findClip(s, clipId)?.recording.id ?? '') ?? []

  /** The focused clip as it is drawn, with what is being dragged. */
  const clip = computed<ClipView | null>(() => {
    const s = view.shown
    return s && view.clip ? clipView(s, view.clip.id, candidatesOf(s, view.clip.id)) : null
  })
  /** The focused clip as it is in the document. */
  const settled = computed<ClipView | null>(() => {
    const s = store.session
    return s && view.clip ? clipView(s, view.clip.id, candidatesOf(s, view.clip.id)) : null
  })
  const active = computed(() => settled.value?.notes.filter((n) => !n.tick.muted) ?? [])
  const selectedNote = computed<Note | null>(
    () => clip.value?.notes.find((n) => n.tick.id === view.selected) ?? null,
  )

  /** Recording sample that sounds at a second of the session under one of the clip's maps. */
  const sourceAt = (v: ClipView, map: TimeMap, second: number): Samples =>
    samples(toSource(map, second * v.sampleRate) / v.scale)

  /** The selected range as recording places of the focused clip. */
  const sourceRange = computed<{ from: Samples; to: Samples } | null>(() => {
    const r = view.rangeSeconds
    const v = settled.value
    return r && v ? { from: sourceAt(v, v.placed, r.from), to: sourceAt(v, v.placed, r.to) } : null
  })

  /** What moving the note at a recording place would bend. */
  function reach(source: number): Reach {
    const notes = active.value.map((n) => n.tick.at)
    const pins = view.clip?.pins.map((p) => p.source) ?? []
    return reachOf(view.reach, source, notes, pins, sourceRange.value)
  }

  /** The document with a note at a place. */
  const moved = (s: Session, source: Samples, place: Beats): Session =>
    moveNote(s, view.clip!.id, source, place, holdsOf(reach(source)))

  /** Moves the selected note to a beat. */
  function place(beat: number, label = 'Move note'): void {
    const note = selectedNote.value
    if (!note || note.tick.muted) return
    store.edit(label, (s) => moved(s, note.tick.at, beats(beat)))
  }

  /** Moves the selected note by milliseconds. */
  function nudge(ms: number): void {
    const s = store.session
    const note = selectedNote.value
    if (s && note) place(secondsToBeat(s.tempo, note.placed + ms / 1000), 'Nudge note')
  }

  /** Puts the selected note on its nearest grid line. */
  function toGrid(): void {
    const s = store.session
    const note = selectedNote.value
    if (s && note)
      place(nearestLine(s.meter, view.grid, secondsToBeat(s.tempo, note.placed)), 'Put note on the grid')
  }

  /** Adds a tick at the zero crossing nearest to a second, as played or as placed; selects it. */
  function add(second: number, where: 'played' | 'placed'): void {
    const v = settled.value
    const c = view.clip
    const found = c && store.session ? findClip(store.session, c.id) : undefined
    const audio = c ? media.media.get(c.recording)?.audio : undefined
    if (!v || !c || !found || !audio) return
    const at = sourceAt(v, v[where], second)
    if (at < c.start || at >= c.end) return
    const crossing = nearestZeroCrossing(audio.channels, at, Math.round(CROSSING_REACH * audio.sampleRate))
    if (store.edit('Add transient', (s) => addTick(s, c.id, crossing))) view.selected = crossing
  }

  // --- quantize ---------------------------------------------------------------------------------------------

  /** Notes that quantize looks at: those in the selected range, or all. */
  const scope = computed(() => {
    const r = view.rangeSeconds
    return r ? active.value.filter((n) => n.placed >= r.from - 1e-6 && n.placed < r.to - 1e-6) : active.value
  })

  const moves = computed<Move[]>(() => {
    const s = store.session
    const found = s && view.clip ? findClip(s, view.clip.id) : undefined
    const first = scope.value[0]
    const last = scope.value[scope.value.length - 1]
    if (!s || !found || !first || !last) return []
    const pins = found.clip.pins.filter(
      (p) => p.origin !== 'quantize' || p.source < first.tick.at || p.source > last.tick.at,
    )
    const notes = scope.value.map((n) => {
      const line = chosen.get(n.tick.at)
      return { source: n.tick.at, held: n.pin === 'hand', ...(line === undefined ? {} : { choice: line }) }
    })
    const { strength, leaveAlone, largestMove } = choice.value
    return proposeQuantize(
      notes,
      { grid: view.grid, strength, leaveAlone, largestMove: largestMove > 0 ? largestMove : Infinity },
      {
        tempo: s.tempo,
        meter: s.meter,
        sampleRate: s.sampleRate,
        recordingRate: found.recording.sampleRate,
        map: mapOf(s, { ...found.clip, pins }, found.recording),
      },
    )
  })
  /** Counts of what applying would change, from where the notes sound now. */
  const summary = computed(() => {
    const s = store.session
    const placed = new Map(scope.value.map((n) => [n.tick.at as number, n.placed]))
    return summarize(
      moves.value.map((m) => ({
        ...m,
        moved: s ? 1000 * (beatToSeconds(s.tempo, m.to) - placed.get(m.source)!) : 0,
      })),
    )
  })
  const open = computed(() => moves.value.filter((m) => m.rival !== undefined || chosen.has(m.source)))

  /** Sends a note that could go either way to the earlier or later of its two lines. */
  function send(m: Move, direction: 'earlier' | 'later'): void {
    const s = store.session
    if (!s) return
    const lines = [m.line, m.rival].filter((l): l is Beats => typeof l === 'number')
    const at = m.line ?? m.from
    const step = nearestLine(s.meter, view.grid, at + (direction === 'later' ? 1 : -1) * lineStep())
    const wanted = direction === 'later' ? Math.max(...lines, -Infinity) : Math.min(...lines, Infinity)
    chosen.set(m.source, Number.isFinite(wanted) && wanted !== m.line ? wanted : step)
  }
  const lineStep = (): number =>
    (4 / view.grid.division) * { straight: 1, triplet: 2 / 3, dotted: 1.5 }[view.grid.kind]

  function quantize(): void {
    const c = view.clip
    if (!c || moves.value.length === 0) return
    const outside = active.value.map((n) => n.tick.at)
    const [first, last] = [moves.value[0]!.source, moves.value[moves.value.length - 1]!.source]
    const holds = [outside.filter((a) => a < first).at(-1), outside.find((a) => a > last)].filter(
      (a): a is Samples => a !== undefined,
    )
    const { moving } = summary.value
    store.edit(`Quantize ${moving} ${moving === 1 ? 'note' : 'notes'}`, (s) =>
      placeNotes(s, c.id, moves.value, holds, 'quantize'),
    )
    chosen.clear()
    previewing.value = false
  }

  /** The range whose pins a reset concerns; undefined for all. */
  const resetRange = computed<SourceRange | undefined>(() => sourceRange.value ?? undefined)

  watch([() => view.clip?.id, () => view.grid], () => chosen.clear())

  return {
    previewing,
    choice,
    chosen,
    clip,
    settled,
    active,
    selectedNote,
    sourceAt,
    sourceRange,
    reach,
    moved,
    place,
    nudge,
    toGrid,
    add,
    scope,
    moves,
    summary,
    open,
    send,
    quantize,
    resetRange,
  }
})
