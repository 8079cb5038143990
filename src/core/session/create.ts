// New sessions, tracks and clips.
import { DEFAULT_TRANSIENTS } from '../analysis/select'
import { constantMeter } from '../music/meter-map'
import { constantTempo } from '../music/tempo-map'
import { DEFAULT_STRETCH } from '../stretch/types'
import { beats, cents, samples, type Beats } from '../units'
import type { Clip, MethodChoice, Recording, Session, Track } from './types'

export const DEFAULT_METHOD: MethodChoice = {
  method: DEFAULT_STRETCH.method,
  fill: DEFAULT_STRETCH.fill,
  tail: DEFAULT_STRETCH.tail,
  size: DEFAULT_STRETCH.size,
  scatter: DEFAULT_STRETCH.scatter,
}

/** An empty session at 120 BPM in 4/4. */
export function newSession(id: string, name: string, sampleRate: number): Session {
  return {
    version: 1,
    id,
    name,
    sampleRate,
    tempo: constantTempo(120),
    meter: constantMeter(4, 4),
    key: null,
    locators: [],
    grooves: [],
    recordings: [],
    tracks: [],
  }
}

/** A clip of a whole recording, unedited. */
export function newClip(id: string, recording: Recording, place: Beats): Clip {
  return {
    id,
    recording: recording.id,
    start: samples(0),
    end: recording.length,
    place,
    base: { kind: 'speed' },
    pins: [],
    heldEdges: { start: true, end: true },
    gain: 0,
    fadeIn: 0,
    fadeOut: 0,
    transients: DEFAULT_TRANSIENTS,
    semitones: 0,
    cents: cents(0),
    formants: 'keep',
    formantShift: 0,
    count: null,
  }
}

/** A track with one clip of a whole recording. */
export function newTrack(
  id: string,
  recording: Recording,
  place: Beats = beats(0),
  method = DEFAULT_METHOD,
): Track {
  return {
    id,
    name: recording.name.replace(/\.[^.]+$/, ''),
    gain: 0,
    pan: 0,
    mute: false,
    solo: false,
    method,
    linkGroup: null,
    clips: [newClip(`${id}-1`, recording, place)],
  }
}
