// Lowering the sampling rate by powers of two, for analysis.
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
  const [t0, t1, t2, t3, t4, t5, t6, t7, t8, t9] = TAPS as unknown as number[]
  for (let i = 0; i < count; i++) {
    const c = HALVE_REACH + 2 * i
    out[i] =
      0.5 * x[c]! +
      t0! * (x[c - 1]! + x[c + 1]!) +
      t1! * (x[c - 3]! + x[c + 3]!) +
      t2! * (x[c - 5]! + x[c + 5]!) +
      t3! * (x[c - 7]! + x[c + 7]!) +
      t4! * (x[c - 9]! + x[c + 9]!) +
      t5! * (x[c - 11]! + x[c + 11]!) +
      t6! * (x[c - 13]! + x[c + 13]!) +
      t7! * (x[c - 15]! + x[c + 15]!) +
      t8! * (x[c - 17]! + x[c + 17]!) +
      t9! * (x[c - 19]! + x[c + 19]!)
  }
  return out
}
