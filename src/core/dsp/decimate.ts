// Lowering the sampling rate by powers of two, for analysis.
import { workspace } from './kernels/kernels'
import { copyRange } from './signal'
import { besselI0, kaiserBeta } from './windows'

/** Non-zero taps on one side of the centre. */
const PAIRS = 10
/** Input samples on either side that an output sample depends on. */
export const HALVE_REACH = 2 * PAIRS - 1

/**
 * The odd taps on one side of a half-band low-pass (the even ones are zero, the centre is 1/2).
 *
 * Source: half-band FIR by a Kaiser window (J. F. Kaiser, 1974), stop band 70 dB down from 0.3 of the input's rate on.
 */
const TAPS = Float64Array.from({ length: PAIRS }, (_, i) => {
  const n = 2 * i + 1
  const beta = kaiserBeta(70)
  const window = besselI0(beta * Math.sqrt(1 - (n / (2 * PAIRS)) ** 2)) / besselI0(beta)
  return (window * Math.sin((Math.PI * n) / 2)) / (Math.PI * n)
})

/**
 * Every second sample of the low-passed signal: out[i] is at x[from + 2 i], with zeros around x.
 *
 * @param from may lie outside x; @param count samples to make
 * @param out receives them from `at` on
 */
export function halveRange(
  x: Float32Array,
  from: number,
  count: number,
  out = new Float32Array(count),
  at = 0,
): Float32Array {
  room ??= makeRoom()
  const { run, input, even, odd, taps, low } = room
  for (let done = 0; done < count; done += BLOCK) {
    const n = Math.min(BLOCK, count - done)
    const start = from + 2 * done - HALVE_REACH
    const end = start + 2 * (n + HALVE_REACH + 1)
    // Where both lie alike in their words: what is copied out of shared memory otherwise goes byte by byte.
    const shift = (x.byteOffset / 4 + start) & 1
    if (start < 0 || end > x.length) input.fill(0)
    copyRange(x, start, end, input, shift)
    run.deinterleave(input.byteOffset + 4 * shift, even.byteOffset, odd.byteOffset, n + HALVE_REACH + 1)
    run.halfBand(even.byteOffset, odd.byteOffset, taps.byteOffset, low.byteOffset, n)
    out.set(low.subarray(0, n), at + done)
  }
  return out
}

/**
 * The same of a signal that brings its surroundings: out[i] is at x[HALVE_REACH + 2 i].
 *
 * @param x samples with HALVE_REACH of margin on either side
 * @returns floor((x.length - 2 * HALVE_REACH + 1) / 2) samples
 */
export const halve = (x: Float32Array): Float32Array =>
  halveRange(x, HALVE_REACH, Math.max(0, Math.floor((x.length - 2 * HALVE_REACH + 1) / 2)))

/** Output samples made at a time. */
const BLOCK = 4096

function makeRoom() {
  const half = BLOCK + HALVE_REACH + 4
  const { run, floats } = workspace(5 * half + PAIRS + 2)
  const taps = floats(PAIRS)
  taps.set(TAPS)
  return { run, taps, input: floats(2 * half + 2), even: floats(half), odd: floats(half), low: floats(BLOCK) }
}
let room: ReturnType<typeof makeRoom> | undefined
