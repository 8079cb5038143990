// What is measured of a candidate, for the judgement whether it starts a note.
import type { Candidate } from './candidates'
import { voicedMedian } from './candidates'
import type { OnsetStrength } from './onset-strength'

export const FEATURE_NAMES = [
  'flux height',
  'flux over its neighbourhood',
  'flux over the recording',
  'flux after the peak',
  'low share',
  'high share',
  'complex novelty',
  'complex over its neighbourhood',
  'rise of level',
  'long rise of level',
  'dip before',
  'pitch step',
  'long pitch step',
  'voiced before',
  'voiced after',
  'pitch slope',
  'pitch line of the recording',
  'level in the recording',
  'cause is step',
  'cause is swell',
  'flux just before',
  'flux just after',
  'fall of level before',
  'level later on',
  'unrest of pitch before',
  'rise of the top',
  'rise of the top over its neighbourhood',
  'top in the recording',
  'top later on',
  'cause is top',
] as const

const mean = (x: Float32Array, from: number, to: number): number => {
  const lo = Math.max(0, from)
  const hi = Math.min(x.length, to)
  let sum = 0
  for (let i = lo; i < hi; i++) sum += x[i]!
  return hi > lo ? sum / (hi - lo) : (x[Math.min(x.length - 1, lo)] ?? 0)
}
const most = (x: Float32Array, from: number, to: number): number => {
  let m = -Infinity
  for (let i = Math.max(0, from); i < Math.min(x.length, to); i++) if (x[i]! > m) m = x[i]!
  return m
}
const least = (x: Float32Array, from: number, to: number): number => {
  let m = Infinity
  for (let i = Math.max(0, from); i < Math.min(x.length, to); i++) if (x[i]! < m) m = x[i]!
  return m
}
const clip = (v: number, limit: number): number => Math.max(-limit, Math.min(limit, v))

/** Mean step of the pitch line from frame to frame over a range, semitones, at most 1. */
function unrest(midi: Float32Array, from: number, to: number): number {
  let [sum, n] = [0, 0]
  for (let i = Math.max(1, from); i < Math.min(midi.length, to); i++) {
    const d = Math.abs(midi[i]! - midi[i - 1]!)
    if (d !== d) continue
    sum += d
    n++
  }
  return n ? Math.min(1, sum / n) : 0
}

/** Curves and figures of the whole recording that the features refer to. */
export interface FeatureContext {
  readonly curve: OnsetStrength
  readonly midi: Float32Array
  readonly step: Float32Array
  readonly rise: Float32Array
  /** Rise of the highest frequencies. */
  readonly top: Float32Array
  /** Flux peak that nine tenths of the candidates stay below, or more where nearly all of those are none. */
  readonly typical: number
  readonly voicedShare: number
  readonly loud: number
  /** Level of the highest frequencies that a twentieth of the frames reach. */
  readonly brilliant: number
}

/** The flux that is typical is at least this share of the mean of the strongest peaks, where notes are few. */
const LEAST_TYPICAL = 0.2
const STRONGEST = 8

/** @param heights of the candidates' peaks, rising */
function typicalHeight(heights: readonly number[]): number {
  if (!heights.length) return 0.1
  const strongest = heights.slice(-STRONGEST)
  const top = strongest.reduce((a, b) => a + b, 0) / strongest.length
  return Math.max(heights[Math.floor(0.9 * heights.length)]!, LEAST_TYPICAL * top)
}

export function featureContext(
  curve: OnsetStrength,
  midi: Float32Array,
  step: Float32Array,
  rise: Float32Array,
  top: Float32Array,
  candidates: readonly Candidate[],
  /** How far the pitch line can be believed, 0-1. */
  singleLine: number,
): FeatureContext {
  const heights = candidates.map((c) => curve.values[c.frame]!).sort((a, b) => a - b)
  const reached = (levels: Float32Array): number => {
    const sorted = Float32Array.from(levels).sort()
    return sorted[Math.floor(0.95 * sorted.length)] ?? 0
  }
  return {
    curve,
    midi,
    step,
    rise,
    top,
    typical: typicalHeight(heights),
    voicedShare: singleLine,
    loud: reached(curve.level),
    brilliant: reached(curve.top),
  }
}

/** Features of one candidate, each of the order of 1. @param out receives FEATURE_NAMES.length values */
export function featuresOf(c: Candidate, k: FeatureContext, out: Float32Array): void {
  const { curve, midi } = k
  const f = c.frame
  const { values, regions, complex, level, top } = curve
  const peak = most(values, f - 2, f + 3)
  const height = peak - mean(values, f - 20, f + 15)
  const [low, , , high] = regions.map((r) => most(r, f - 2, f + 3))
  const sum = regions.reduce((s, r) => s + most(r, f - 2, f + 3), 1e-6)
  const novelty = most(complex, f - 2, f + 4)
  const before = voicedMedian(midi, f - 34, f - 3)
  const after = voicedMedian(midi, f + 5, f + 36)
  const long = Math.abs(after - before)
  const now = voicedMedian(midi, f + 1, f + 6)
  const soon = voicedMedian(midi, f + 8, f + 13)
  const slope = Math.abs(soon - now)
  const brighter = most(k.top, f - 3, f + 4)
  out.set([
    Math.log(Math.max(0, height) + 0.02) + 2,
    peak / (most(values, f - 40, f + 41) + 1e-6),
    clip(height / (k.typical + 0.02), 3),
    peak / (mean(values, f + 4, f + 12) + 0.05) / 5,
    low! / sum,
    high! / sum,
    3 * novelty,
    clip(novelty / (mean(complex, f - 20, f + 15) + 0.02) - 1, 4),
    clip(most(k.rise, f - 3, f + 6), 6) / 2,
    clip(mean(level, f + 8, f + 30) - mean(level, f - 24, f - 4), 6) / 2,
    clip(mean(level, f - 40, f - 15) - least(level, f - 14, f + 6), 6) / 2,
    Math.min(2, most(k.step, f - 3, f + 4)),
    Math.min(2, long > 0 ? long : 0),
    before === before ? 1 : 0,
    after === after ? 1 : 0,
    Math.min(1, slope > 0 ? slope : 0),
    k.voicedShare,
    clip((most(level, f, f + 10) - k.loud) / 4, 3),
    c.cause === 'step' ? 1 : 0,
    c.cause === 'swell' ? 1 : 0,
    clip(most(values, f - 16, f - 4) / (peak + 0.01), 3),
    clip(most(values, f + 5, f + 17) / (peak + 0.01), 3),
    clip(mean(level, f - 16, f - 2) - mean(level, f - 40, f - 20), 6) / 2,
    clip(mean(level, f + 30, f + 60) - mean(level, f + 4, f + 20), 6) / 2,
    unrest(midi, f - 26, f - 4),
    clip(brighter, 4) / 2,
    clip(brighter - Math.max(most(k.top, f - 24, f - 6), most(k.top, f + 7, f + 25)), 4) / 2,
    clip((most(top, f, f + 5) - k.brilliant) / 4, 3),
    clip(mean(top, f + 8, f + 16) - mean(top, f - 10, f - 3), 6) / 2,
    c.cause === 'top' ? 1 : 0,
  ])
}
