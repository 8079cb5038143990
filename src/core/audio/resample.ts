// Band-limited resampling by a constant ratio with a Kaiser-windowed sinc.
import { workspace, type Workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
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

/** Rows of a kernel's table for one sample's width; between rows it is interpolated linearly. */
const PHASES = 512
/** Output samples made at a time. */
const BLOCK = 1024

/** A band-limited kernel for one step, with room to apply it. */
interface Kernel {
  readonly taps: number
  readonly space: Workspace
  readonly table: Float32Array
  /** Of two signals at a time. */
  readonly inputs: readonly [Float32Array, Float32Array]
  readonly outputs: readonly [Float32Array, Float32Array]
}

// The transition band ends at the lower Nyquist frequency, so nothing folds back.
const cutoffOf = (step: number): number => (step > 1 ? 0.945 / step : 1)

function makeKernel(step: number): Kernel {
  const t = sincTable()
  const cutoff = cutoffOf(step)
  const half = 4 * Math.ceil((ZEROS / cutoff + 1) / 4)
  const taps = 2 * half
  const room = Math.ceil(BLOCK * step) + taps + 8
  const space = workspace((PHASES + 1) * taps + 2 * (room + BLOCK), 5)
  const table = space.floats((PHASES + 1) * taps)
  for (let row = 0; row <= PHASES; row++)
    for (let i = 0; i < taps; i++) {
      const p = Math.abs(row / PHASES - (i - half + 1)) * cutoff * STEPS
      const k = p | 0
      if (k >= ZEROS * STEPS) continue
      const a = t[k]!
      table[row * taps + i] = cutoff * (a + (p - k) * (t[k + 1]! - a))
    }
  const two = (length: number) => [space.floats(length), space.floats(length)] as const
  return { taps, space, table, inputs: two(room), outputs: two(BLOCK) }
}

/** Kernels last used, by what they depend on: all steps up to 1 share one. */
const kernels = new Map<number, Kernel>()
const MOST_KERNELS = 8

function kernelFor(step: number): Kernel {
  const key = Math.max(1, step)
  let kernel = kernels.get(key)
  if (kernel) kernels.delete(key)
  else kernel = makeKernel(key)
  kernels.set(key, kernel)
  if (kernels.size > MOST_KERNELS) kernels.delete(kernels.keys().next().value!)
  return kernel
}

/** How far the kernel reaches on either side of a read position, in input samples. */
export const kernelReach = (step: number): number => 4 * Math.ceil((ZEROS / cutoffOf(step) + 1) / 4) + 1

/**
 * Reads a signal at evenly spaced fractional positions through a band-limited kernel.
 *
 * @param input samples; zero outside
 * @param start position of the first output sample, in input samples
 * @param step  input samples an output sample; above 1 the band is narrowed against aliasing
 * @param out   receives `out.length` samples
 * @param band  step whose band is kept, where that of several pieces is to be one; at least `step`
 * Source: J. O. Smith, "Digital audio resampling", CCRMA, Stanford (windowed-sinc interpolation).
 */
export function readResampled(
  input: Float32Array,
  start: number,
  step: number,
  out: Float32Array,
  band = step,
): Float32Array {
  readAllResampled([input], start, step, [out], band)
  return out
}

/** The same for several signals at once, each into an output of its own; all outputs have one length. */
export function readAllResampled(
  inputs: readonly Float32Array[],
  start: number,
  step: number,
  outs: readonly Float32Array[],
  band = step,
): void {
  const k = kernelFor(band)
  const [input, second] = k.inputs
  const [output, other] = k.outputs
  const half = k.taps / 2
  const length = outs[0]?.length ?? 0
  for (let at = 0; at < length; at += BLOCK) {
    const n = Math.min(BLOCK, length - at)
    const place = start + at * step
    const base = Math.floor(place) - half + 1
    const count = Math.ceil(n * step) + k.taps + 2
    for (let c = 0; c < inputs.length; c += 2) {
      const pair = [input, second].slice(0, inputs.length - c)
      pair.forEach((x, i) => copyRange(inputs[c + i]!, base, base + count, x.fill(0)))
      k.space.run.interpolate(
        input.byteOffset,
        k.table.byteOffset,
        PHASES,
        k.taps,
        place - Math.floor(place),
        step,
        output.byteOffset,
        n,
        pair.length > 1 ? second.byteOffset - input.byteOffset : 0,
        other.byteOffset - output.byteOffset,
      )
      pair.forEach((_, i) => outs[c + i]!.set(k.outputs[i]!.subarray(0, n), at))
    }
  }
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
