// Derives a clip's time map from its base, its pins and its edges.
import { beatToSeconds, type TempoMap } from '../music/tempo-map'
import { lastAtOrBelow } from '../search'
import { beats, type Beats, type Samples } from '../units'
import type { Knot, TimeMap } from './time-map'

export type PinOrigin = 'hand' | 'quantize' | 'conform' | 'align'

/** A promise that one moment of the recording sounds at one place in time. */
export interface Pin {
  readonly source: Samples
  readonly place: Beats
  readonly origin: PinOrigin
}

/** One beat of a recording, counted on the clip's own beat line. */
export interface KnownBeat {
  readonly source: Samples
  readonly beat: Beats
}

/** How a clip runs before any pin: at its own speed, or with its beats on the session's beats. */
export type Base =
  | { readonly kind: 'speed' }
  | { readonly kind: 'beats'; readonly beats: readonly KnownBeat[] }

/** What the time map is derived from. */
export interface ClipTiming {
  /** Range of the recording that sounds, in the recording's own samples. */
  readonly start: Samples
  readonly end: Samples
  /** Where `start` sounds. */
  readonly place: Beats
  readonly base: Base
  /** Rising in source and in place. */
  readonly pins: readonly Pin[]
  /** Edges that act as pins. */
  readonly heldEdges: { readonly start: boolean; readonly end: boolean }
}

/** Rates and tempo a map is derived under. */
export interface MapContext {
  readonly tempo: TempoMap
  /** Session rate, Hz: the unit of the map on both sides. */
  readonly sampleRate: number
  /** The recording's own rate, Hz. */
  readonly recordingRate: number
}

/** Session sample at which a beat falls, to the nearest sample. */
export const beatToSample = (c: MapContext, beat: number): number =>
  Math.round(beatToSeconds(c.tempo, beat) * c.sampleRate)

/** Where the base alone puts recording places: session samples. */
function baseOf(clip: ClipTiming, c: MapContext): (source: number) => number {
  if (clip.base.kind === 'speed' || clip.base.beats.length < 2) {
    const start = beatToSeconds(c.tempo, clip.place) * c.sampleRate
    return (source) => start + ((source - clip.start) / c.recordingRate) * c.sampleRate
  }
  const known = clip.base.beats
  const beatAt = (s: number): number => {
    const i = Math.min(
      known.length - 2,
      Math.max(
        0,
        lastAtOrBelow(known.length, (k) => known[k]!.source, s),
      ),
    )
    const [a, b] = [known[i]!, known[i + 1]!]
    return a.beat + ((s - a.source) * (b.beat - a.beat)) / (b.source - a.source)
  }
  const first = beatAt(clip.start)
  return (source) => beatToSeconds(c.tempo, beats(clip.place + beatAt(source) - first)) * c.sampleRate
}

/** Recording places at which the base itself bends. */
function baseBends(clip: ClipTiming): number[] {
  if (clip.base.kind === 'speed') return []
  return clip.base.beats.map((b) => b.source).filter((s) => s > clip.start && s < clip.end)
}

/**
 * The clip's time map, in session samples on both sides (a recording at another rate is resampled first).
 *
 * Between two pins the base is bent linearly; held edges act as pins. An edge that would no longer rise against
 * the pins beside it (after a tempo change, say) gives way and runs at the base's speed from the nearest pin.
 *
 * @returns at least two knots, strictly rising, exact at every pin
 */
export function clipMap(clip: ClipTiming, c: MapContext): TimeMap {
  const scale = c.sampleRate / c.recordingRate
  const base = baseOf(clip, c)
  const first = clip.start
  const last = clip.end
  // Anchors: where base and result are known to agree with a promise; between them the base is bent.
  const anchors = clip.pins
    .filter((p) => p.source >= first && p.source <= last)
    .map((p) => ({ source: p.source as number, target: beatToSample(c, p.place) }))
  // Edges are not rounded: half a sample at the end would bend all that lies before it.
  const edge = (source: number): { source: number; target: number } => ({ source, target: base(source) })
  const start = edge(first)
  const end = edge(last)
  const lowest = anchors[0]
  const highest = anchors[anchors.length - 1]
  if (clip.heldEdges.start && (!lowest || (lowest.source > first && lowest.target > start.target)))
    anchors.unshift(start)
  if (clip.heldEdges.end && (!highest || (highest.source < last && highest.target < end.target)))
    anchors.push(end)
  if (anchors.length === 0) anchors.push(start)

  const places = [...new Set([first, ...baseBends(clip), ...anchors.map((a) => a.source), last])].sort(
    (a, b) => a - b,
  )
  const based = anchors.map((a) => base(a.source))
  const knots: Knot[] = []
  for (const source of places) {
    const i = lastAtOrBelow(anchors.length, (k) => anchors[k]!.source, source)
    const n = Math.max(0, i)
    const [a, b] = [anchors[n]!, anchors[i + 1]]
    let target: number
    if (a.source === source) target = a.target
    else if (a.target === based[n] && (!b || b.target === based[n + 1])) target = base(source)
    else if (i < 0 || !b) target = a.target + base(source) - based[n]!
    else
      target = a.target + ((base(source) - based[n]!) * (b.target - a.target)) / (based[n + 1]! - based[n]!)
    const knot = { source: Math.round(source * scale), target: Math.round(target) }
    const before = knots[knots.length - 1]
    if (!before || (knot.source > before.source && knot.target > before.target)) knots.push(knot)
  }
  if (knots.length < 2) knots.push({ source: knots[0]!.source + 1, target: knots[0]!.target + 1 })
  return knots
}
