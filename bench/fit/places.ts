// Fits the network that says where an attack begins whose start no rise shows, by Adam on a softmax over places.
import { chance } from '../corpus/chance'
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

/**
 * @param hidden units; @param decay pull of every weight towards 0
 * Source: D. Kingma & J. Ba, "Adam: a method for stochastic optimization", ICLR 2015.
 */
export function fitPlaces(
  examples: readonly Placed[],
  hidden: number,
  epochs: number,
  decay: number,
  seed = 7,
): Chooser {
  const inputs = examples[0]!.x.length
  const mean = Array.from(
    { length: inputs },
    (_, i) => examples.reduce((s, e) => s + e.x[i]!, 0) / examples.length,
  )
  const spread = mean.map(
    (m, i) => Math.sqrt(examples.reduce((s, e) => s + (e.x[i]! - m) ** 2, 0) / examples.length) + 1e-3,
  )
  const scaled = examples.map((e) => Float64Array.from(e.x, (v, i) => (v - mean[i]!) / spread[i]!))
  const wanted = examples.map((e) => rightness(e.late))
  const [row, out] = [inputs + 1, hidden + 1]
  const first = hidden * row
  const count = first + PLACES * out
  const random = chance(seed)
  const w = Float64Array.from({ length: count }, () => random.loose(0.1))
  const [m, v, g] = [new Float64Array(count), new Float64Array(count), new Float64Array(count)]
  const [a, back, z] = [new Float64Array(hidden), new Float64Array(hidden), new Float64Array(PLACES)]
  const addGradient = (x: Float64Array, right: Float64Array, weight: number): void => {
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
  }
  const order = examples.map((_, i) => i)
  const batch = 64
  let step = 0
  for (let epoch = 0; epoch < epochs; epoch++) {
    for (let i = order.length - 1; i > 0; i--) {
      const j = random.whole(0, i)
      ;[order[i], order[j]] = [order[j]!, order[i]!]
    }
    const rate = 0.005 * (1 - epoch / epochs) + 0.0003
    for (let b = 0; b < order.length; b += batch) {
      g.fill(0)
      let total = 0
      for (const q of order.slice(b, b + batch)) {
        const { weight } = examples[q]!
        addGradient(scaled[q]!, wanted[q]!, weight)
        total += weight
      }
      step++
      for (let k = 0; k < count; k++) {
        const d = g[k]! / total + decay * w[k]!
        m[k] = 0.9 * m[k]! + 0.1 * d
        v[k] = 0.999 * v[k]! + 0.001 * d * d
        w[k]! -= (rate * (m[k]! / (1 - 0.9 ** step))) / (Math.sqrt(v[k]! / (1 - 0.999 ** step)) + 1e-8)
      }
    }
  }
  const round = (x: number): number => Number(x.toFixed(4))
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
