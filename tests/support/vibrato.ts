// Tones whose pitch wavers or glides, and how steady their level is.
import { db } from './measure'

/** Pitch in Hz at a time in seconds. */
export type Pitch = (t: number) => number

/** A singer's or a fiddler's vibrato: so many cents to either side, so many times a second (common practice: 5 to 7). */
export const vibrato =
  (hz: number, cents: number, rate = 5.5): Pitch =>
  (t) =>
    hz * 2 ** ((cents / 1200) * Math.sin(2 * Math.PI * rate * t))

/** A pitch that rises evenly, Hz a second. */
export const rising =
  (from: number, slope: number): Pitch =>
  (t) =>
    from + slope * t

/** Level of a tone below, of amplitude 1 before it is scaled. */
const LEVEL = 0.3

/**
 * A tone with a pitch, and its harmonics up to 12 kHz, each softer by its number; they do not begin together.
 *
 * @param harmonics at most so many
 */
export function toneWith(pitch: Pitch, seconds: number, rate: number, harmonics = 1): Float32Array {
  const count = Math.max(1, Math.min(harmonics, Math.floor(12000 / pitch(0))))
  const harmonic = Float64Array.from({ length: count }, (_, k) => LEVEL / (k + 1))
  const re = harmonic.map((level, k) => level * Math.cos((k + 1) ** 2))
  const im = harmonic.map((level, k) => level * Math.sin((k + 1) ** 2))
  const out = new Float32Array(Math.round(seconds * rate))
  let turns = 0
  for (let i = 0; i < out.length; i++) {
    turns += pitch(i / rate) / rate
    const [turn, across] = [Math.cos(2 * Math.PI * turns), Math.sin(2 * Math.PI * turns)]
    // A polynomial in the fundamental's turn, from the highest harmonic down.
    let sum = 0
    let other = 0
    for (let k = count - 1; k >= 0; k--) {
      const [a, b] = [sum + re[k]!, other + im[k]!]
      sum = a * turn - b * across
      other = a * across + b * turn
    }
    out[i] = other
  }
  return out
}

const WINDOW = 0.0116
/** Ends are left out, seconds. */
const ENDS = 0.5

/** Level of a tone of one partial in windows of 12 ms against what `toneWith` gives it, dB: mean, softest, loudest. */
export function levelsOf(x: Float32Array, rate: number) {
  const n = Math.round(WINDOW * rate)
  const window = Float64Array.from({ length: n }, (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / n))
  const levels: number[] = []
  for (let at = Math.round(ENDS * rate); at + n < x.length - ENDS * rate; at += n >> 3) {
    let power = 0
    for (let i = 0; i < n; i++) power += window[i]! * x[at + i]! * x[at + i]!
    levels.push(db(Math.sqrt(power / (n / 4)) / LEVEL))
  }
  return {
    mean: levels.reduce((sum, v) => sum + v, 0) / levels.length,
    softest: Math.min(...levels),
    loudest: Math.max(...levels),
  }
}
