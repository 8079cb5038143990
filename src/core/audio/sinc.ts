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

/** Kernels last made, by the next of so many steps to the octave: all up to 1 share one. */
const STEPS = 48
const kernels = latest<number, PieceKernel>(STEPS)

const kernelFor = (step: number): PieceKernel => {
  const key = Math.max(0, Math.ceil(STEPS * Math.log2(step) - 1e-6))
  return kernels.of(key, () => pieceKernel(2 ** (key / STEPS)))
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

/**
 * Stop band of the kernel that reads at the recording's own rate, dB: what is left of images lies in the last tenth of
 * the band, and the lower it is the wider is the band.
 */
const STEADY = 60

/** A kernel for reading at the recording's own rate, with room to apply it, and its taps for the phase last read at. */
interface SteadyKernel extends Sinc {
  readonly space: Workspace
  readonly input: Float32Array
  readonly row: Float32Array
  readonly output: Float32Array
  phase: number
}

let steady: SteadyKernel | undefined

function makeSteady(): SteadyKernel {
  const taps = 2 * ZEROS
  const space = workspace((PHASES + 1) * taps + 2 * taps + 2 * BLOCK, 4)
  return {
    ...makeSinc(1, ZEROS, PHASES, STEADY, space),
    space,
    input: space.floats(BLOCK + taps),
    row: space.floats(taps),
    output: space.floats(BLOCK),
    phase: NaN,
  }
}

/** The taps at a phase, 0-1. */
function tapsAt(k: SteadyKernel, phase: number): void {
  if (phase === k.phase) return
  const row = Math.floor(phase * k.phases)
  const share = phase * k.phases - row
  const first = row * k.taps
  for (let i = first; i < first + k.taps; i++)
    k.row[i - first] = (1 - share) * k.rows[i]! + share * k.rows[i + k.taps]!
  k.phase = phase
}

/**
 * Reads at the recording's own rate from a place between samples on.
 *
 * Up to 94 % of the Nyquist frequency the level is kept within 0.02 dB.
 *
 * @param input samples; zero outside
 * @param place position of the first output sample, in input samples
 * @param out   receives `out.length` samples
 * Source: T. I. Laakso et al., "Splitting the unit delay", IEEE Signal Processing Magazine 13(1), 1996 (fractional
 * delay by a windowed sinc).
 */
export function readBetween(input: Float32Array, place: number, out: Float32Array): void {
  const k = (steady ??= makeSteady())
  const whole = Math.floor(place)
  tapsAt(k, place - whole)
  for (let at = 0; at < out.length; at += BLOCK) {
    const n = Math.min(BLOCK, out.length - at)
    const base = whole + at - ZEROS + 1
    copyRange(input, base, base + n + k.taps, k.input.fill(0, 0, n + k.taps))
    k.space.run.filter(k.input.byteOffset, k.row.byteOffset, k.taps, k.output.byteOffset, (n + 15) & ~15)
    out.set(k.output.subarray(0, n), at)
  }
}
