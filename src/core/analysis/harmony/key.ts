// The key of a recording, from how long each pitch class sounds.
import { chromaBetween, type Chroma } from './chroma'

export interface KeyGuess {
  /** Pitch class, C = 0. */
  readonly tonic: number
  readonly mode: 'major' | 'minor'
  /** 0-1. */
  readonly confidence: number
}

/**
 * Key profiles: how much each degree belongs to a key.
 * Source: D. Temperley, "What's key for key? The Krumhansl-Schmuckler key-finding algorithm reconsidered", Music
 * Perception 17(1), 1999 (from memory).
 */
const PROFILES = {
  major: [5, 2, 3.5, 2, 4.5, 4, 2, 4.5, 2, 3.5, 1.5, 4],
  minor: [5, 2, 3.5, 4.5, 2, 4, 2, 4.5, 3.5, 2, 3, 2.5],
} as const

function correlation(x: Float64Array, y: readonly number[], shift: number): number {
  let mx = 0
  let my = 0
  for (let i = 0; i < 12; i++) {
    mx += x[i]! / 12
    my += y[i]! / 12
  }
  let xy = 0
  let xx = 1e-12
  let yy = 1e-12
  for (let i = 0; i < 12; i++) {
    const a = x[(i + shift) % 12]! - mx
    const b = y[i]! - my
    xy += a * b
    xx += a * a
    yy += b * b
  }
  return xy / Math.sqrt(xx * yy)
}

/** What the bass, the first and the last harmony count beside the whole. */
const BASS = 0.1
const FIRST = 0.3
const LAST = 0.06
/** What the root of a triad counts in the last harmony; in the first, its notes count alike: a tune may begin on any. */
const LAST_ROOT = 1.4
/** Length of the first and last harmony, seconds. */
const EDGE = 1.2

/** The first (or last) harmony that sounds. @param step 1 or -1 */
function edge(c: Chroma, step: 1 | -1): Float64Array {
  const sums = Array.from({ length: c.frames }, (_, f) =>
    c.values.subarray(f * 12, f * 12 + 12).reduce((a, b) => a + b, 0),
  )
  const least = 0.3 * ([...sums].sort((a, b) => a - b)[Math.floor(0.8 * sums.length)] ?? 0)
  let f = step > 0 ? 0 : c.frames - 1
  while (f > 0 && f < c.frames - 1 && sums[f]! <= least) f += step
  const other = f + step * Math.round(EDGE / c.hop)
  return chromaBetween(c, c.values, Math.min(f, other) * c.hop, Math.max(f, other) * c.hop)
}

/**
 * All keys, likeliest first; confidences sum to 1. Empty where nothing tonal sounds.
 *
 * Source: C. Krumhansl, "Cognitive foundations of musical pitch", 1990 (correlation with key profiles); the bass and
 * the last seconds, where a piece comes to rest on its tonic, count beside the whole.
 */
export function findKeys(c: Chroma): KeyGuess[] {
  const whole = new Float64Array(12)
  const bass = new Float64Array(12)
  const frame = new Float64Array(12)
  for (let f = 0; f < c.frames; f++) {
    let sum = 1e-6
    for (let k = 0; k < 12; k++) sum += c.values[f * 12 + k]!
    for (let k = 0; k < 12; k++) {
      frame[k] = c.values[f * 12 + k]! / Math.sqrt(sum)
      whole[k]! += frame[k]!
      bass[k]! += c.bass[f * 12 + k]! / Math.sqrt(sum)
    }
  }
  const total = whole.reduce((a, b) => a + b, 0)
  if (total < 1e-3) return []
  const [first, last] = [edge(c, 1), edge(c, -1)]
  const bassTotal = bass.reduce((a, b) => a + b, 1e-9)
  const scored: { tonic: number; mode: 'major' | 'minor'; score: number }[] = []
  for (const mode of ['major', 'minor'] as const)
    for (let tonic = 0; tonic < 12; tonic++) {
      const third = mode === 'major' ? 4 : 3
      const fit = correlation(whole, PROFILES[mode], tonic)
      const rest =
        (bass[tonic]! + 0.5 * bass[(tonic + 7) % 12]! - 0.3 * bass[(tonic + third) % 12]!) / bassTotal
      const triad = (x: Float64Array, root = 1): number =>
        root * x[tonic]! + x[(tonic + third) % 12]! + x[(tonic + 7) % 12]!
      scored.push({
        tonic,
        mode,
        score: fit + BASS * rest + FIRST * triad(first) + LAST * triad(last, LAST_ROOT),
      })
    }
  scored.sort((a, b) => b.score - a.score)
  const weights = scored.map((s) => Math.exp(14 * (s.score - scored[0]!.score)))
  const sum = weights.reduce((a, b) => a + b, 0)
  return scored.map(({ tonic, mode }, i) => ({ tonic, mode, confidence: weights[i]! / sum }))
}
