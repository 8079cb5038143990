// The corpus: recordings made by code (and by sampled instruments), each with its truth.

/** One note as it was played. Times are seconds of the recording. */
export interface TrueNote {
  readonly start: number
  readonly end: number
  /** Fractional MIDI number of its stable part. */
  readonly midi: number
}

/** Continuous pitch truth of a single-note line. */
export interface TruePitch {
  /** Seconds between values; value i is at i * hop. */
  readonly hop: number
  /** Hz, 0 where nothing sounds, NaN where a note dies away. */
  readonly f0: readonly number[]
}

/**
 * Attacks that begin within so many seconds of the first are one musical event, as they are for the quantizer: players
 * of an ensemble are 30 to 50 ms apart on one note of the score (R. A. Rasch, "Synchronization in performed ensemble
 * music", Acustica 43, 1979; from memory).
 */
export const TOGETHER = 0.045

export const KINDS = ['drums', 'plucked', 'chords', 'mix', 'soft', 'sung'] as const
export type Kind = (typeof KINDS)[number]

export interface Piece {
  readonly name: string
  readonly kind: Kind
  /** Which figures it counts for beyond those its truth allows. */
  readonly loop: boolean
  readonly sampleRate: number
  readonly channels: readonly Float32Array[]
  /** Starts of musical events (a strum or a flam is one), seconds; none where nobody knows them. */
  readonly onsets: readonly number[]
  /** True when something in it swells rather than is struck: its exact start is anybody's choice. */
  readonly swelling?: boolean
  /** Of a mix, true when drums are in it; not said where nobody knows. */
  readonly drums?: boolean
  readonly notes?: readonly TrueNote[]
  readonly pitch?: TruePitch
  readonly bpm?: number
  readonly steady?: boolean
  readonly beats?: readonly number[]
  readonly downbeats?: readonly number[]
  readonly meter?: Meter
  readonly key?: { readonly tonic: number; readonly mode: 'major' | 'minor' }
}

/** Beats a bar and the note value of a beat; 6/8 has six beats of an eighth. */
export interface Meter {
  readonly beatsPerBar: number
  readonly beatUnit: number
}
