// Edits of pins: moving notes, quantize, and taking either back.
import { produce, type Draft } from 'immer'
import { toTarget } from '../timing/time-map'
import { beatToSample, clipMap, type Pin, type PinOrigin } from '../timing/clip-map'
import { secondsToBeat } from '../music/tempo-map'
import { beats, type Beats, type Samples } from '../units'
import { findClip, linkedClips, mapContext, type Found } from './find'
import type { Clip, Session } from './types'

/** Where a recording place sounds now. */
export function placeOf(session: Session, found: Found, source: number): Beats {
  const c = mapContext(session, found.recording)
  const target = toTarget(clipMap(found.clip, c), (source * c.sampleRate) / c.recordingRate)
  return secondsToBeat(c.tempo, target / c.sampleRate)
}

/** Nearest that two pins may come, seconds of the session. */
const LEAST_APART = 0.002

/** Changes the pins of a clip and of the clips linked with it alike. */
function onPins(
  session: Session,
  clipId: string,
  change: (pins: readonly Pin[], clip: Clip) => readonly Pin[],
): Session {
  const main = findClip(session, clipId)
  if (!main) return session
  const pins = change(main.clip.pins, main.clip)
  const ids = new Set(linkedClips(session, clipId).map((c) => c.id))
  return produce(session, (s) => {
    for (const track of s.tracks)
      for (const clip of track.clips) if (ids.has(clip.id)) clip.pins = [...pins] as Draft<Pin>[]
  })
}

/** Pins in order with `fresh` put in, replacing pins at the same recording places. */
function merged(pins: readonly Pin[], fresh: readonly Pin[]): Pin[] {
  const replaced = new Set(fresh.map((p) => p.source as number))
  return [...pins.filter((p) => !replaced.has(p.source)), ...fresh].sort((a, b) => a.source - b.source)
}

/**
 * Moves one note: pins it at a place and holds its neighbours where they sound now.
 *
 * The place is kept between the held neighbours (or the clip's own ends), 2 ms away from either.
 *
 * @param source attack of the note, recording samples
 * @param place  where it shall sound
 * @param holds  attacks to hold: the edge of the reach on either side
 */
export function moveNote(
  session: Session,
  clipId: string,
  source: Samples,
  place: Beats,
  holds: readonly Samples[],
): Session {
  const found = findClip(session, clipId)
  if (!found) return session
  const { clip } = found
  const held = holds
    .filter((h) => h > clip.start && h < clip.end && h !== source)
    .filter((h) => !clip.pins.some((p) => p.source === h))
    .map((h): Pin => ({ source: h, place: placeOf(session, found, h), origin: 'hand' }))
  return onPins(session, clipId, (pins) => {
    const others = merged(pins, held).filter((p) => p.source !== source)
    return merged(others, [{ source, place: within(session, found, others, source, place), origin: 'hand' }])
  })
}

/** The nearest place to the wanted one that keeps the map rising. */
export function within(
  session: Session,
  found: Found,
  others: readonly Pin[],
  source: number,
  place: number,
): Beats {
  const { tempo, sampleRate } = mapContext(session, found.recording)
  const gap = (LEAST_APART * sampleRate) | 0
  const at = (b: number): number => beatToSample({ tempo, sampleRate, recordingRate: sampleRate }, b)
  const before = others.filter((p) => p.source < source).at(-1)
  const after = others.find((p) => p.source > source)
  const low = before ? at(before.place) : at(placeOf(session, found, found.clip.start))
  const high = after ? at(after.place) : at(placeOf(session, found, found.clip.end))
  const wanted = at(place)
  if (wanted >= low + gap && wanted <= high - gap) return beats(place)
  const kept = Math.max(low + gap, Math.min(high - gap, wanted))
  return secondsToBeat(tempo, kept / sampleRate)
}

/** One note's new place, as quantize and its kin propose it. */
export interface Placement {
  readonly source: Samples
  readonly to: Beats
}

/**
 * Pins many notes at once, replacing earlier pins of the same origin between the first and the last of them.
 * Pins of the person's own stay; a placement that would cross one is left out.
 *
 * @param moves in rising order
 * @param holds attacks outside the range to hold where they sound now, so that the edit ends there
 */
export function placeNotes(
  session: Session,
  clipId: string,
  moves: readonly Placement[],
  holds: readonly Samples[],
  origin: PinOrigin,
): Session {
  const found = findClip(session, clipId)
  const first = moves[0]
  const last = moves[moves.length - 1]
  if (!found || !first || !last) return session
  const { clip } = found
  const held = holds
    .filter((h) => h > clip.start && h < clip.end && !clip.pins.some((p) => p.source === h))
    .map((h): Pin => ({ source: h, place: placeOf(session, found, h), origin }))
  return onPins(session, clipId, (pins) => {
    const stays = pins.filter((p) => p.origin !== origin || p.source < first.source || p.source > last.source)
    const promised = new Set(stays.filter((p) => p.origin === 'hand').map((p) => p.source as number))
    const fresh = moves
      .filter((m) => m.source > clip.start && m.source < clip.end && !promised.has(m.source))
      .map((m): Pin => ({ source: m.source, place: m.to, origin }))
    return risingPins(session, found, merged(merged(stays, held), fresh))
  })
}

/** Leaves out pins that would not rise against their neighbours or the clip's held edges; hand pins win. */
function risingPins(session: Session, found: Found, pins: readonly Pin[]): Pin[] {
  const c = mapContext(session, found.recording)
  const gap = (LEAST_APART * c.sampleRate) | 0
  const out: Pin[] = []
  const bare = { ...found.clip, pins: [] }
  const ends = clipMap(bare, c)
  for (const p of pins) {
    const at = beatToSample(c, p.place)
    if (p.origin === 'hand')
      while (out.length > 0 && beatToSample(c, out[out.length - 1]!.place) > at - gap) out.pop()
    const before = out[out.length - 1]
    const low = before ? beatToSample(c, before.place) : ends[0]!.target
    if (at >= low + gap && at <= ends[ends.length - 1]!.target - gap) out.push(p)
  }
  return out
}

/** Range of recording places; undefined means all. */
export interface SourceRange {
  readonly from: number
  readonly to: number
}

/** Takes back pins by kind and range. */
export function resetPins(
  session: Session,
  clipId: string,
  origins: readonly PinOrigin[],
  range?: SourceRange,
): Session {
  return onPins(session, clipId, (pins) =>
    pins.filter(
      (p) => !origins.includes(p.origin) || (range && (p.source < range.from || p.source > range.to)),
    ),
  )
}

/** Takes back the pin of one note, if it has one. */
export const removePin = (session: Session, clipId: string, source: number): Session =>
  onPins(session, clipId, (pins) => pins.filter((p) => p.source !== source))
