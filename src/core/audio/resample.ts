// Band-limited resampling by a constant ratio with a Kaiser-windowed sinc.
import { besselI0, kaiserBeta } from '../dsp/windows'
import type { AudioData } from './buffer'

/** Zero crossings of the sinc on either side. */
const ZEROS = 32
/** Table entries between zero crossings; the table is read with linear interpolation. */
const STEPS = 1024
const ATTENUATION = 110

let table: Float64Array | undefined

function sincTable(): Float64Array {
  if (table) return table
  const beta = kaiserBeta(ATTENUATION)
  const scale = 1 / besselI0(beta)
  table = new Float64Array(ZEROS * STEPS + 2)
  for (let i = 0; i <= ZEROS * STEPS; i++) {
    const x = i / STEPS
    const r = x / ZEROS
    const sinc = i === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x)
    table[i] = sinc * besselI0(beta * Math.sqrt(Math.max(0, 1 - r * r))) * scale
  }
  return table
}

/** How far the kernel reaches on either side of a read position, in input samples. */
export const kernelReach = (step: number): number => Math.ceil(ZEROS * Math.max(1, step) * 1.06) + 1

/**
 * Reads a signal at evenly spaced fractional positions through a band-limited kernel.
 *
 * @param input samples; zero outside
 * @param start position of the first output sample, in input samples
 * @param step  input samples an output sample; above 1 the band is narrowed against aliasing
 * @param out   receives `out.length` samples
 * Source: J. O. Smith, "Digital audio resampling", CCRMA, Stanford (windowed-sinc interpolation).
 */
export function readResampled(
  input: Float32Array,
  start: number,
  step: number,
  out: Float32Array,
): Float32Array {
  const t = sincTable()
  // The transition band ends at the lower Nyquist frequency, so nothing folds back.
  const cutoff = step > 1 ? 0.945 / step : 1
  const reach = ZEROS / cutoff
  const scaled = cutoff * STEPS
  for (let n = 0; n < out.length; n++) {
    const x = start + n * step
    const from = Math.max(0, Math.ceil(x - reach))
    const to = Math.min(input.length - 1, Math.floor(x + reach))
    let sum = 0
    for (let i = from; i <= to; i++) {
      const p = Math.abs(x - i) * scaled
      const k = p | 0
      const a = t[k]!
      sum += input[i]! * (a + (p - k) * (t[k + 1]! - a))
    }
    out[n] = sum * cutoff
  }
  return out
}

/** Output samples between two calls of `progress`. */
const STEP = 65536

/**
 * Converts audio to another rate; the same rate returns the same object.
 *
 * @param progress told the share done, 0-1; may throw to cancel
 * @returns round(length · rate / audio.sampleRate) samples a channel
 */
export function resample(audio: AudioData, rate: number, progress?: (done: number) => void): AudioData {
  if (rate === audio.sampleRate) return audio
  const step = audio.sampleRate / rate
  const length = Math.round((audio.channels[0]?.length ?? 0) / step)
  const total = length * audio.channels.length
  const channels = audio.channels.map((x, c) => {
    const out = new Float32Array(length)
    for (let at = 0; at < length; at += STEP) {
      progress?.((c * length + at) / total)
      readResampled(x, at * step, step, out.subarray(at, Math.min(length, at + STEP)))
    }
    return out
  })
  return { sampleRate: rate, channels }
}
