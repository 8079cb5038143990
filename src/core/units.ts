// Branded numbers, so that samples, seconds, beats and cents cannot be mixed by accident.

declare const unit: unique symbol
type Unit<Name extends string> = number & { readonly [unit]: Name }

/** A position or length in a recording or a rendered signal, in whole samples. */
export type Samples = Unit<'samples'>
/** Time in seconds. */
export type Seconds = Unit<'seconds'>
/** A position or length on the session's time line, in quarter notes; beat 0 is the session's start. */
export type Beats = Unit<'beats'>
/** Pitch interval in hundredths of an equal-tempered semitone. */
export type Cents = Unit<'cents'>

/** Marks a number as samples, rounding to the nearest whole sample. */
export const samples = (n: number): Samples => Math.round(n) as Samples
export const seconds = (n: number): Seconds => n as Seconds
export const beats = (n: number): Beats => n as Beats
export const cents = (n: number): Cents => n as Cents

/** Interval of a frequency over another, semitones; negative where it is below. */
export const semitonesOver = (hz: number, other: number): number => 12 * Math.log2(hz / other)

/** Frequency ratio of an interval in cents: 2^(c / 1200). */
export const centsToRatio = (c: number): number => 2 ** (c / 1200)
