// What happens on every beat: how heavy it is, in which region, and whether the harmony changes there.
import { chromaBetween, type Chroma } from '../harmony/chroma'
import { RATE, type Rhythm } from './rhythm'

export const ACCENTS = [
  'low',
  'middle',
  'high',
  'onset',
  'level',
  'harmony',
  'bass',
  'hold',
  'change',
] as const
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

/** Beats on either side that are compared. */
const SIDE = 4

/** How different what comes after each beat is from what came before it: texture, level and harmony. */
function changes(series: readonly Float32Array[], chords: readonly Float64Array[]): Float32Array {
  const n = chords.length
  const mean = (from: number, to: number, of: (i: number) => number): number => {
    let sum = 0
    for (let i = from; i < to; i++) sum += of(i)
    return sum / (to - from)
  }
  return Float32Array.from({ length: n }, (_, i) => {
    const [from, to] = [Math.max(0, i - SIDE), Math.min(n, i + SIDE)]
    if (i - from < SIDE / 2 || to - i < SIDE / 2) return 0
    const far = series.reduce(
      (s, x) => s + Math.abs(mean(i, to, (k) => x[k]!) - mean(from, i, (k) => x[k]!)),
      0,
    )
    const chord = (a: number, b: number): Float64Array =>
      new Float64Array(12).map((_, k) => mean(a, b, (j) => chords[j]![k]!))
    const [before, after] = [chord(from, i), chord(i, to)]
    const dot = (a: Float64Array, b: Float64Array): number => a.reduce((s, v, k) => s + v * b[k]!, 0)
    return (
      far / series.length +
      1 -
      dot(before, after) / (Math.sqrt(dot(before, before) * dot(after, after)) + 1e-9)
    )
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
  const [low, middle, high] = r.regions.map((x) => series(near(x)))
  const level = series((t, i) => {
    let sum = 0
    let n = 0
    for (let f = Math.max(0, Math.round(t * RATE)); f < (t + 0.5 * gap(i)) * RATE && f < r.frames; f++, n++)
      sum += r.level[f]!
    return n ? sum / n : -100
  })
  return {
    low: low!,
    middle: middle!,
    high: high!,
    onset: series(near(r.onset)),
    level,
    harmony: series(change(whole)),
    bass: series(change(bass)),
    hold: standardized(holds(r, beats, gap)),
    change: standardized(changes([low!, middle!, high!, level], whole)),
  }
}
