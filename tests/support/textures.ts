// Noises that are no tones and no hits, and what tells two of them apart.
import { frameReader } from './frames'
import { magnitudes } from '../../src/core/dsp/magnitudes'
import { randomFrom } from '../../src/core/dsp/random'
import { rms } from './measure'
import { noise } from './signals'

/** Nearly Gaussian noise. */
export function hiss(seconds: number, rate: number, seed: number): Float32Array {
  const [a, b, c, d] = [0, 1, 2, 3].map((k) => noise(seconds, rate, 0.2, seed + k))
  return a!.map((v, i) => v + b![i]! + c![i]! + d![i]!)
}

/**
 * Drops or claps: bursts of noise at random times and of random loudness over a little hiss.
 *
 * @param perSecond bursts a second; @param decay seconds in which each falls to 1/e
 */
export function shower(
  seconds: number,
  rate: number,
  perSecond: number,
  decay: number,
  seed: number,
): Float32Array {
  const random = randomFrom(seed)
  const x = hiss(seconds, rate, seed).map((v) => 0.05 * v)
  const grain = noise(1, rate, 1, seed + 9)
  const fall = Float64Array.from({ length: Math.round(5 * decay * rate) }, (_, k) =>
    Math.exp(-k / (decay * rate)),
  )
  for (let n = 0; n < seconds * perSecond; n++) {
    const at = Math.floor(random() * x.length)
    const gain = 0.02 + 0.1 * random() ** 3
    const from = Math.floor(random() * (grain.length - fall.length))
    for (let k = 0; k < fall.length && at + k < x.length; k++)
      x[at + k]! += gain * grain[from + k]! * fall[k]!
  }
  return x
}

/** Kurtosis: 3 for Gaussian noise, more the fewer and larger its peaks. */
export function kurtosis(x: Float32Array): number {
  const r = rms(x)
  let sum = 0
  for (let i = 0; i < x.length; i++) {
    const power = (x[i]! / r) * (x[i]! / r)
    sum += power * power
  }
  return sum / x.length
}

/** Largest autocorrelation at lags from a to b samples, as a share of the power. */
export function repetition(x: Float32Array, a: number, b: number, step: number): number {
  let most = 0
  const power = rms(x) ** 2
  for (let lag = a; lag <= b; lag += step) {
    let sum = 0
    for (let i = 0; i + lag < x.length; i++) sum += x[i]! * x[i + lag]!
    most = Math.max(most, Math.abs(sum / (x.length - lag) / power))
  }
  return most
}

/** Spectral flatness, dB: geometric over arithmetic mean of the mean power spectrum (A. Gray & J. Markel, 1974). */
export function flatness(x: Float32Array): number {
  const size = 1024
  const reader = frameReader(size)
  const spectrum = new Float32Array(size)
  const mags = new Float32Array(size / 2 + 1)
  const power = new Float64Array(size / 2 + 1)
  for (let at = 0; at + size <= x.length; at += size / 2) {
    reader.read(x, at, spectrum)
    magnitudes(spectrum, mags).forEach((m, k) => (power[k]! += m * m))
  }
  const inner = power.subarray(2, size / 2 - 1)
  const log = inner.reduce((s, p) => s + Math.log(p), 0) / inner.length
  return 10 * Math.log10(Math.exp(log) / (inner.reduce((s, p) => s + p, 0) / inner.length))
}
