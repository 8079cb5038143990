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
  const resting = usable.map(({ right }) => new Uint8Array(right.length))
  const row = inputs + 1
  // Units beyond those asked for have no weights, and none come to them.
  const units = Math.ceil(hidden / AT_ONCE) * AT_ONCE
  const random = chance(seed)
  const begun = (length: number): Float64Array => Float64Array.from({ length }, () => random.loose(0.15))
  const w = new Float64Array(units * row + units)
  w.set(begun(hidden * row))
  w.set(begun(hidden), units * row)
  descend(w, usable.length, { batch: 16, epochs, decay, rates: [0.008, 0.0003] }, random, (q, g) => {
    addGradient(features[q]!, usable[q]!.right, resting[q]!, w, g, inputs, units)
    return 1
  })
  return {
    mean: mean.map(round),
    spread: spread.map(round),
    hidden: Array.from({ length: hidden }, (_, h) => Array.from(w.subarray(h * row, (h + 1) * row), round)),
    output: [...Array.from(w.subarray(units * row, units * row + hidden), round), 0],
  }
}

/** Hidden units that are computed at once, as fetching an input costs more than what is done with it. */
const AT_ONCE = 4

/** Wrong hypotheses of less than this probability are not looked at again until this many epochs have gone by. */
const HOPELESS = 1e-4
export const RESTS = 5

/** True where a hypothesis is looked at in this epoch; one that rests has waited an epoch more. */
export function isDue(resting: Uint8Array, q: number): boolean {
  if (!resting[q]) return true
  resting[q]!--
  return false
}

/** Lets wrong hypotheses without a chance rest. @param odds of each, 0 for those that were not looked at; @param total of them */
export function sendToRest(
  resting: Uint8Array,
  right: readonly number[],
  odds: Float64Array,
  total: number,
): void {
  for (let q = 0; q < odds.length; q++)
    if (!right[q] && odds[q]! > 0 && odds[q]! < HOPELESS * total) resting[q] = RESTS
}

/**
 * Adds the gradient of one recording's cross-entropy.
 *
 * @param resting epochs until each hypothesis is looked at again; changed
 * @param hidden a multiple of AT_ONCE
 */
function addGradient(
  x: Float64Array,
  right: readonly number[],
  resting: Uint8Array,
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
    if (!isDue(resting, q)) {
      z[q] = -Infinity
      continue
    }
    const from = q * inputs
    for (let h = 0; h < hidden; h += AT_ONCE) {
      const [w0, w1, w2, w3] = [h * row, (h + 1) * row, (h + 2) * row, (h + 3) * row]
      let [s0, s1, s2, s3] = [w[w0 + inputs]!, w[w1 + inputs]!, w[w2 + inputs]!, w[w3 + inputs]!]
      for (let i = 0; i < inputs; i++) {
        const v = x[from + i]!
        s0 += w[w0 + i]! * v
        s1 += w[w1 + i]! * v
        s2 += w[w2 + i]! * v
        s3 += w[w3 + i]! * v
      }
      const at = q * hidden + h
      act[at] = Math.tanh(s0)
      act[at + 1] = Math.tanh(s1)
      act[at + 2] = Math.tanh(s2)
      act[at + 3] = Math.tanh(s3)
    }
    for (let h = 0; h < hidden; h++) z[q]! += w[hidden * row + h]! * act[q * hidden + h]!
    if (z[q]! > top) top = z[q]!
  }
  let total = 0
  let good = 0
  for (let q = 0; q < n; q++) {
    z[q] = Math.exp(z[q]! - top)
    total += z[q]!
    if (right[q]) good += z[q]!
  }
  sendToRest(resting, right, z, total)
  const back = new Float64Array(hidden)
  for (let q = 0; q < n; q++) {
    const d = z[q]! / total - (right[q] ? z[q]! / good : 0)
    if (Math.abs(d) < 1e-6) continue
    for (let h = 0; h < hidden; h++) {
      const a = act[q * hidden + h]!
      g[hidden * row + h]! += d * a
      back[h] = d * w[hidden * row + h]! * (1 - a * a)
    }
    const from = q * inputs
    for (let h = 0; h < hidden; h += AT_ONCE) {
      const [b0, b1, b2, b3] = [back[h]!, back[h + 1]!, back[h + 2]!, back[h + 3]!]
      const [g0, g1, g2, g3] = [h * row, (h + 1) * row, (h + 2) * row, (h + 3) * row]
      for (let i = 0; i < inputs; i++) {
        const v = x[from + i]!
        g[g0 + i]! += b0 * v
        g[g1 + i]! += b1 * v
        g[g2 + i]! += b2 * v
        g[g3 + i]! += b3 * v
      }
      g[g0 + inputs]! += b0
      g[g1 + inputs]! += b1
      g[g2 + inputs]! += b2
      g[g3 + inputs]! += b3
    }
  }
}
