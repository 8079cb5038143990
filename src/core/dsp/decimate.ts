// Lowering the sampling rate by powers of two, for analysis.
import { workspace } from './kernels/kernels'
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
 * Every second sample of the low-passed signal: out[i] is at x[HALVE_REACH + 2 i].
 *
 * @param x samples with HALVE_REACH of margin on either side
 * @returns floor((x.length - 2 * HALVE_REACH + 1) / 2) samples
 */
export function halve(x: Float32Array): Float32Array {
  const count = Math.max(0, Math.floor((x.length - 2 * HALVE_REACH + 1) / 2))
  const out = new Float32Array(count)
  room ??= makeRoom()
  const { run, input, even, odd, taps, low } = room
  for (let at = 0; at < count; at += BLOCK) {
    const n = Math.min(BLOCK, count - at)
    const from = 2 * at
    const to = Math.min(x.length, from + 2 * (BLOCK + HALVE_REACH))
    input.set(x.subarray(from, to))
    run.deinterleave(input.byteOffset, even.byteOffset, odd.byteOffset, n + HALVE_REACH + 1)
    run.halfBand(even.byteOffset, odd.byteOffset, taps.byteOffset, low.byteOffset, n)
    out.set(low.subarray(0, n), at)
  }
  return out
}

/** Output samples made at a time. */
const BLOCK = 4096

function makeRoom() {
  const half = BLOCK + HALVE_REACH + 4
  const { run, floats } = workspace(5 * half + PAIRS)
  const taps = floats(PAIRS)
  taps.set(TAPS)
  return { run, taps, input: floats(2 * half), even: floats(half), odd: floats(half), low: floats(BLOCK) }
}
let room: ReturnType<typeof makeRoom> | undefined
