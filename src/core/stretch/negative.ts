// What a low tone's negative frequency leaves among its positive ones, and what becomes of it when the tone is turned.
import type { Turns } from './layer-room'

/** A low tone's peak lies in one of these bins; what its negative frequency leaves, in bins below REACH. */
const LOWEST = 2
const HIGHEST = 10
const REACH = 24
/** Steps to a tone without what its negative frequency leaves on it. */
const STEPS = 4

/** Power of a peak that nobody hears, of frames of one sample: 100 dB below a full-scale sine's. */
const SILENT = 1e-10 / 16

/** Spectrum of a Hann window about its middle, 1 at 0. @param d bins */
export function hannAt(d: number): number {
  if (Math.abs(d) < 1e-9) return 1
  if (Math.abs(Math.abs(d) - 1) < 1e-9) return 0.5
  return Math.sin(Math.PI * d) / (Math.PI * d * (1 - d * d))
}

/** A tone in a frame: its place in bins, and its complex amplitude in every channel, at the frame's middle. */
export interface LowTone {
  readonly at: number
  readonly re: Float64Array
  readonly im: Float64Array
}

/**
 * The tone that a peak is, without what its own negative frequency leaves there.
 *
 * @param spectra of all channels, packed complex bins of a frame under a Hann window
 * Source: the ratio of two bins of a Hann window, M. Grandke, "Interpolation algorithms for discrete Fourier transforms
 * of weighted signals", IEEE Trans. Instrumentation and Measurement 32(2), 1983.
 */
export function lowTone(spectra: readonly Float32Array[], peak: number): LowTone {
  const count = spectra.length
  const [re, im] = [new Float64Array(count), new Float64Array(count)]
  let at = peak
  const sign = peak & 1 ? -1 : 1
  /** Power of a bin without what the negative frequency leaves there, with a factor for that. */
  const powerOf = (k: number, left: number): number => {
    let sum = 0
    for (let c = 0; c < count; c++) {
      const x = spectra[c]!
      const [a, b] = [x[2 * k]! - left * re[c]!, x[2 * k + 1]! + left * im[c]!]
      sum += a * a + b * b
    }
    return sum
  }
  for (let step = 0; step < STEPS; step++) {
    const left = sign * hannAt(peak + at)
    const here = powerOf(peak, left)
    const below = powerOf(peak - 1, -sign * hannAt(peak - 1 + at))
    const above = powerOf(peak + 1, -sign * hannAt(peak + 1 + at))
    const ratio = Math.sqrt(Math.max(below, above) / (here + 1e-30))
    const beside = Math.max(-0.5, Math.min(0.5, (2 * ratio - 1) / (1 + ratio)))
    at = peak + (above > below ? beside : -beside)
    const scale = sign / hannAt(peak - at)
    for (let c = 0; c < count; c++) {
      const x = spectra[c]!
      const [a, b] = [re[c]!, im[c]!]
      re[c] = scale * (x[2 * peak]! - left * a)
      im[c] = scale * (x[2 * peak + 1]! + left * b)
    }
  }
  return { at, re, im }
}

/**
 * Finds the low tones of a frame, and their turns without what their negative frequencies leave at their peaks.
 *
 * @param now, back, previous as `findTurns` takes them, not masked
 * @param power, turns as it fills them; turns of low tones are changed
 * @param lows filled with the tones of `now`, by their parts
 */
export function findLows(
  now: readonly Float32Array[],
  back: readonly Float32Array[],
  previous: readonly Float32Array[],
  power: Float32Array,
  { count, peaks, by }: Turns,
  lows: Map<number, LowTone>,
): void {
  lows.clear()
  const least = SILENT * now[0]!.length ** 2
  for (let p = 0; p < count && peaks[p]! <= HIGHEST; p++) {
    const peak = peaks[p]!
    if (peak < LOWEST || power[peak]! < least) continue
    const [was, last] = [lowTone(back, peak), lowTone(previous, peak)]
    let [re, im] = [0, 0]
    was.re.forEach((a, c) => {
      const [b, x, y] = [was.im[c]!, last.re[c]!, last.im[c]!]
      re += x * a + y * b
      im += y * a - x * b
    })
    const norm = Math.hypot(re, im)
    if (norm === 0) continue
    by[2 * p] = re / norm
    by[2 * p + 1] = im / norm
    lows.set(p, lowTone(now, peak))
  }
}

/**
 * Turns what low tones' negative frequencies leave in spectra the other way, after it was turned with the bins it lies in.
 *
 * @param spectra turned; @param lows tones as they were before, by their parts; @param turns of all parts
 */
export function turnNegative(
  spectra: readonly Float32Array[],
  lows: ReadonlyMap<number, LowTone>,
  { count, ends, by }: Turns,
): void {
  for (const [p, tone] of lows) {
    const [re, im] = [by[2 * p]!, by[2 * p + 1]!]
    const still = 2 * hannAt(tone.at)
    // Both frequencies leave the same at 0 Hz, which is not turned with any part.
    spectra.forEach((x, c) => (x[0]! += still * (tone.re[c]! * (re - 1) - tone.im[c]! * im)))
    for (let k = 1, part = 0; k < REACH; k++) {
      while (part + 1 < count && ends[part]! <= k) part++
      const left = (k & 1 ? -1 : 1) * hannAt(k + tone.at)
      // The conjugate of the tone's turn, less the turn that it had here.
      const [r, i] = [left * (re - by[2 * part]!), left * (-im - by[2 * part + 1]!)]
      spectra.forEach((x, c) => {
        x[2 * k]! += tone.re[c]! * r + tone.im[c]! * i
        x[2 * k + 1]! += tone.re[c]! * i - tone.im[c]! * r
      })
    }
  }
}
