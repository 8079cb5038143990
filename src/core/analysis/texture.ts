// Rain, applause and hiss: noise throughout, at a level that hardly changes, however many bursts it is made of.
import { realFft } from '../dsp/fft'
import { hann } from '../dsp/windows'
import type { Source } from './source'

/** What tells a texture from music. */
export interface Texture {
  /** Mean spectral flatness within narrow bands, as a share of what Gaussian noise has: 1 for noise, less for tones. */
  readonly noise: number
  /** Root mean square of the level's steps from one 46 ms to the next, in the band where it changes most, dB. */
  readonly steps: number
  /** Spread (standard deviation) of that level around its mean, dB. */
  readonly spread: number
}

export interface TextureMeter {
  /** Takes the next frame. @param mags magnitudes of its bins, 0 Hz first */
  add(mags: Float32Array): void
  /** What lies between two frames, [from, to). */
  between(from: number, to: number): Texture
}

/** Bands whose level is followed each by itself, Hz: a drum that is even in one is not in all. */
const EDGES = [60, 400, 2000, 10000]
/** Bins of this many are a narrow band; between these frequencies, Hz. */
const NARROW = 6
const FLAT_RANGE = [400, 8000] as const
/** Mean of the log flatness of six bins of Gaussian noise through a Hann window, as a factor (measured, `texture.test.ts`). */
const OF_NOISE = 0.66
const SECONDS = 0.046
/** Bands further below the strongest than this do not count (power), nor do levels so far from the mean (dB). */
const QUIET_BAND = 1e-4
const QUIET = -30
const FLOOR = 1e-4
/** Less power than this is no sound at all. */
const SILENT = 1e-12
/** Tones are looked for in frames of about this long, seconds, by bands so wide between these frequencies, Hz. */
const LONG = 0.186
const WIDE = 65
const TONE_RANGE = [80, 2000] as const
/** Mean of the log flatness of such bands of Gaussian noise, as a factor (measured, `texture.test.ts`). */
const LONG_OF_NOISE = 0.608

/** Power of what was looked at, and its log flatness times that power. */
export interface Tonelessness {
  readonly power: number
  readonly flat: number
}

/**
 * How much of what sounds are no tones, where frames are long enough to tell: chords through an overdriven amplifier have
 * so many partials that a short frame cannot tell them from noise.
 *
 * @param parts of the recording
 * @returns spectral flatness as a share of what Gaussian noise has: 1 for noise of any colour and for bursts, less for
 * tones; 1 where nothing sounds
 */
export function tonelessness(parts: readonly Tonelessness[]): number {
  let [power, flat] = [0, 0]
  for (const p of parts) {
    power += p.power
    flat += p.flat
  }
  return power > SILENT ? Math.exp(flat / power) / LONG_OF_NOISE : 1
}

/**
 * Opens what measures that, by the spectral flatness that Johnston uses (see `textureMeter`).
 *
 * @returns of a part between two places, samples, from frames that begin there
 */
export function tonelessMeter(source: Source): (from: number, to: number) => Tonelessness {
  const { rate, length } = source
  const size = 2 ** Math.round(Math.log2(LONG * rate))
  const [fft, window] = [realFft(size), hann(size)]
  const [frame, spectrum] = [new Float32Array(size), new Float32Array(size)]
  const binOf = (hz: number): number => Math.round((hz * size) / rate)
  const [low, high, wide] = [binOf(TONE_RANGE[0]), Math.min(size / 2, binOf(TONE_RANGE[1])), binOf(WIDE)]
  return (from, to) => {
    let [power, flat] = [0, 0]
    for (let at = from; at < to && at + size <= length; at += size) {
      source.copy(0, at, frame)
      for (let i = 0; i < size; i++) frame[i]! *= window[i]!
      fft.forward(frame, spectrum)
      for (let k = low; k + wide <= high; k += wide) {
        let [logs, sum] = [0, 0]
        for (let j = k; j < k + wide; j++) {
          const p = spectrum[2 * j]! ** 2 + spectrum[2 * j + 1]! ** 2 + 1e-30
          logs += Math.log(p)
          sum += p
        }
        flat += sum * (logs / wide - Math.log(sum / wide))
        power += sum
      }
    }
    return { power, flat }
  }
}

/**
 * Measures how much like a texture a recording is.
 *
 * Source: J. D. Johnston, "Transform coding of audio signals using perceptual noise criteria", IEEE JSAC 6(2), 1988
 * (spectral flatness: geometric over arithmetic mean of the power).
 *
 * @param size of the transform; frames follow each other at that distance; @param rate Hz; @param count of frames
 */
export function textureMeter(size: number, rate: number, count: number): TextureMeter {
  const binOf = (hz: number): number => Math.min(size >> 1, Math.round((hz * size) / rate))
  const edges = EDGES.map(binOf)
  const [low, high] = FLAT_RANGE.map(binOf) as [number, number]
  const bands = EDGES.length - 1
  /** By frame: power in each band, power that the flatness is told of, and its log times that power. */
  const row = bands + 2
  const frames = new Float32Array(count * row)
  let next = 0

  const meanOf = (from: number, to: number, at: number): number => {
    let sum = 0
    for (let f = from; f < to; f++) sum += frames[f * row + at]!
    return sum / Math.max(1, to - from)
  }

  /** Levels of 46 ms each, dB from the mean. */
  const levels = (from: number, to: number, band: number, mean: number): number[] => {
    const together = Math.max(1, Math.round((SECONDS * rate) / size))
    const out: number[] = []
    for (let f = from; f + together <= to; f += together) out.push(meanOf(f, f + together, band))
    return out.map((p) => 10 * Math.log10(p / (mean + 1e-30) + FLOOR))
  }

  /** Root mean square of the steps of a band's level, dB. */
  const stepsOf = (from: number, to: number, band: number, mean: number): number => {
    const all = levels(from, to, band, mean)
    const steps = all.flatMap((v, i) => (i && Math.max(v, all[i - 1]!) > QUIET ? [v - all[i - 1]!] : []))
    return Math.sqrt(steps.reduce((sum, v) => sum + v * v, 0) / Math.max(1, steps.length))
  }

  /** Spread of the levels that are heard, dB. */
  const spreadOf = (from: number, to: number, band: number, mean: number): number => {
    const heard = levels(from, to, band, mean).filter((v) => v > QUIET)
    const middle = heard.reduce((sum, v) => sum + v, 0) / Math.max(1, heard.length)
    return Math.sqrt(heard.reduce((sum, v) => sum + (v - middle) ** 2, 0) / Math.max(1, heard.length))
  }

  return {
    add(mags) {
      for (let b = 0; b < bands; b++) {
        let power = 0
        for (let k = edges[b]!; k < edges[b + 1]!; k++) power += mags[k]! * mags[k]!
        frames[next + b] = power
      }
      let [flat, power, narrow] = [0, 0, 0]
      for (let k = low; k + NARROW <= high; k += NARROW) {
        let [product, sum] = [1, 0]
        for (let j = k; j < k + NARROW; j++) {
          const p = mags[j]! * mags[j]! + 1e-30
          product *= p
          sum += p
        }
        flat += Math.log(product) / NARROW - Math.log(sum / NARROW)
        power += sum
        narrow++
      }
      frames[next + bands] = power
      frames[next + bands + 1] = (power * flat) / Math.max(1, narrow)
      next += row
    },
    between(from, to) {
      const means = Array.from({ length: bands }, (_, b) => meanOf(from, to, b))
      const top = Math.max(...means)
      const most = (of: typeof stepsOf): number =>
        Math.max(...means.map((mean, b) => (mean > QUIET_BAND * top ? of(from, to, b, mean) : 0)))
      const power = meanOf(from, to, bands)
      return {
        noise: power > SILENT ? Math.exp(meanOf(from, to, bands + 1) / power) / OF_NOISE : 0,
        steps: most(stepsOf),
        spread: most(spreadOf),
      }
    },
  }
}
