// The whole analysis of a recording, in the order in which its parts need each other.
import { InputError } from '../errors'
import { rhythmOf, type Rhythm } from './beats/rhythm'
import type { StatedTempo } from './beats/stated'
import { findBeats, type BeatFindings } from './beats/track'
import { chroma, type Chroma } from './harmony/chroma'
import { findKeys, type KeyGuess } from './harmony/key'
import { suggestMethod, type Material } from './material'
import { onsetStrength, type OnsetStrength } from './onset-strength'
import { pitchCandidates, type PitchCandidates } from './pitch/candidates'
import { heldToTheEnd, voicedFromAttacks } from './pitch/edges'
import { finishedPitch, heldPitch, isLine, type HeldPitch } from './pitch/find'
import { startsUnderneath } from './pitch/overlap'
import { tunedByPartials } from './pitch/partials'
import { findNotes, type Note } from './pitch/notes'
import type { Pitch } from './pitch/track'
import { part, type Progress } from './progress'
import { DEFAULT_TRANSIENTS, selectTransients } from './select'
import { withSlurs } from './slurs'
import { mainSource } from './source'
import { eventsOf, laterOf, withParts } from './events'
import type { AttackStart } from './refine'
import { foundIn, placesOf, type Found, type Transient } from './transients'

/** All that is found in a recording. */
export interface Findings extends BeatFindings {
  readonly transients: readonly Transient[]
  readonly pitch: Pitch
  /** Notes of a single-note line; of chords only what stands out. */
  readonly notes: readonly Note[]
  readonly tuning: Chroma['tuning']
  /** Keys, likeliest first; empty where nothing tonal sounds. */
  readonly keys: readonly KeyGuess[]
  readonly material: Material
  /** Kept for a second pass over the beats with what a person has said: `findBeats`. */
  readonly rhythm: Rhythm
  readonly chroma: Chroma
  readonly stated: readonly StatedTempo[]
}

/** What the first, parallel part of the analysis gives. */
export interface Measured {
  readonly curve: OnsetStrength
  readonly pitch: Pitch
  /** The pitch line before glides are followed. */
  readonly held: Pitch
  /** Natural log of power of the pitch's frames. */
  readonly level: Float32Array
  readonly singleLine: number
  readonly transients: readonly Transient[]
}

/** Transients in force by default: those that an untouched clip shows. */
export function defaultAttacks(transients: readonly Transient[], sampleRate: number): Transient[] {
  const { sensitivity, minGap } = DEFAULT_TRANSIENTS
  return selectTransients(transients, sensitivity, minGap, sampleRate)
}

/**
 * Onset strength, pitch and transients: all that editing needs, and the greater part of the work.
 *
 * @param channels planar audio; @param sampleRate Hz
 * @param progress told the share done, 0-1; may throw to cancel
 * @throws InputError when there is no audio
 */
export function measure(
  channels: readonly Float32Array[],
  sampleRate: number,
  progress?: Progress,
): Measured {
  const { curve, candidates } = framesOf(channels, sampleRate, part(progress, 0, 0.9))
  return judged(channels, sampleRate, curve, candidates, part(progress, 0.9, 1))
}

/** All frames of a recording. @throws InputError when there is no audio */
function framesOf(
  channels: readonly Float32Array[],
  sampleRate: number,
  progress?: Progress,
): { readonly curve: OnsetStrength; readonly candidates: PitchCandidates } {
  if (!channels[0]?.length) throw new InputError('The recording is empty; there is nothing to analyse.')
  const curve = onsetStrength(channels, sampleRate, part(progress, 0, 2 / 3))
  return {
    curve,
    candidates: pitchCandidates(mainSource(channels, sampleRate), part(progress, 2 / 3, 1)),
  }
}

/** Share of the work after the frames that is done when attacks are found, have their places, and their parts. */
const FOUND = 0.3
const PLACED = 0.7
const PARTED = 0.9

/** The rest of `measure`, once the frames are made. */
export function judged(
  channels: readonly Float32Array[],
  sampleRate: number,
  curve: OnsetStrength,
  candidates: PitchCandidates,
  progress?: Progress,
): Measured {
  const { line, transients } = attacked(channels, sampleRate, curve, candidates, progress)
  const whole = finished(channels, sampleRate, curve, candidates, line, transients)
  progress?.(1)
  return whole
}

/** The line and the transients, once the frames are made. */
function attacked(
  channels: readonly Float32Array[],
  sampleRate: number,
  curve: OnsetStrength,
  candidates: PitchCandidates,
  progress?: Progress,
): { readonly line: HeldPitch; readonly transients: readonly Transient[] } {
  const heard = heardIn(channels[0]!.length, sampleRate, curve, candidates, part(progress, 0, FOUND))
  const places = placesOf(heard.found, channels, sampleRate, part(progress, FOUND, PLACED))
  const events = eventsIn(heard, places, channels, sampleRate)
  const later = laterOf(events, channels, sampleRate, () => progress?.(PLACED))
  progress?.(PARTED)
  return { line: heard.line, transients: withParts(events, later, sampleRate) }
}

/**
 * The transients alone, for whoever stretches with a method of his own choice.
 *
 * @param channels planar audio; @param sampleRate Hz
 * @throws InputError when there is no audio
 */
export function transientsIn(channels: readonly Float32Array[], sampleRate: number): readonly Transient[] {
  const { curve, candidates } = framesOf(channels, sampleRate)
  return attacked(channels, sampleRate, curve, candidates).transients
}

/** What the frames of a recording say of its line and its attacks. */
export interface Heard {
  readonly line: HeldPitch
  readonly found: readonly Found[]
}

/** The line and the attacks, roughly placed. @param length samples */
export function heardIn(
  length: number,
  sampleRate: number,
  curve: OnsetStrength,
  candidates: PitchCandidates,
  progress?: Progress,
): Heard {
  const line = heldPitch(candidates)
  return { line, found: foundIn(length, sampleRate, curve, line.held, line.singleLine, progress) }
}

/** The events when the attacks have their places, without their later attacks. @param places from `placesOf` */
export function eventsIn(
  { line, found }: Heard,
  places: readonly AttackStart[],
  channels: readonly Float32Array[],
  sampleRate: number,
): readonly Transient[] {
  const events = eventsOf(found, places, sampleRate)
  if (!isLine(line)) return events
  const placed = startsUnderneath(events, line.held, mainSource(channels, sampleRate))
  return withSlurs(placed, line.held, channels, sampleRate)
}

/** What follows when the transients are known. */
export function finished(
  channels: readonly Float32Array[],
  sampleRate: number,
  curve: OnsetStrength,
  candidates: PitchCandidates,
  line: HeldPitch,
  transients: readonly Transient[],
): Measured {
  const attacks = defaultAttacks(transients, sampleRate).map((t) => t.at / sampleRate)
  const pitch = finishedPitch(line, candidates, attacks, () => mainSource(channels, sampleRate))
  return { ...line, curve, pitch, level: candidates.level, transients }
}

/** Which stretch method suits a measured recording. */
export const materialOf = (channels: readonly Float32Array[], sampleRate: number, m: Measured): Material =>
  suggestMethod(
    mainSource(channels, sampleRate),
    defaultAttacks(m.transients, sampleRate).map((t) => t.at / sampleRate),
    m.pitch,
    m.level,
    m.singleLine,
  )

/** Everything that follows from the transients. */
export function conclude(
  channels: readonly Float32Array[],
  sampleRate: number,
  m: Measured,
  stated: readonly StatedTempo[] = [],
  progress?: Progress,
): Findings {
  const harmony = chroma(mainSource(channels, sampleRate), part(progress, 0, 0.3))
  const found = findNotes(
    m.pitch,
    defaultAttacks(m.transients, sampleRate).map((t) => ({ time: t.at / sampleRate, strength: t.strength })),
  )
  const notes = tunedByPartials(found, mainSource(channels, sampleRate))
  progress?.(0.4)
  const rhythm = rhythmOf(m.curve, m.transients, sampleRate, channels[0]!.length)
  return {
    ...findBeats(rhythm, harmony, stated, {}, part(progress, 0.4, 0.9)),
    transients: m.transients,
    pitch: heldToTheEnd(voicedFromAttacks(m.pitch, notes, m.level), m.level),
    notes,
    tuning: harmony.tuning,
    keys: findKeys(harmony, isLine(m) ? notes : []),
    material: materialOf(channels, sampleRate, m),
    rhythm,
    chroma: harmony,
    stated,
  }
}

/**
 * Analyses a recording.
 *
 * @param channels planar audio; @param sampleRate Hz
 * @param stated tempos that the file states: evidence only
 * @param progress told the share done, 0-1; may throw to cancel
 * @throws InputError when there is no audio
 */
export function analyse(
  channels: readonly Float32Array[],
  sampleRate: number,
  stated: readonly StatedTempo[] = [],
  progress?: Progress,
): Findings {
  const measured = measure(channels, sampleRate, part(progress, 0, 0.7))
  return conclude(channels, sampleRate, measured, stated, part(progress, 0.7, 1))
}
