// The notes of a clip as the Timing desk shows them: ticks with where they sounded and where they sound.
import type { Tick } from '../../../core/analysis/select'
import { nearDoubles, ticksOf } from '../../../core/analysis/select'
import type { Transient } from '../../../core/analysis/transients'
import { nearestLine, type Grid } from '../../../core/music/grid'
import { beatToSeconds, secondsToBeat } from '../../../core/music/tempo-map'
import { mapOf } from '../../../core/render/plan'
import { findClip } from '../../../core/session/find'
import type { Session } from '../../../core/session/types'
import { toTarget, type TimeMap } from '../../../core/timing/time-map'
import type { PinOrigin } from '../../../core/timing/clip-map'
import type { Beats } from '../../../core/units'

/** A tick with its places in the session. */
export interface Note {
  readonly tick: Tick
  /** Seconds of the session: as played, and as placed. */
  readonly played: number
  readonly placed: number
  /** Kind of the pin that holds it, if any. */
  readonly pin: PinOrigin | null
  /** Several attacks heard as one note, or another note so near that one of the two may be wrong. */
  readonly nearDouble: boolean
  /** Seconds of the session at which its later attacks were played. */
  readonly later: readonly number[]
}

/** One clip made ready for drawing and dragging. */
export interface ClipView {
  readonly clipId: string
  /** Maps in session samples, as played and as placed. */
  readonly played: TimeMap
  readonly placed: TimeMap
  readonly sampleRate: number
  /** Session samples for one recording sample. */
  readonly scale: number
  readonly notes: readonly Note[]
}

/** Seconds of the session at which a recording sample sounds. */
export const placeSecond = (v: ClipView, map: TimeMap, source: number): number =>
  toTarget(map, source * v.scale) / v.sampleRate

/** The clip with its notes; notes outside the clip's range are left out. */
export function clipView(
  session: Session,
  clipId: string,
  candidates: readonly Transient[],
): ClipView | null {
  const found = findClip(session, clipId)
  if (!found) return null
  const { clip, recording } = found
  const played = mapOf(session, clip, recording, true)
  const placed = mapOf(session, clip, recording)
  const { sampleRate } = session
  const scale = sampleRate / recording.sampleRate
  const pins = new Map(clip.pins.map((p) => [p.source as number, p.origin]))
  const ticks = ticksOf(candidates, clip.transients, recording.sampleRate).filter(
    (t) => t.at >= clip.start && t.at < clip.end,
  )
  const doubles = new Set<number>(nearDoubles(ticks, recording.sampleRate))
  const second = (map: TimeMap, at: number): number => toTarget(map, at * scale) / sampleRate
  const notes = ticks.map((tick): Note => ({
    tick,
    played: second(played, tick.at),
    placed: second(placed, tick.at),
    pin: pins.get(tick.at) ?? null,
    nearDouble: doubles.has(tick.id),
    later: (tick.parts ?? []).map((at) => second(played, at)),
  }))
  return { clipId, played, placed, sampleRate, scale, notes }
}

/** Index of the unmuted or muted note nearest to a second, by its played or placed place; -1 beyond `within`. */
export function nearestNote(
  notes: readonly Note[],
  second: number,
  where: 'played' | 'placed',
  within: number,
): number {
  let best = -1
  let distance = within
  notes.forEach((n, i) => {
    const d = Math.abs(n[where] - second)
    if (d <= distance) {
      best = i
      distance = d
    }
  })
  return best
}

/** The nearest grid line to a second, and how far the second is past it in ms. */
export function gridDeviation(session: Session, grid: Grid, second: number): { line: Beats; ms: number } {
  const line = nearestLine(session.meter, grid, secondsToBeat(session.tempo, second))
  return { line, ms: 1000 * (second - beatToSeconds(session.tempo, line)) }
}
