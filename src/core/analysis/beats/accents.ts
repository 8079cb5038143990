// What happens on every beat: how heavy it is, in which region, and whether the harmony changes there.
import { chromaBetween, type Chroma } from '../harmony/chroma'
import { RATE, type Rhythm } from './rhythm'

export const ACCENTS = ['low', 'middle', 'high', 'onset', 'level', 'harmony', 'bass', 'hold'] as const
export type Accent = (typeof ACCENTS)[number]

/** A series a beat for each accent, each with mean 0 and variance 1. */
export type Accents = Record<Accent, Float32Array>

/** Largest value within `reach` frames of a time. */
export function largestNear(x: Float32Array, seconds: number, reach: number): number {
  const centre = Math.round(seconds * RATE)
  let m = 0
  for (let f = Math.max(0, centre - reach); f <= Math.min(x.length - 1, centre + reach); f++)
    if (x[f]! > m) m = x[f]!
  return m
}

function standardized(x: Float32Array): Float32Array {
  const mean = x.reduce((a, b) => a + b, 0) / Math.max(1, x.length)
  const spread = Math.sqrt(x.reduce((a, b) => a + (b - mean) ** 2, 0) / Math.max(1, x.length)) + 1e-6
  return x.map((v) => Math.max(-2.5, Math.min(2.5, (v - mean) / spread)))
}

const distance = (a: Float64Array, b: Float64Array): number => {
  let dot = 0
  for (let k = 0; k < 12; k++) dot += a[k]! * b[k]!
  return 1 - dot
}

/** A note this near to a beat is on it, seconds. */
const ON_BEAT = 0.045
/** Nothing is held for longer than so many beats. */
const LONGEST_HOLD = 3

/**
 * How long it is from the note on each beat to the next note, in beats; 0 where no note is on it. Notes that last lie
 * on strong beats more often than short ones.
 * Source: H. C. Longuet-Higgins & C. S. Lee, "The perception of musical rhythms", Perception 11, 1982 (from memory).
 */
function holds(r: Rhythm, beats: readonly number[], gap: (i: number) => number): Float32Array {
  const { events } = r
  let k = 0
  return Float32Array.from(beats, (t, i) => {
    while (k < events.length && events[k]!.time < t - ON_BEAT) k++
    const on = events[k]
    if (!on || on.time > t + ON_BEAT) return 0
    return Math.min(LONGEST_HOLD, ((events[k + 1]?.time ?? r.last) - on.time) / gap(i))
  })
}

/** Accents of the beats. @param harmony chroma of the recording */
export function accentsOf(r: Rhythm, harmony: Chroma, beats: readonly number[]): Accents {
  const series = (f: (t: number, i: number) => number): Float32Array =>
    standardized(Float32Array.from(beats, (t, i) => f(t, i)))
  const gap = (i: number): number =>
    (i + 1 < beats.length ? beats[i + 1]! : 2 * beats[i]! - beats[i - 1]!) - beats[i]!
  const spans = (values: Float32Array): Float64Array[] =>
    beats.map((t, i) => chromaBetween(harmony, values, t + 0.04, t + Math.max(0.06, gap(i) - 0.02)))
  const [whole, bass] = [spans(harmony.values), spans(harmony.bass)]
  const change =
    (c: Float64Array[]): ((t: number, i: number) => number) =>
    (_, i) =>
      i ? distance(c[i]!, c[i - 1]!) : 0
  const near = (x: Float32Array) => (t: number) => Math.min(4, largestNear(x, t, 4))
  return {
    low: series(near(r.regions[0]!)),
    middle: series(near(r.regions[1]!)),
    high: series(near(r.regions[2]!)),
    onset: series(near(r.onset)),
    level: series((t, i) => {
      let sum = 0
      let n = 0
      for (let f = Math.max(0, Math.round(t * RATE)); f < (t + 0.5 * gap(i)) * RATE && f < r.frames; f++, n++)
        sum += r.level[f]!
      return n ? sum / n : -100
    }),
    harmony: series(change(whole)),
    bass: series(change(bass)),
    hold: standardized(holds(r, beats, gap)),
  }
}
