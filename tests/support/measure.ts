// Measures for tests and benches that owe nothing to the code they judge.
import FFT from 'fft.js'

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
 * Power of what is left of a range when a sine is taken away that fits it best by least squares, against all, dB.
 *
 * @param hz its frequency
 */
export function besideTone(x: Float32Array, hz: number, rate: number, from: number, to: number): number {
  const w = (2 * Math.PI * hz) / rate
  let [cc, ss, cs, xc, xs, xx] = [0, 0, 0, 0, 0, 0]
  for (let i = from; i < to; i++) {
    const [c, s, v] = [Math.cos(w * i), Math.sin(w * i), x[i]!]
    cc += c * c
    ss += s * s
    cs += c * s
    xc += v * c
    xs += v * s
    xx += v * v
  }
  const det = cc * ss - cs * cs
  const fitted = (xc * (xc * ss - xs * cs) + xs * (xs * cc - xc * cs)) / det
  return 10 * Math.log10(Math.max(0, xx - fitted) / xx)
}

/**
 * What of a periodic tone lies beside its harmonics, against all, dB: what is left when the mean of its periods is taken
 * away.
 *
 * @param period whole samples; @param count periods looked at, in the middle
 */
export function besideHarmonics(x: Float32Array, period: number, count: number): number {
  const from = (x.length - count * period) >> 1
  const inside = x.subarray(from, from + count * period)
  const mean = new Float32Array(period)
  inside.forEach((v, i) => (mean[i % period]! += v / count))
  return db(rms(inside.map((v, i) => v - mean[i % period]!)) / rms(inside))
}

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

/**
 * Scalar products of a pattern with all stretches of a signal that are as long: correlation in overlapping blocks.
 *
 * Source: W. Press et al., "Numerical Recipes", 3rd ed. 2007, sections 13.1 and 13.2.
 *
 * @returns `signal.length - pattern.length + 1` products
 */
export function products(pattern: Float32Array, signal: Float32Array): Float64Array {
  const out = new Float64Array(Math.max(0, signal.length - pattern.length + 1))
  const size = 2 ** Math.ceil(Math.log2(Math.max(1024, 4 * pattern.length)))
  const fft = new FFT(size)
  const spectrumOf = (x: Float32Array): number[] => {
    const spectrum = fft.createComplexArray()
    fft.realTransform(
      spectrum,
      Array.from({ length: size }, (_, i) => x[i] ?? 0),
    )
    fft.completeSpectrum(spectrum)
    return spectrum
  }
  const kernel = spectrumOf(pattern)
  const back = fft.createComplexArray()
  const step = size - pattern.length + 1
  for (let from = 0; from < out.length; from += step) {
    const block = spectrumOf(signal.subarray(from, from + size))
    for (let i = 0; i < 2 * size; i += 2) {
      const [re, im] = [block[i]!, block[i + 1]!]
      block[i] = re * kernel[i]! + im * kernel[i + 1]!
      block[i + 1] = im * kernel[i]! - re * kernel[i + 1]!
    }
    fft.inverseTransform(back, block)
    for (let k = 0; k < Math.min(step, out.length - from); k++) out[from + k] = back[2 * k]!
  }
  return out
}

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
  const pattern = reference.slice(from, from + count)
  const [first, last] = [Math.max(0, around - reach), Math.min(signal.length - count, around + reach)]
  const heard = signal.subarray(first, Math.max(first, last + count))
  const powerOf = (x: Float32Array): number => x.reduce((sum, v) => sum + v * v, 0)
  // What is 90 dB below the rest is silence: rounding would decide what it resembles.
  const least = 1e-9 * (powerOf(heard) / Math.max(1, heard.length)) * count
  const own = powerOf(pattern)
  let best = { at: around, correlation: -1 }
  let power = powerOf(heard.subarray(0, count))
  products(pattern, heard).forEach((dot, i, all) => {
    const correlation = power > least && own > 0 ? dot / Math.sqrt(power * own) : 0
    if (correlation > best.correlation) best = { at: first + i, correlation }
    if (i + 1 < all.length) power += heard[i + count]! ** 2 - heard[i]! ** 2
  })
  return best
}

/** The upper part of a sound, in which its corners stand out: its second difference. */
export function secondDifference(x: Float32Array): Float32Array {
  const out = x.slice()
  for (let i = x.length - 1; i > 0; i--) out[i] = x[i]! - 2 * x[i - 1]! + (i > 1 ? x[i - 2]! : 0)
  return out
}

/** Power of a steady sound at a frequency. */
export function powerAt(x: Float32Array, hz: number, rate = 44100): number {
  let [re, im] = [0, 0]
  x.forEach((v, i) => {
    const w = 1 - Math.cos((2 * Math.PI * i) / x.length)
    re += w * v * Math.cos((2 * Math.PI * hz * i) / rate)
    im += w * v * Math.sin((2 * Math.PI * hz * i) / rate)
  })
  return re * re + im * im
}

/** The greatest step from one sample to the next. */
export function steepest(x: Float32Array): number {
  let most = 0
  for (let i = 1; i < x.length; i++) most = Math.max(most, Math.abs(x[i]! - x[i - 1]!))
  return most
}

/**
 * The sharpest corner or click of a signal: its greatest second difference against the RMS of those within 10 ms.
 *
 * @param marks samples of attacks, rising: what lies from 2 ms before to 12 ms after one is left out
 */
export function sharpestCorner(x: Float32Array, rate: number, marks: readonly number[] = []): number {
  const ms = rate / 1000
  const reach = Math.round(10 * ms)
  const sums = new Float64Array(x.length + 1)
  const second = secondDifference(x)
  for (let i = 0; i < x.length; i++) sums[i + 1] = sums[i]! + second[i]! ** 2
  let sharpest = 0
  let k = 0
  for (let i = reach; i < x.length - reach; i++) {
    while (k < marks.length && marks[k]! + 12 * ms < i) k++
    if (k < marks.length && i > marks[k]! - 2 * ms) continue
    const around = Math.sqrt((sums[i + reach]! - sums[i - reach]!) / (2 * reach)) + 1e-5
    sharpest = Math.max(sharpest, Math.abs(second[i]!) / around)
  }
  return sharpest
}
