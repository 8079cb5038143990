// What an ear would notice of a stretched recording, against the time-mapped original.
import { frameReader } from '../../tests/support/frames'
import { magnitudes } from '../../src/core/dsp/magnitudes'
import {
  besideTone,
  db,
  locate,
  median,
  percentile,
  rms,
  secondDifference,
} from '../../tests/support/measure'

/** Samples. */
export const WINDOWS = [512, 1024, 2048, 4096] as const
/** Bins this far below the loudest of the recording count as this far below, dB. */
const FLOOR = -80

export interface Spectral {
  /** Log-spectral distance, dB. */
  readonly distance: number
  /** Spectral convergence. */
  readonly convergence: number
}

/**
 * Multi-resolution log-spectral distance and spectral convergence of an output against the original's frames at the
 * places that a constant ratio puts under the output's frames; mean over windows of 512 to 4096 samples.
 *
 * Sources: A. Gray & J. Markel, "Distance measures for speech processing", IEEE Trans. ASSP 24(5), 1976 (log-spectral
 * distance); S. Ö. Arık, H. Jun & G. Diamos, "Fast spectrogram inversion using multi-head convolutional neural
 * networks", IEEE SPL 26(1), 2019 (spectral convergence); R. Yamamoto, E. Song & J.-M. Kim, "Parallel WaveGAN", ICASSP
 * 2020 (over several resolutions).
 */
export function spectralDistance(original: Float32Array, output: Float32Array, ratio: number): Spectral {
  const each = spectralDistances(original, output, ratio)
  const mean = (of: (s: Spectral) => number): number => each.reduce((sum, s) => sum + of(s), 0) / each.length
  return { distance: mean((s) => s.distance), convergence: mean((s) => s.convergence) }
}

/** The same for each size of WINDOWS by itself. */
export const spectralDistances = (
  original: Float32Array,
  output: Float32Array,
  ratio: number,
): readonly Spectral[] => WINDOWS.map((size) => distanceOver(size, original, output, ratio))

function distanceOver(size: number, original: Float32Array, output: Float32Array, ratio: number): Spectral {
  const reader = frameReader(size)
  const spectrum = new Float32Array(size)
  const a = new Float32Array(size / 2 + 1)
  const b = new Float32Array(size / 2 + 1)
  let top = 1e-9
  for (let at = 0; at + size < original.length; at += size) {
    reader.read(original, at, spectrum)
    for (const m of magnitudes(spectrum, a)) top = Math.max(top, m)
  }
  const floor = top * 10 ** (FLOOR / 20)
  let [sum, frames, error, power] = [0, 0, 0, 0]
  for (let center = size; center + size < output.length; center += size / 4) {
    reader.read(output, center - size / 2, spectrum)
    magnitudes(spectrum, b)
    reader.read(original, Math.round(center / ratio) - size / 2, spectrum)
    magnitudes(spectrum, a)
    let squares = 0
    let loud = false
    for (let k = 0; k <= size / 2; k++) {
      const d = 20 * Math.log10((b[k]! + floor) / (a[k]! + floor))
      squares += d * d
      error += (b[k]! - a[k]!) ** 2
      power += a[k]! ** 2
      if (a[k]! > 10 * floor) loud = true
    }
    if (!loud) continue
    sum += Math.sqrt(squares / (size / 2 + 1))
    frames++
  }
  return { distance: sum / Math.max(1, frames), convergence: Math.sqrt(error / (power + 1e-20)) }
}

export interface Attacks {
  /** Distance from where the map puts them, ms. */
  readonly median: number
  readonly worst: number
  /** Correlation of the wave with the original's. */
  readonly correlation: number
  /** The least of them. */
  readonly least: number
  /** Energy of the 20 ms before, against the original's, dB, median. */
  readonly preEcho: number
  /** Peak of the 10 ms after, against the original's, dB, median. */
  readonly level: number
  /** Rise time against the original's, median. */
  readonly rise: number
}

const BEFORE = 0.02
/** A rise is looked for this far, and its level taken over so much, seconds. */
const RISE = 0.06
const RISE_WINDOW = 0.003

/**
 * Rise time of an attack, samples: from a tenth to nine tenths of the way up to the greatest level after it.
 *
 * Source: IEEE Std 181-2011 (transition duration between the 10 % and 90 % reference levels), of the RMS level in 3 ms.
 */
function riseTime(x: Float32Array, at: number, rate: number): number {
  const n = Math.round(RISE_WINDOW * rate)
  const step = Math.round(n / 12)
  const count = Math.round((RISE * rate) / step)
  const level = (k: number): number => rms(x, Math.max(0, at + k * step - n), Math.max(1, at + k * step))
  const levels = Array.from({ length: count }, (_, k) => level(k))
  const bottom = levels[0]!
  const most = levels.indexOf(Math.max(...levels))
  const up = (share: number): number => {
    const wanted = bottom + share * (levels[most]! - bottom)
    let k = most
    while (k > 0 && levels[k - 1]! >= wanted) k--
    const [a, b] = [levels[k - 1] ?? wanted, levels[k]!]
    return k - (b > a ? (b - wanted) / (b - a) : 0)
  }
  return Math.max(1, (up(0.9) - up(0.1)) * step)
}

/**
 * Attacks of an output, each found by sliding its first milliseconds along the output around its place.
 *
 * By their upper part: a bass that rings on through a hat has another phase there, and is the louder of the two.
 */
export function attacksOf(
  original: Float32Array,
  output: Float32Array,
  rate: number,
  places: readonly { readonly source: number; readonly target: number }[],
): Attacks {
  const ms = rate / 1000
  const count = Math.round(8 * ms)
  const reach = Math.round(25 * ms)
  const errors: number[] = []
  const matches: number[] = []
  const before: number[] = []
  const levels: number[] = []
  const rises: number[] = []
  const peak = (x: Float32Array, from: number, n: number): number => {
    let top = 1e-9
    for (let i = Math.max(0, from); i < Math.min(x.length, from + n); i++)
      top = Math.max(top, Math.abs(x[i]!))
    return top
  }
  const quiet = 1e-4
  const [struck, made] = [secondDifference(original), secondDifference(output)]
  for (const { source, target } of places) {
    if (source < BEFORE * rate || target < BEFORE * rate || target + count + reach > output.length) continue
    const own = rms(original, source, source + count)
    const best = locate(struck, source, count, made, target, reach)
    errors.push(Math.abs(best.at - target) / ms)
    matches.push(best.correlation)
    const n = Math.round(BEFORE * rate)
    before.push(
      db(
        (rms(output, best.at - n, best.at) + quiet * own) / (rms(original, source - n, source) + quiet * own),
      ),
    )
    rises.push(riseTime(output, best.at, rate) / riseTime(original, source, rate))
    levels.push(db(peak(output, best.at, Math.round(10 * ms)) / peak(original, source, Math.round(10 * ms))))
  }
  return {
    median: median(errors),
    worst: Math.max(...errors),
    correlation: median(matches),
    least: Math.min(...matches),
    preEcho: median(before),
    level: median(levels),
    rise: median(rises),
  }
}

/**
 * A steady tone after stretching: what is left when the best-fitting sine is taken away, how much its level wavers, and
 * how far its pitch is off.
 */
export function toneOf(output: Float32Array, hz: number, rate: number) {
  const from = Math.round(0.5 * rate)
  const to = output.length - from
  // A low tone's negative frequency lies eight cycles away at least.
  const block = Math.max(1024, Math.round((4 * rate) / hz))
  const phases: number[] = []
  const sizes: number[] = []
  for (let at = from; at + block <= to; at += block) {
    let [re, im] = [0, 0]
    for (let i = 0; i < block; i++) {
      const w = 1 - Math.cos((2 * Math.PI * (i + 0.5)) / block)
      const p = (2 * Math.PI * hz * (at + i)) / rate
      re += (w * output[at + i]! * Math.cos(p)) / block
      im -= (w * output[at + i]! * Math.sin(p)) / block
    }
    sizes.push(2 * Math.hypot(re, im))
    const last = phases[phases.length - 1] ?? 0
    const turn = Math.atan2(im, re)
    phases.push(turn - 2 * Math.PI * Math.round((turn - last) / (2 * Math.PI)))
  }
  const n = phases.length
  const mid = (n - 1) / 2
  const mean = phases.reduce((s, v) => s + v, 0) / n
  let [num, den] = [0, 0]
  phases.forEach((p, i) => {
    num += (i - mid) * (p - mean)
    den += (i - mid) ** 2
  })
  const drift = num / den / block
  const w = (2 * Math.PI * hz) / rate + drift
  return {
    residual: Math.max(-120, besideTone(output, (w * rate) / (2 * Math.PI), rate, from, to)),
    ripple: db(percentile(sizes, 1) / Math.max(1e-9, percentile(sizes, 0))),
    cents: 1200 * Math.log2((w * rate) / (2 * Math.PI) / hz),
  }
}
