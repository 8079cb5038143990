// Fits a small network that ranks the right hypothesis first, on a softmax over each recording's hypotheses.
import { chance } from '../corpus/chance'
import { descend, round, standardized } from './adam'
import type { Network } from '../../src/core/analysis/judge'

export interface Ranked {
  readonly features: readonly Float32Array[]
  /** 1 for right hypotheses, 0 for wrong ones. */
  readonly right: readonly number[]
}

/** @param hidden units; @param decay pull of every weight towards 0 */
export function fitRanking(
  sets: readonly Ranked[],
  hidden: number,
  epochs: number,
  decay: number,
  seed = 7,
): Network {
  const usable = sets.filter((s) => s.right.some((r) => r > 0))
  const { mean, spread, scaled } = standardized(usable.flatMap((s) => s.features))
  const inputs = mean.length
  let first = 0
  const features = usable.map(({ right }) => {
    const out = new Float64Array(right.length * inputs)
    for (let q = 0; q < right.length; q++) out.set(scaled[first++]!, q * inputs)
    return out
  })
  const row = inputs + 1
  const random = chance(seed)
  const w = Float64Array.from({ length: hidden * row + hidden }, () => random.loose(0.15))
  descend(w, usable.length, { batch: 16, epochs, decay, rates: [0.008, 0.0003] }, random, (q, g) => {
    addGradient(features[q]!, usable[q]!.right, w, g, inputs, hidden)
    return 1
  })
  return {
    mean: mean.map(round),
    spread: spread.map(round),
    hidden: Array.from({ length: hidden }, (_, h) => Array.from(w.subarray(h * row, (h + 1) * row), round)),
    output: [...Array.from(w.subarray(hidden * row), round), 0],
  }
}

/** Adds the gradient of one recording's cross-entropy. */
function addGradient(
  x: Float64Array,
  right: readonly number[],
  w: Float64Array,
  g: Float64Array,
  inputs: number,
  hidden: number,
): void {
  const n = right.length
  const row = inputs + 1
  const act = new Float64Array(n * hidden)
  const z = new Float64Array(n)
  let top = -Infinity
  for (let q = 0; q < n; q++) {
    for (let h = 0; h < hidden; h++) {
      let s = w[h * row + inputs]!
      for (let i = 0; i < inputs; i++) s += w[h * row + i]! * x[q * inputs + i]!
      const a = Math.tanh(s)
      act[q * hidden + h] = a
      z[q]! += w[hidden * row + h]! * a
    }
    if (z[q]! > top) top = z[q]!
  }
  let total = 0
  let good = 0
  for (let q = 0; q < n; q++) {
    z[q] = Math.exp(z[q]! - top)
    total += z[q]!
    if (right[q]) good += z[q]!
  }
  for (let q = 0; q < n; q++) {
    const d = z[q]! / total - (right[q] ? z[q]! / good : 0)
    if (Math.abs(d) < 1e-6) continue
    for (let h = 0; h < hidden; h++) {
      const a = act[q * hidden + h]!
      g[hidden * row + h]! += d * a
      const back = d * w[hidden * row + h]! * (1 - a * a)
      for (let i = 0; i < inputs; i++) g[h * row + i]! += back * x[q * inputs + i]!
      g[h * row + inputs]! += back
    }
  }
}
