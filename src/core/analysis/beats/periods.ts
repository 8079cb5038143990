// Candidate beat periods: peaks of the autocorrelation of the onset curve, and their simple multiples.
import { realFft, nextPowerOfTwo } from '../../dsp/fft'
import { RATE, type Rhythm } from './rhythm'

/** A candidate period with how strongly onsets repeat at it. */
export interface Period {
  /** Seconds. */
  readonly seconds: number
  /** Autocorrelation there relative to lag 0, about 0-1. */
  readonly periodicity: number
}

/** Shortest and longest beat, seconds (375 and 37 BPM). */
export const PERIODS = { shortest: 0.16, longest: 1.62 } as const
/** Shorter beats than this are the eighths of 6/8, seconds. */
export const SHORTEST_QUARTER = 0.2
/** Two periods nearer than this ratio are one. */
const SAME = 1.055
const MULTIPLES = [2, 0.5, 3, 1 / 3, 1.5, 2 / 3] as const
/** Longest repeat that is looked at, seconds: bars, of which a part is the beat. */
const LONGEST_BAR = 3.6
const PARTS = [1 / 2, 1 / 3, 1 / 4] as const

/** Unbiased autocorrelation up to `most` frames, 1 at lag 0. */
function autocorrelation(x: Float32Array, most: number): Float32Array {
  const n = x.length
  const size = nextPowerOfTwo(n + most + 32)
  const fft = realFft(Math.max(64, size))
  const padded = new Float32Array(fft.size)
  let mean = 0
  for (let i = 0; i < n; i++) mean += x[i]! / n
  for (let i = 0; i < n; i++) padded[i] = x[i]! - mean
  const s = new Float32Array(fft.size)
  fft.forward(padded, s)
  s[0] = s[0]! * s[0]!
  s[1] = s[1]! * s[1]!
  for (let k = 2; k < s.length; k += 2) {
    s[k] = s[k]! * s[k]! + s[k + 1]! * s[k + 1]!
    s[k + 1] = 0
  }
  fft.inverse(s, padded)
  const zero = padded[0]! / n + 1e-12
  return Float32Array.from({ length: most + 1 }, (_, lag) => padded[lag]! / Math.max(n - lag, n / 3) / zero)
}

/**
 * How strongly onsets repeat at every lag of up to a long bar, in frames; 1 at lag 0.
 *
 * Long recordings are looked at in pieces of 40 s, so that a changing tempo does not blur the peaks.
 */
export function repeats(r: Rhythm): Float32Array {
  const longest = Math.ceil(LONGEST_BAR * RATE) + 2
  const sum = new Float32Array(longest + 1)
  const piece = 40 * RATE
  const pieces = Math.max(1, Math.round(r.frames / piece))
  for (let p = 0; p < pieces; p++) {
    const from = Math.floor((p * r.frames) / pieces)
    const to = Math.floor(((p + 1) * r.frames) / pieces)
    autocorrelation(blurred(r.onset.subarray(from, to)), longest).forEach((v, i) => (sum[i]! += v / pieces))
  }
  return sum
}

/** How strongly onsets repeat around a period in seconds. */
export function repeatsAt(sum: Float32Array, seconds: number): number {
  const i = Math.round(seconds * RATE)
  return i < sum.length ? Math.max(sum[i]!, sum[i - 1] ?? 0, sum[i + 1] ?? 0) : 0
}

/**
 * Candidate periods, the most periodic first.
 *
 * Source: common practice (autocorrelation of onset strength), e.g. D. Ellis, "Beat tracking by dynamic
 * programming", JNMR 36(1), 2007.
 *
 * @param sum as `repeats` gives it
 */
export function candidatePeriods(sum: Float32Array, most: number): Period[] {
  const longest = sum.length - 1
  const found: Period[] = []
  const add = (seconds: number, periodicity: number): void => {
    if (seconds < PERIODS.shortest || seconds > PERIODS.longest) return
    if (found.some((o) => Math.max(o.seconds / seconds, seconds / o.seconds) < SAME)) return
    found.push({ seconds, periodicity })
  }
  const peaks: Period[] = []
  for (let i = Math.floor(PERIODS.shortest * RATE); i < longest; i++) {
    const [a, b, c] = [sum[i - 1]!, sum[i]!, sum[i + 1]!]
    if (b < a || b <= c || b < 0.02) continue
    const shift = (0.5 * (a - c)) / (a - 2 * b + c - 1e-12)
    peaks.push({ seconds: (i + shift) / RATE, periodicity: b })
  }
  peaks.sort((a, b) => b.periodicity - a.periodicity)
  const at = (seconds: number): number => repeatsAt(sum, seconds)
  const short = peaks.filter((p) => p.seconds <= PERIODS.longest)
  const bars = peaks.filter((p) => p.seconds > PERIODS.longest)
  for (const p of short.slice(0, 6)) add(p.seconds, p.periodicity)
  for (const p of short.slice(0, 3)) for (const m of MULTIPLES) add(p.seconds * m, at(p.seconds * m))
  for (const p of bars.slice(0, 1)) for (const m of PARTS) add(p.seconds * m, at(p.seconds * m))
  if (!found.length) add(0.5, 0)
  return found.slice(0, most)
}

/** A wider bell on every onset, so that loosely kept time still repeats. */
function blurred(x: Float32Array): Float32Array {
  const out = new Float32Array(x.length)
  const taps = [0.15, 0.6, 1, 0.6, 0.15]
  for (let i = 0; i < x.length; i++) for (let k = -2; k <= 2; k++) out[i]! += taps[k + 2]! * (x[i + k] ?? 0)
  return out
}
