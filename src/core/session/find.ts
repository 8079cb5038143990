// Looking things up in a session.
import { clipMap, type MapContext } from '../timing/clip-map'
import { toTarget } from '../timing/time-map'
import type { Clip, Recording, Session, Track } from './types'

export interface Found {
  readonly track: Track
  readonly clip: Clip
  readonly recording: Recording
}

/** A clip with its track and recording, or undefined. */
export function findClip(session: Session, clipId: string): Found | undefined {
  for (const track of session.tracks)
    for (const clip of track.clips)
      if (clip.id === clipId) {
        const recording = session.recordings.find((r) => r.id === clip.recording)
        return recording && { track, clip, recording }
      }
  return undefined
}

/** The rates and tempo a clip's map is derived under. */
export const mapContext = (session: Session, recording: Recording): MapContext => ({
  tempo: session.tempo,
  sampleRate: session.sampleRate,
  recordingRate: recording.sampleRate,
})

/** Clips of the tracks linked with a clip's track that run beside it, itself first. */
export function linkedClips(session: Session, clipId: string): Clip[] {
  const found = findClip(session, clipId)
  if (!found) return []
  const { track, clip } = found
  if (track.linkGroup === null) return [clip]
  const beside = session.tracks
    .filter((t) => t.linkGroup === track.linkGroup && t !== track)
    .flatMap((t) => t.clips)
    .filter((c) => c.place === clip.place && c.start === clip.start)
  return [clip, ...beside]
}

/** Tracks that are heard: solo wins over mute. */
export function audibleTracks(session: Session): Track[] {
  const solo = session.tracks.some((t) => t.solo)
  return session.tracks.filter((t) => (solo ? t.solo : !t.mute))
}

/** Changes clips by id. */
export function onClips(session: Session, ids: ReadonlySet<string>, change: (c: Clip) => Clip): Session {
  return {
    ...session,
    tracks: session.tracks.map((t) =>
      t.clips.some((c) => ids.has(c.id))
        ? { ...t, clips: t.clips.map((c) => (ids.has(c.id) ? change(c) : c)) }
        : t,
    ),
  }
}

/** Seconds of the session at which beats of a counted clip sound. */
export function soundingSeconds(session: Session, clipId: string): (source: number) => number {
  const { clip, recording } = findClip(session, clipId)!
  const c = mapContext(session, recording)
  const map = clipMap(clip, c)
  return (source) => toTarget(map, (source * c.sampleRate) / c.recordingRate) / c.sampleRate
}
