// Measures for tests and benches that owe nothing to the code they judge.

/** Value below which a share `p` (0-1) of the numbers lies (nearest rank). */
export function percentile(values: readonly number[], p: number): number {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted[Math.min(sorted.length - 1, Math.max(0, Math.ceil(p * sorted.length) - 1))] ?? NaN
}

export const median = (values: readonly number[]): number => percentile(values, 0.5)

/** Root mean square of a range. */
export function rms(x: Float32Array, from = 0, to = x.length): number {
  let sum = 0
  for (let i = from; i < to; i++) sum += x[i]! * x[i]!
  return Math.sqrt(sum / Math.max(1, to - from))
}

export const db = (ratio: number): number => 20 * Math.log10(ratio)

/**
 * Level of an output against its input, dB: over all, where 50 ms of it are farthest, and of the highest peaks.
 *
 * Places 30 dB or more below the loudest 50 ms count little.
 */
export function levelReport(
  input: Float32Array,
  output: Float32Array,
  rate: number,
): { all: number; worst: number; peak: number } {
  const size = Math.round(0.05 * rate)
  const levels = (x: Float32Array): number[] =>
    Array.from({ length: Math.floor(input.length / size) }, (_, k) => rms(x, k * size, (k + 1) * size))
  const before = levels(input)
  const quiet = 0.03 * Math.max(...before)
  const off = levels(output).map((level, k) => db((level + quiet) / (before[k]! + quiet)))
  const peakOf = (x: Float32Array): number => x.reduce((m, v) => Math.max(m, Math.abs(v)), 0)
  return {
    all: db(rms(output) / rms(input)),
    worst: off.reduce((w, d) => (Math.abs(d) > Math.abs(w) ? d : w), 0),
    peak: db(peakOf(output) / peakOf(input)),
  }
}

/**
 * Matches estimated to true times one to one within a tolerance and scores them.
 *
 * For times on a line, taking the earliest partner that is free is a maximum matching.
 * Source: MIREX audio onset detection; C. Raffel et al., "mir_eval", ISMIR 2014 (onset.f_measure).
 */
export function onsetScore(truth: readonly number[], found: readonly number[], tolerance: number) {
  const a = [...truth].sort((x, y) => x - y)
  const b = [...found].sort((x, y) => x - y)
  const errors: number[] = []
  for (let i = 0, j = 0; i < a.length && j < b.length;) {
    const d = b[j]! - a[i]!
    if (Math.abs(d) <= tolerance) {
      errors.push(d)
      i++
      j++
    } else if (d < 0) j++
    else i++
  }
  const precision = errors.length / Math.max(1, b.length)
  const recall = errors.length / Math.max(1, a.length)
  return { f: errors.length ? (2 * precision * recall) / (precision + recall) : 0, errors }
}

/** Searches over more places than this are made in two steps. */
const WIDE = 40_000

/**
 * Where a stretch of one signal is found in another: the lag of the largest normalized cross-correlation.
 *
 * @param reference signal the pattern `[from, from + count)` is cut from
 * @param around    where it is expected in `signal`; @param reach how far to look on either side
 * @returns the place in `signal` and the correlation there
 */
export function locate(
  reference: Float32Array,
  from: number,
  count: number,
  signal: Float32Array,
  around: number,
  reach: number,
): { at: number; correlation: number } {
  const match = (at: number, step: number): number => {
    let [dot, own, energy] = [0, 0, 0]
    for (let i = 0; i < count; i += step) {
      const [x, y] = [reference[from + i]!, signal[at + i]!]
      dot += x * y
      own += y * y
      energy += x * x
    }
    return own > 0 && energy > 0 ? dot / Math.sqrt(own * energy) : 0
  }
  const [first, last] = [Math.max(0, around - reach), Math.min(signal.length - count, around + reach)]
  let places = Array.from({ length: Math.max(0, last - first + 1) }, (_, i) => first + i)
  // Wide searches look at every eighth sample first, and at all of them where that matches best.
  if (places.length > WIDE)
    places = places
      .map((at) => ({ at, coarse: match(at, 8) }))
      .sort((a, b) => b.coarse - a.coarse)
      .slice(0, 500)
      .map((p) => p.at)
  let best = { at: around, correlation: -1 }
  for (const at of places) {
    const correlation = match(at, 1)
    if (correlation > best.correlation) best = { at, correlation }
  }
  return best
}
