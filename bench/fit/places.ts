// Fits the network that says where an attack begins whose start no rise shows, on a softmax over places.
import { chance } from '../corpus/chance'
import { descend, round, standardized } from './adam'
import type { Chooser } from '../../src/core/analysis/judge'
import { PLACES, PLACES_APART } from '../../src/core/analysis/likely-start'

/** Levels around an estimate, and how long after it the attack begins, seconds. */
export interface Placed {
  readonly x: Float32Array
  readonly late: number
  readonly weight: number
}

/** Places this far from the right one are nearly as right, seconds (standard deviation). */
const SPREAD = 0.003

/** How right every place is; the sum is 1. */
function rightness(late: number): Float64Array {
  const out = Float64Array.from({ length: PLACES }, (_, k) => {
    const off = ((k - (PLACES - 1) / 2) * PLACES_APART - late) / SPREAD
    return Math.exp(-0.5 * off * off) + 1e-12
  })
  const sum = out.reduce((s, v) => s + v, 0)
  return out.map((v) => v / sum)
}

/** @param hidden units; @param decay pull of every weight towards 0 */
export function fitPlaces(
  examples: readonly Placed[],
  hidden: number,
  epochs: number,
  decay: number,
  seed = 7,
): Chooser {
  const { mean, spread, scaled } = standardized(examples.map((e) => e.x))
  const inputs = mean.length
  const wanted = examples.map((e) => rightness(e.late))
  const [row, out] = [inputs + 1, hidden + 1]
  const first = hidden * row
  const count = first + PLACES * out
  const random = chance(seed)
  const w = Float64Array.from({ length: count }, () => random.loose(0.1))
  const [a, back, z] = [new Float64Array(hidden), new Float64Array(hidden), new Float64Array(PLACES)]
  const addGradient = (q: number, g: Float64Array): number => {
    const [x, right, { weight }] = [scaled[q]!, wanted[q]!, examples[q]!]
    for (let h = 0; h < hidden; h++) {
      let s = w[h * row + inputs]!
      for (let i = 0; i < inputs; i++) s += w[h * row + i]! * x[i]!
      a[h] = Math.tanh(s)
    }
    let top = -Infinity
    for (let c = 0; c < PLACES; c++) {
      const from = first + c * out
      let s = w[from + hidden]!
      for (let h = 0; h < hidden; h++) s += w[from + h]! * a[h]!
      z[c] = s
      top = Math.max(top, s)
    }
    let total = 0
    for (let c = 0; c < PLACES; c++) total += z[c] = Math.exp(z[c]! - top)
    back.fill(0)
    for (let c = 0; c < PLACES; c++) {
      const d = weight * (z[c]! / total - right[c]!)
      const from = first + c * out
      g[from + hidden]! += d
      for (let h = 0; h < hidden; h++) {
        g[from + h]! += d * a[h]!
        back[h]! += d * w[from + h]!
      }
    }
    for (let h = 0; h < hidden; h++) {
      const d = back[h]! * (1 - a[h]! * a[h]!)
      for (let i = 0; i < inputs; i++) g[h * row + i]! += d * x[i]!
      g[h * row + inputs]! += d
    }
    return weight
  }
  descend(w, examples.length, { batch: 64, epochs, decay, rates: [0.005, 0.0003] }, random, addGradient)
  const rows = (from: number, length: number, n: number): number[][] =>
    Array.from({ length: n }, (_, k) =>
      Array.from(w.subarray(from + k * length, from + (k + 1) * length), round),
    )
  return {
    mean: mean.map(round),
    spread: spread.map(round),
    hidden: rows(0, row, hidden),
    outputs: rows(first, out, PLACES),
  }
}
