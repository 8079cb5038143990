// Moments that might be the start of a note: peaks of onset strength, rises of the top, swells of level, steps of pitch.
import type { OnsetStrength } from './onset-strength'
import { pickPeaks } from './peak-pick'
import type { Pitch } from './pitch/track'

/** A moment to be judged. */
export interface Candidate {
  /** Frame of the onset strength. */
  readonly frame: number
  /** What made it one. */
  readonly cause: 'flux' | 'top' | 'swell' | 'step'
}

/** The pitch line as fractional MIDI at the frames of the onset strength; NaN where unvoiced. */
export function pitchAtFrames(pitch: Pitch, curve: OnsetStrength, sampleRate: number): Float32Array {
  const frames = curve.values.length
  const out = new Float32Array(frames)
  for (let f = 0; f < frames; f++) {
    const hz = pitch.f0[Math.round((curve.start + f * curve.hop) / sampleRate / pitch.hop)] ?? 0
    out[f] = hz > 0 ? 69 + 12 * Math.log2(hz / 440) : NaN
  }
  return out
}

/** Median of the voiced values in [from, to), NaN when fewer than half are voiced. */
export function voicedMedian(midi: Float32Array, from: number, to: number): number {
  const lo = Math.max(0, from)
  const hi = Math.min(midi.length, to)
  let count = 0
  for (let i = lo; i < hi; i++) {
    const v = midi[i]!
    if (v !== v) continue
    // Sorted as they come: pitch lines are nearly level, so most stay where they are.
    let k = count++
    for (; k > 0 && sorted[k - 1]! > v; k--) sorted[k] = sorted[k - 1]!
    sorted[k] = v
  }
  return count * 2 < to - from ? NaN : sorted[count >> 1]!
}
/** Room for a window of values; the widest has 31. */
const sorted = new Float32Array(64)

/** Step of pitch at every frame, semitones: median of 75 ms after against 75 ms before, 0 where either is unvoiced. */
export function pitchStep(midi: Float32Array): Float32Array {
  const out = new Float32Array(midi.length)
  // What follows one frame is what comes before another one later on.
  const apart = 18
  const after = new Float32Array(midi.length + apart)
  for (let f = -apart; f < midi.length; f++) after[f + apart] = voicedMedian(midi, f + 2, f + 17)
  for (let f = 0; f < midi.length; f++) {
    if (midi[f] !== midi[f] && midi[f - 4] !== midi[f - 4] && midi[f + 4] !== midi[f + 4]) continue
    const step = Math.abs(after[f + apart]! - after[f]!)
    out[f] = step > 0 ? step : 0
  }
  return out
}

/** Rise of level around every frame, natural log of power: mean of 40 ms after against 40 ms before. */
export function levelRise(level: Float32Array): Float32Array {
  const reach = 8
  const sums = new Float64Array(level.length + 1)
  for (let i = 0; i < level.length; i++) sums[i + 1] = sums[i]! + level[i]!
  const out = new Float32Array(level.length)
  for (let f = 0; f < level.length; f++) {
    const a = Math.max(0, f - reach)
    const b = Math.min(level.length, f + reach)
    if (f - a < 2 || b - f < 2) continue
    out[f] = (sums[b]! - sums[f]!) / (b - f) - (sums[f]! - sums[a]!) / (f - a)
  }
  return out
}

/** Local maxima that stand at least `least` above the valley before them. */
function prominent(x: Float32Array, around: number, valley: number, least: number): number[] {
  return pickPeaks(x, around, 0, 0, -Infinity).flatMap((p) => {
    let low = x[p.frame]!
    for (let i = Math.max(0, p.frame - valley); i < p.frame; i++) low = Math.min(low, x[i]!)
    return x[p.frame]! - low >= least ? [p.frame] : []
  })
}

const LEAST_FLUX = 0.012
/** Three times what noise does by itself, natural log of power. */
const LEAST_TOP = 0.45
const LEAST_RISE = 0.25
const LEAST_STEP = 0.45
/** Frames within which two candidates are one. */
const SAME = 6
/** The same for a rise of the top: a hat's is no part of a ripple a little before or after it. */
const SAME_TOP = 3

/** Local maxima of at least `least`. */
const peaksAbove = (x: Float32Array, around: number, least: number): number[] =>
  pickPeaks(x, around, 0, 0, -1).flatMap((p) => (x[p.frame]! >= least ? [p.frame] : []))

/**
 * All candidates in rising order; of several at one place flux comes before the top, step and swell. Every peak of flux
 * is one, so that a ripple just before an attack does not hide it.
 */
export function findCandidates(
  curve: OnsetStrength,
  /** Step of pitch and rise of level at every frame. */
  step: Float32Array,
  rise: Float32Array,
  /** Rise of the highest frequencies. */
  top: Float32Array,
): Candidate[] {
  const lists: [Candidate['cause'], number[], number][] = [
    ['flux', prominent(curve.values, 4, 10, LEAST_FLUX), 0],
    ['top', peaksAbove(top, 5, LEAST_TOP), SAME_TOP],
    ['step', peaksAbove(step, 8, LEAST_STEP), SAME],
    ['swell', pickPeaks(rise, 8, 30, 30, LEAST_RISE).map((p) => p.frame), SAME],
  ]
  const taken = new Uint8Array(curve.values.length + 2 * SAME + 1)
  const out: Candidate[] = []
  for (const [cause, frames, within] of lists)
    for (const frame of frames) {
      const around = frame + SAME
      if (taken.subarray(around - within, around + within + 1).includes(1)) continue
      out.push({ frame, cause })
      if (cause !== 'swell') taken[around] = 1
    }
  return out.sort((a, b) => a.frame - b.frame)
}
