// The key of a recording, from how long each pitch class sounds, or of a line from its notes.
import { chromaBetween, type Chroma } from './chroma'

export interface KeyGuess {
  /** Pitch class, C = 0. */
  readonly tonic: number
  readonly mode: 'major' | 'minor'
  /** 0-1. */
  readonly confidence: number
}

/** A note: seconds and fractional MIDI. */
interface LineNote {
  readonly start: number
  readonly end: number
  readonly midi: number
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
/** What all that sounds counts beside the notes of a line, if there are this many at least. */
const SOUND = 0.5
const FEWEST_NOTES = 5
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
 * the last seconds, where a piece comes to rest on its tonic, count beside the whole, and so do the notes of a line.
 *
 * @param notes of a single line, in rising order; none where several sound together
 */
export function findKeys(c: Chroma, notes: readonly LineNote[] = []): KeyGuess[] {
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
  const ofNotes = notes.length < FEWEST_NOTES ? undefined : lineScore(notes, c.tuning.cents)
  return ranked((tonic, mode) => {
    const [third, fifth] = [(tonic + THIRDS[mode]) % 12, (tonic + 7) % 12]
    const rest = (bass[tonic]! + 0.5 * bass[fifth]! - 0.3 * bass[third]!) / bassTotal
    const triad = (x: Float64Array, root = 1): number => root * x[tonic]! + x[third]! + x[fifth]!
    const sounding =
      correlation(whole, PROFILES[mode], tonic) +
      BASS * rest +
      FIRST * triad(first) +
      LAST * triad(last, LAST_ROOT)
    return ofNotes ? (SOUND * sounding + ofNotes(tonic, mode)) / (1 + SOUND) : sounding
  })
}

const THIRDS = { major: 4, minor: 3 } as const

/** All keys by their scores, likeliest first. */
function ranked(scoreOf: (tonic: number, mode: KeyGuess['mode']) => number): KeyGuess[] {
  const scored = (['major', 'minor'] as const).flatMap((mode) =>
    Array.from({ length: 12 }, (_, tonic) => ({ tonic, mode, score: scoreOf(tonic, mode) })),
  )
  scored.sort((a, b) => b.score - a.score)
  const weights = scored.map((s) => Math.exp(14 * (s.score - scored[0]!.score)))
  const sum = weights.reduce((a, b) => a + b, 0)
  return scored.map(({ tonic, mode }, i) => ({ tonic, mode, confidence: weights[i]! / sum }))
}

/** Longer notes of a line do not say more of its key, seconds. */
const LONGEST_NOTE = 1
/** What it counts that the first and the last note of a line are of the key's triad, and that the last is its tonic. */
const FIRST_NOTE = 0.25
const LAST_NOTE = 0.05

/** How well the notes of a line fit a key; their overtones, which are notes of other keys, have no say. */
function lineScore(
  notes: readonly LineNote[],
  tuning: number,
): (tonic: number, mode: KeyGuess['mode']) => number {
  const classes = notes.map(({ midi }) => ((Math.round(midi - tuning / 100) % 12) + 12) % 12)
  const sounding = new Float64Array(12)
  notes.forEach(({ start, end }, i) => (sounding[classes[i]!]! += Math.min(LONGEST_NOTE, end - start)))
  const [first, last] = [classes[0]!, classes[classes.length - 1]!]
  return (tonic, mode) => {
    const inTriad = (c: number): number => {
      const degree = (c - tonic + 12) % 12
      return degree === 0 || degree === THIRDS[mode] || degree === 7 ? 1 : 0
    }
    return (
      correlation(sounding, PROFILES[mode], tonic) +
      FIRST_NOTE * inTriad(first) +
      LAST_NOTE * (inTriad(last) + (last === tonic ? 1 : 0))
    )
  }
}
