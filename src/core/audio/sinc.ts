// Kaiser-windowed sinc kernels, and reading of short pieces through them.
import { workspace, type Workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import { besselI0, kaiserBeta } from '../dsp/windows'
import { latest } from '../latest'

/** A Kaiser window over -1 to 1, zero outside, for a stop-band attenuation in dB. */
export function kaiser(attenuation: number): (x: number) => number {
  const beta = kaiserBeta(attenuation)
  const scale = 1 / besselI0(beta)
  return (x) => (Math.abs(x) >= 1 ? 0 : scale * besselI0(beta * Math.sqrt(1 - x * x)))
}

export const sinc = (x: number): number => (x === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x))

/** A kernel between whose samples can be read: a row for every phase, and one after the last. */
export interface Sinc {
  readonly taps: number
  readonly phases: number
  readonly rows: Float32Array
}

/**
 * @param cutoff as a share of the Nyquist frequency
 * @param half   length of the window on either side, samples; a multiple of four
 * @param phases rows to a sample; between them is interpolated linearly
 * @param attenuation of the stop band, dB
 */
export function makeSinc(
  cutoff: number,
  half: number,
  phases: number,
  attenuation: number,
  space: Workspace,
): Sinc {
  const taps = 2 * half
  const window = kaiser(attenuation)
  const rows = space.floats((phases + 1) * taps)
  for (let row = 0; row <= phases; row++)
    for (let i = 0; i < taps; i++) {
      const x = row / phases - (i - half + 1)
      rows[row * taps + i] = cutoff * sinc(cutoff * x) * window(x / half)
    }
  return { taps, phases, rows }
}

/** Zero crossings on either side for short pieces. */
const ZEROS = 32
const PHASES = 512
const ATTENUATION = 110
/** Output samples made at a time. */
const BLOCK = 1024

/** A kernel for pieces with room to apply it. */
interface PieceKernel extends Sinc {
  readonly space: Workspace
  readonly input: Float32Array
  readonly output: Float32Array
}

function pieceKernel(step: number): PieceKernel {
  // What is left above the lower Nyquist frequency is in its last tenth.
  const cutoff = step > 1 ? 0.945 / step : 1
  const half = 4 * Math.ceil(ZEROS / cutoff / 4)
  const room = Math.ceil(BLOCK * step) + 2 * half + 8
  const space = workspace((PHASES + 1) * 2 * half + room + BLOCK, 3)
  return {
    ...makeSinc(cutoff, half, PHASES, ATTENUATION, space),
    space,
    input: space.floats(room),
    output: space.floats(BLOCK),
  }
}

/** Kernels last made, by step: all steps up to 1 share one. */
const kernels = latest<number, PieceKernel>(8)

const kernelFor = (step: number): PieceKernel => {
  const key = Math.max(1, step)
  return kernels.of(key, () => pieceKernel(key))
}

/**
 * Reads a short piece at evenly spaced fractional positions; for whole recordings see reader.ts.
 *
 * @param input samples; zero outside
 * @param start position of the first output sample, in input samples
 * @param step  input samples an output sample; above 1 the band is narrowed against aliasing
 * @param out   receives `out.length` samples
 * Source: J. O. Smith, "Digital audio resampling", CCRMA, Stanford (windowed-sinc interpolation).
 */
export function readPiece(input: Float32Array, start: number, step: number, out: Float32Array): void {
  const k = kernelFor(step)
  for (let at = 0; at < out.length; at += BLOCK) {
    const n = Math.min(BLOCK, out.length - at)
    const place = start + at * step
    const base = Math.floor(place) - k.taps / 2 + 1
    copyRange(input, base, base + Math.ceil(n * step) + k.taps + 2, k.input.fill(0))
    k.space.run.interpolate(
      k.input.byteOffset,
      k.rows.byteOffset,
      k.phases,
      k.taps,
      place - Math.floor(place),
      step,
      k.output.byteOffset,
      n,
      0,
      0,
    )
    out.set(k.output.subarray(0, n), at)
  }
}
