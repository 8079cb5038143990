// Onset strength over time: spectral flux on a logarithmic filter bank with vibrato suppression.
import { applyBank, logFilterBank } from '../dsp/filterbank'
import { frameReader, magnitudes } from '../dsp/stft'
import { nextPowerOfTwo } from '../dsp/fft'

/** Onset strength at evenly spaced frames. */
export interface OnsetStrength {
  /** Samples between frames. */
  readonly hop: number
  /** Sample that the first frame's value belongs to. */
  readonly offset: number
  /** One non-negative value a frame, in natural-log units summed over bands. */
  readonly values: Float32Array
}

/** Told how much of the work is done, 0-1; may throw to cancel. */
export type Progress = (done: number) => void

const WINDOW_SECONDS = 0.046
const HOP_SECONDS = 0.005
/** How far back a frame is compared, in frames: a quarter of the window, as far as neighbouring frames differ. */
const LAG = 2

/** Widens every peak of a log spectrum by one band, so that a partial that wobbles by one band is no novelty. */
function maximumFilter(x: Float32Array, out: Float32Array): Float32Array {
  const last = x.length - 1
  for (let i = 0; i <= last; i++) {
    const a = x[i > 0 ? i - 1 : 0]!
    const b = x[i < last ? i + 1 : last]!
    const m = a > b ? a : b
    out[i] = m > x[i]! ? m : x[i]!
  }
  return out
}

/**
 * Onset strength of a recording, channels summed by power.
 *
 * @param channels planar audio; @param sampleRate Hz
 * @returns a value every 5 ms
 * Source: S. Böck & G. Widmer, "Maximum filter vibrato suppression for onset detection", DAFx 2013.
 */
export function onsetStrength(
  channels: readonly Float32Array[],
  sampleRate: number,
  progress?: Progress,
): OnsetStrength {
  const length = channels[0]?.length ?? 0
  const size = nextPowerOfTwo(WINDOW_SECONDS * sampleRate * 0.75)
  const hop = Math.max(1, Math.round(HOP_SECONDS * sampleRate))
  const bank = logFilterBank(size, sampleRate)
  const reader = frameReader(size)
  const spectrum = new Float32Array(size)
  const mags = new Float32Array(size / 2 + 1)
  const power = new Float32Array(bank.length)
  const bands = new Float32Array(bank.length)
  // Log spectra and their widened versions of the last LAG + 1 frames, used in turn.
  const ring = Array.from({ length: LAG + 1 }, () => new Float32Array(bank.length))
  const frames = Math.ceil(length / hop) + 1
  const values = new Float32Array(frames)
  const gain = 1 / (size * 0.25)
  // A windowed full-scale sine reaches a band magnitude near 1; the compression below works around -60 dB.
  for (let f = 0; f < frames; f++) {
    if (progress && f % 512 === 0) progress(f / frames)
    power.fill(0)
    for (const c of channels) {
      reader.read(c, f * hop - size / 2, spectrum)
      applyBank(bank, magnitudes(spectrum, mags), bands)
      for (let b = 0; b < bank.length; b++) power[b]! += bands[b]! * bands[b]!
    }
    const current = bands
    for (let b = 0; b < bank.length; b++)
      current[b] = Math.log1p(1000 * gain * Math.sqrt(power[b]! / channels.length))
    const before = ring[f % (LAG + 1)]!
    // A frame that hangs over the end sees the recording cut off, which is no onset.
    if (f >= LAG && (f * hop + size / 2 <= length || length < 2 * size)) {
      const reference = ring[(f - LAG) % (LAG + 1)]!
      let sum = 0
      for (let b = 0; b < bank.length; b++) {
        const d = current[b]! - reference[b]!
        if (d > 0) sum += d
      }
      values[f] = sum / bank.length
    }
    maximumFilter(current, before)
  }
  return { hop, offset: -Math.round((LAG * hop) / 2), values }
}
