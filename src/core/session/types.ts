// The document: everything a session is, as plain data.
import type { MeterMap } from '../music/meter-map'
import type { Grid } from '../music/grid'
import type { TempoMap } from '../music/tempo-map'
import type { StatedTempo } from '../analysis/beats/stated'
import type { TransientSettings } from '../analysis/select'
import type { Fill, Formants, MethodName } from '../stretch/types'
import type { ClipTiming } from '../timing/clip-map'
import type { Count } from '../timing/count'
import type { Beats, Cents, Samples } from '../units'

/** An imported recording, known by the hash of its samples; the samples themselves are kept apart. */
export interface Recording {
  readonly id: string
  readonly name: string
  readonly sampleRate: number
  readonly channels: number
  readonly length: Samples
  /** How the file was coded, for showing: "24-bit", "32-bit float", "decoded". */
  readonly coding: string
  /** Tempos that the file states in its name or tags, for the analysis to weigh. */
  readonly stated?: readonly StatedTempo[]
}

/** The stretch method of a track with the settings of its sound. */
export interface MethodChoice {
  readonly method: MethodName
  readonly fill: Fill
  /** Hits: share of each sound kept, 0-100 %. */
  readonly tail: number
  /** Grains: length of one, milliseconds. */
  readonly size: number
  /** Grains: how far they may be read from their place, 0-100 % of their length. */
  readonly scatter: number
}

/** How far a clip is transposed, and what its formants do. */
export interface Transposition {
  readonly semitones: number
  readonly cents: Cents
  readonly formants: Formants
  /** Semitones by which the formants move besides. */
  readonly formantShift: number
}

/** A stretch of a recording placed on the time line. */
export interface Clip extends ClipTiming, Transposition {
  readonly id: string
  /** Id of its recording. */
  readonly recording: string
  /** dB. */
  readonly gain: number
  /** Seconds. */
  readonly fadeIn: number
  readonly fadeOut: number
  readonly transients: TransientSettings
  /** What a person has said about its beats; null where they are as found. */
  readonly count: Count | null
}

export interface Track {
  readonly id: string
  readonly name: string
  /** dB. */
  readonly gain: number
  /** -1 left to 1 right; a balance, so that the centre changes nothing. */
  readonly pan: number
  readonly mute: boolean
  readonly solo: boolean
  readonly method: MethodChoice
  /** Tracks with the same group are microphones of one performance. */
  readonly linkGroup: string | null
  readonly clips: readonly Clip[]
}

/** A named place on the time line. */
export interface Locator {
  readonly name: string
  readonly at: Beats
}

/** A named feel: grid with swing. */
export interface Groove {
  readonly name: string
  readonly grid: Grid
}

export interface Session {
  readonly version: 1
  readonly id: string
  readonly name: string
  /** Hz. */
  readonly sampleRate: number
  readonly tempo: TempoMap
  readonly meter: MeterMap
  /** Tonic 0-11 (C = 0) and mode; null when not stated. */
  readonly key: { readonly tonic: number; readonly mode: 'major' | 'minor' } | null
  readonly locators: readonly Locator[]
  readonly grooves: readonly Groove[]
  readonly recordings: readonly Recording[]
  readonly tracks: readonly Track[]
}
