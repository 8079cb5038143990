// Edits of the session as a whole and of its tracks: pure functions (session, arguments) → session.
import { produce, type Draft } from 'immer'
import { GRAIN_SIZE } from '../stretch/types'
import { InputError } from '../errors'
import { constantMeter, countedAsWritten } from '../music/meter-map'
import { constantTempo } from '../music/tempo-map'
import { linkedClips, onClips } from './find'
import { bpmSchema, transpositionSchema } from './schema'
import type { MethodChoice, Recording, Session, Track, Transposition } from './types'

/** Applies a change to one track; an unknown track changes nothing. */
function onTrack(session: Session, trackId: string, change: (track: Draft<Track>) => void): Session {
  return produce(session, (s) => {
    const track = s.tracks.find((t) => t.id === trackId)
    if (track) change(track)
  })
}

/** @throws InputError when the name is empty */
export function renameSession(session: Session, name: string): Session {
  if (!name.trim()) throw new InputError('A session needs a name; type one.')
  return { ...session, name: name.trim() }
}

/** Adds a recording and a track for it. The first recording's rate becomes the session's. */
export function addTrack(session: Session, recording: Recording, track: Track): Session {
  const known = session.recordings.some((r) => r.id === recording.id)
  return {
    ...session,
    sampleRate: session.tracks.length === 0 ? Math.round(recording.sampleRate) : session.sampleRate,
    recordings: known ? session.recordings : [...session.recordings, recording],
    tracks: [...session.tracks, track],
  }
}

/** Removes a track; its recording stays in the session while another clip uses it. */
export function removeTrack(session: Session, trackId: string): Session {
  const tracks = session.tracks.filter((t) => t.id !== trackId)
  const used = new Set(tracks.flatMap((t) => t.clips.map((c) => c.recording)))
  return { ...session, tracks, recordings: session.recordings.filter((r) => used.has(r.id)) }
}

/** One tempo for the whole session. @throws InputError outside 10-999 BPM */
export function setTempo(session: Session, bpm: number): Session {
  try {
    bpmSchema.validateSync(bpm)
  } catch (e) {
    throw new InputError((e as Error).message)
  }
  return { ...session, tempo: constantTempo(bpm) }
}

/** One meter for the whole session. @throws InputError for a meter that cannot be counted */
export function setMeter(session: Session, numerator: number, denominator: number): Session {
  if (!Number.isInteger(numerator) || numerator < 1 || numerator > 32)
    throw new InputError('A bar has 1 to 32 beats; type a whole number.')
  if (![1, 2, 4, 8, 16, 32].includes(denominator))
    throw new InputError('The lower number of a meter must be 1, 2, 4, 8, 16 or 32.')
  return { ...session, meter: constantMeter(numerator, denominator) }
}

/** Counts compound meters in the notes they are written in, or in dotted ones; nothing that sounds changes. */
export const countAsWritten = (session: Session, written: boolean): Session => ({
  ...session,
  meter: countedAsWritten(session.meter, written),
})

/** Moves a track to another place in the order, counted from 0. */
export function moveTrack(session: Session, trackId: string, to: number): Session {
  const track = session.tracks.find((t) => t.id === trackId)
  if (!track || session.tracks.indexOf(track) === to) return session
  const tracks = session.tracks.filter((t) => t !== track)
  tracks.splice(Math.max(0, Math.min(tracks.length, to)), 0, track)
  return { ...session, tracks }
}

/**
 * Puts a copy of a track below it, with the same recordings and edits; the copy is linked with nothing.
 *
 * @param id of the copy; its clips' ids begin with it
 */
export function duplicateTrack(session: Session, trackId: string, id: string): Session {
  const at = session.tracks.findIndex((t) => t.id === trackId)
  const track = session.tracks[at]
  if (!track) return session
  const copy = {
    ...track,
    id,
    name: `${track.name} (copy)`,
    linkGroup: null,
    clips: track.clips.map((c, i) => ({ ...c, id: `${id}-${i}` })),
  }
  return { ...session, tracks: session.tracks.toSpliced(at + 1, 0, copy) }
}

/** @throws InputError when the name is empty */
export function renameTrack(session: Session, trackId: string, name: string): Session {
  if (!name.trim()) throw new InputError('A track needs a name; type one.')
  return onTrack(session, trackId, (t) => {
    t.name = name.trim()
  })
}

/** @param gain dB, -60 to 12 */
export function setTrackGain(session: Session, trackId: string, gain: number): Session {
  if (!(gain >= -60 && gain <= 12)) throw new InputError('The gain must lie between -60 and 12 dB.')
  return onTrack(session, trackId, (t) => {
    t.gain = gain
  })
}

/** @param pan -1 (left) to 1 (right) */
export const setTrackPan = (session: Session, trackId: string, pan: number): Session =>
  onTrack(session, trackId, (t) => {
    t.pan = Math.max(-1, Math.min(1, pan))
  })

export const setMute = (session: Session, trackId: string, mute: boolean): Session =>
  onTrack(session, trackId, (t) => {
    t.mute = mute
  })

export const setSolo = (session: Session, trackId: string, solo: boolean): Session =>
  onTrack(session, trackId, (t) => {
    t.solo = solo
  })

/** Changes the stretch method or its settings. @throws InputError when one lies outside its range */
export function setMethod(session: Session, trackId: string, choice: Partial<MethodChoice>): Session {
  if (choice.tail !== undefined && !(choice.tail >= 0 && choice.tail <= 100))
    throw new InputError('The tail must lie between 0 and 100 %.')
  if (choice.scatter !== undefined && !(choice.scatter >= 0 && choice.scatter <= 100))
    throw new InputError('The scatter must lie between 0 and 100 %.')
  if (choice.size !== undefined && !(choice.size >= GRAIN_SIZE.min && choice.size <= GRAIN_SIZE.max))
    throw new InputError(`Grains must be ${GRAIN_SIZE.min} to ${GRAIN_SIZE.max} ms long.`)
  return onTrack(session, trackId, (t) => {
    Object.assign(t.method, choice)
  })
}

/**
 * Transposes a clip and the clips linked with it, which are one performance.
 *
 * @param change what becomes different: semitones -24 to 24, cents -100 to 100, formants kept or moving, and their
 *               shift -12 to 12 semitones
 * @throws InputError when one lies outside its range
 */
export function transpose(session: Session, clipId: string, change: Partial<Transposition>): Session {
  const clips = linkedClips(session, clipId)
  if (!clips.length) return session
  try {
    transpositionSchema.validateSync({ ...clips[0], ...change })
  } catch (e) {
    throw new InputError((e as Error).message)
  }
  return onClips(session, new Set(clips.map((c) => c.id)), (c) => ({ ...c, ...change }))
}

/** Names the performance a track is a microphone of; tracks of one group always receive the same pins. */
export const setLinkGroup = (session: Session, trackId: string, group: string | null): Session =>
  onTrack(session, trackId, (t) => {
    t.linkGroup = group
  })
