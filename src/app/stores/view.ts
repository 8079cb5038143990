// What is looked at: zoom and scroll, focused track, selection, grid, reach; the draft while something is dragged.
import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import type { Grid } from '../../core/music/grid'
import { beatToSeconds } from '../../core/music/tempo-map'
import { mapOf } from '../../core/render/plan'
import { findClip } from '../../core/session/find'
import type { Session } from '../../core/session/types'
import type { Beats, Samples } from '../../core/units'
import { clampAxis, fitAxis, zoomAxis, type Axis, type Extent } from '../stage/axis'
import type { ReachKind } from '../desks/timing/reach'
import { useSession } from './session'

/** A range of the time line, quarter notes. */
export interface BeatRange {
  readonly from: Beats
  readonly to: Beats
}

export const useView = defineStore('view', () => {
  const store = useSession()
  const axis = shallowRef<Axis>({ start: 0, perPixel: 0.02 })
  const width = ref(900)
  const focusedTrack = ref<string | null>(null)
  const range = shallowRef<BeatRange | null>(null)
  const selected = ref<Samples | null>(null)
  const grid = useLocalStorage<Grid>('unwarp.grid', { division: 8, kind: 'straight', swing: 0 })
  const snap = useLocalStorage('unwarp.snap', true)
  const follow = useLocalStorage('unwarp.follow', true)
  const reach = ref<ReachKind>('neighbours')
  const draft = shallowRef<Session | null>(null)

  /** The session as it is to be drawn: with what is being dragged. */
  const shown = computed(() => draft.value ?? store.session)
  const track = computed(() => {
    const tracks = shown.value?.tracks ?? []
    return tracks.find((t) => t.id === focusedTrack.value) ?? tracks[0] ?? null
  })
  const clip = computed(() => track.value?.clips[0] ?? null)

  /** From the first sound to the last, seconds. */
  const extent = computed<Extent>(() => {
    const s = store.session
    if (!s || s.tracks.length === 0) return { from: 0, to: 10 }
    const ends = s.tracks.flatMap((t) =>
      t.clips.map((c) => {
        const map = mapOf(s, c, findClip(s, c.id)!.recording)
        return [map[0]!.target / s.sampleRate, map[map.length - 1]!.target / s.sampleRate] as const
      }),
    )
    return { from: Math.min(0, ...ends.map((e) => e[0])), to: Math.max(1, ...ends.map((e) => e[1])) }
  })

  const rangeSeconds = computed(() => {
    const s = store.session
    const r = range.value
    return s && r ? { from: beatToSeconds(s.tempo, r.from), to: beatToSeconds(s.tempo, r.to) } : null
  })

  /** Takes the stage's width: what showed the whole goes on doing so. */
  function resize(now: number): void {
    const before = fitAxis(extent.value, width.value)
    const whole = Math.abs(axis.value.perPixel / before.perPixel - 1) < 1e-6
    if (now === width.value) return
    width.value = now
    if (whole) fit()
    else set(axis.value)
  }
  function set(next: Axis): void {
    axis.value = clampAxis(next, width.value, extent.value)
  }
  const zoom = (factor: number, x = width.value / 2): void => set(zoomAxis(axis.value, factor, x))
  const scroll = (seconds: number): void => set({ ...axis.value, start: axis.value.start + seconds })
  const fit = (): void => set(fitAxis(extent.value, width.value))
  const fitRange = (): void => set(fitAxis(rangeSeconds.value ?? extent.value, width.value))

  watch(track, (now, before) => {
    if (now?.id !== before?.id) selected.value = null
  })

  return {
    axis,
    width,
    focusedTrack,
    range,
    rangeSeconds,
    selected,
    grid,
    snap,
    follow,
    reach,
    draft,
    shown,
    track,
    clip,
    extent,
    set,
    resize,
    zoom,
    scroll,
    fit,
    fitRange,
  }
})
