// Length of clips: fitted to the grid, trimmed.
import { InputError } from '../errors'
import { beatToSeconds, secondsToBeat } from '../music/tempo-map'
import type { KnownBeat } from '../timing/clip-map'
import { beats, samples, type Beats } from '../units'
import { findClip, linkedClips, onClips, soundingSeconds } from './find'
import type { Session } from './types'

/** Length of a clip as it sounds, quarter notes. */
export function lengthInBeats(session: Session, clipId: string): Beats {
  const { clip } = findClip(session, clipId)!
  const seconds = soundingSeconds(session, clipId)
  return beats(
    secondsToBeat(session.tempo, seconds(clip.end)) - secondsToBeat(session.tempo, seconds(clip.start)),
  )
}

/** Least and greatest stretch that fitting may ask for. */
export const FIT_RATIO = { min: 0.25, max: 4 } as const

/**
 * Fits a clip to a length on the grid: it is stretched evenly to it and follows the tempo from then on. A clip that
 * follows already keeps its own beats, drawn out or together.
 *
 * @param length quarter notes
 * @throws InputError when it would be stretched to less than a quarter or more than four times its length
 */
export function fitToLength(session: Session, clipId: string, length: number): Session {
  const found = findClip(session, clipId)
  if (!found) return session
  const now = lengthInBeats(session, clipId)
  const from = beatToSeconds(session.tempo, found.clip.place)
  const ratio =
    (beatToSeconds(session.tempo, found.clip.place + length) - from) /
    ((found.clip.end - found.clip.start) / found.recording.sampleRate)
  if (!(length > 0) || ratio < FIT_RATIO.min || ratio > FIT_RATIO.max)
    throw new InputError(
      `That would make the clip ${ratio.toFixed(2)} times as long as it was played; between ${FIT_RATIO.min} and ${FIT_RATIO.max} times is possible.`,
    )
  const ids = new Set(linkedClips(session, clipId).map((c) => c.id))
  return onClips(session, ids, (c) => {
    const known: readonly KnownBeat[] =
      c.base.kind === 'beats'
        ? c.base.beats.map((b) => ({ ...b, beat: beats((b.beat * length) / now) }))
        : [
            { source: c.start, beat: beats(0) },
            { source: c.end, beat: beats(length) },
          ]
    return { ...c, base: { kind: 'beats', beats: known }, pins: [] }
  })
}

/** Cuts a clip's end off at a place of the recording. @throws InputError when nothing would be left */
export function trimEnd(session: Session, clipId: string, source: number): Session {
  const found = findClip(session, clipId)
  if (!found) return session
  const end = samples(Math.min(source, found.recording.length))
  if (end <= found.clip.start) throw new InputError('Nothing of the clip would be left; choose a later end.')
  const ids = new Set(linkedClips(session, clipId).map((c) => c.id))
  return onClips(session, ids, (c) => ({ ...c, end, pins: c.pins.filter((p) => p.source < end) }))
}
