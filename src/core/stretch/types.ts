// The one interface of all stretch methods.

/** The methods, in the product's order. */
export const METHOD_NAMES = ['hits', 'line', 'chords', 'mix', 'grains', 'tape', 'cuts'] as const
export type MethodName = (typeof METHOD_NAMES)[number]

export type Quality = 'draft' | 'fine'
export type Fill = 'mirror' | 'repeat' | 'rest'
export type Formants = 'keep' | 'move'

/** Settings that shape the sound; every method reads those that concern it. */
export interface StretchSettings {
  readonly method: MethodName
  readonly quality: Quality
  /** Hits: how the gap after a lengthened attack is filled. */
  readonly fill: Fill
  /** Hits: how much of each sound is kept, 0-100 %. */
  readonly tail: number
  /** Grains: length of one, milliseconds, 10-400. */
  readonly size: number
  /** Grains: how far they may be read from their place, 0-100 % of their length. */
  readonly scatter: number
  /** Frequency ratio; 1 leaves the pitch. */
  readonly pitch: number
  /** Whether the formants stay where they are or move with the pitch. */
  readonly formants: Formants
  /** Semitones by which they move besides, -12 to 12. */
  readonly formantShift: number
}

/** Lengths a grain may have, milliseconds. */
export const GRAIN_SIZE = { min: 10, max: 400 } as const

export const DEFAULT_STRETCH: StretchSettings = {
  method: 'chords',
  quality: 'fine',
  fill: 'mirror',
  tail: 100,
  size: 60,
  scatter: 40,
  pitch: 1,
  formants: 'move',
  formantShift: 0,
}

/** A pitch ratio at a place of the recording. */
export interface PitchPoint {
  /** Recording sample. */
  readonly source: number
  /** Frequency ratio, above 0. */
  readonly ratio: number
}

/** A pitch over time: rising in source, linear between points, constant outside. */
export type PitchCurve = readonly PitchPoint[]

/**
 * The atom of rendering: a stretch of recording between two neighbouring knots, rendered without knowledge of
 * anything outside but the recording itself and, with Chords and Mix, spans before between the same knots. At both ends
 * the output runs into the recording as it is, but for tones that ring on, which are turned by what is known of that end alone, so
 * spans join whatever lies beside them, and an edit changes no span but those it bends.
 */
export interface Span {
  /** First recording sample, and the one after the last. */
  readonly from: number
  readonly to: number
  /** Where the source begins in the recording, if it is a stretch cut out of it, samples. */
  readonly origin?: number
  /** Output samples. */
  readonly length: number
  /** An attack begins exactly at `from`, at `to`. */
  readonly attackAtStart: boolean
  readonly attackAtEnd: boolean
  /** Other audio of the same map runs on before, after. */
  readonly joinsStart: boolean
  readonly joinsEnd: boolean
  /** Pitch inside, on top of the settings'; absent where it does not change anything. */
  readonly curve?: PitchCurve
  /** The span before, out of which tones ring on into this one. */
  readonly lead?: Span
  /** Tones ring on into the next span: tells this one, and all before that it depends on, from others. */
  readonly ringsOn?: string
  /**
   * Tones that ring on through the span's start, its end, are turned there as if they had sounded for so many samples more;
   * absent where they are as in the recording.
   */
  readonly shiftAtStart?: number
  readonly shiftAtEnd?: number
  /** What tones that ring on into the next span turn towards. */
  readonly toward?: Toward
  /** Share of the recording, 0-1, that sounds at an output sample, where it is not an even one. */
  readonly share?: (n: number) => number
}

/** Where tones are turned as at a span's end by `shiftAtEnd`, some spans later. */
export interface Toward {
  /** By so many samples, 0 for the recording's own phase. */
  readonly shift: number
  /** Until there they get later by so many samples more. */
  readonly rest: number
  /** Length of this span against all until there. */
  readonly share: number
}

/** Planar recording that spans read from; also read outside the span, zero outside itself. */
export interface Source {
  readonly sampleRate: number
  readonly channels: readonly Float32Array[]
}

/** What is read range by range: a recording, or a part of its spectrum that is made as it is read. */
export interface Readable {
  readonly sampleRate: number
  readonly count: number
  /** Samples; before the first and after the last there is nothing. */
  readonly length: number
  /** Copies samples [from, to) of channel c to `out` at `at`; outside the recording it may leave what is there. */
  read(c: number, from: number, to: number, out: Float32Array, at: number): void
}

/** A span being rendered: gives out its samples in order, in chunks of any size, with the same result. */
export interface Voice {
  /**
   * Writes the next `count` samples of every channel to `out` from index `at` on.
   * The caller asks for no more than the span's length in all.
   */
  pull(out: readonly Float32Array[], at: number, count: number): void
}

/** A stretch method: a pure function from a span to a voice. */
export type Method = (source: Source, span: Span, settings: StretchSettings) => Voice
