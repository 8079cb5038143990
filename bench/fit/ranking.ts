// Fits a small network that ranks the right hypothesis first, by Adam on a softmax over each recording's hypotheses.
import { chance } from '../corpus/chance'
import type { Network } from '../../src/core/analysis/judge'

export interface Ranked {
  readonly features: readonly Float32Array[]
  /** 1 for right hypotheses, 0 for wrong ones. */
  readonly right: readonly number[]
}

/**
 * @param hidden units; @param decay pull of every weight towards 0
 * Source: D. Kingma & J. Ba, "Adam: a method for stochastic optimization", ICLR 2015.
 */
export function fitRanking(
  sets: readonly Ranked[],
  hidden: number,
  epochs: number,
  decay: number,
  seed = 7,
): Network {
  const usable = sets.filter((s) => s.right.some((r) => r > 0))
  const all = usable.flatMap((s) => s.features)
  const inputs = all[0]!.length
  const mean = Float64Array.from(
    { length: inputs },
    (_, i) => all.reduce((s, x) => s + x[i]!, 0) / all.length,
  )
  const spread = mean.map(
    (m, i) => Math.sqrt(all.reduce((s, x) => s + (x[i]! - m) ** 2, 0) / all.length) + 1e-3,
  )
  const scaled = usable.map((s) => {
    const out = new Float64Array(s.features.length * inputs)
    s.features.forEach((x, q) => x.forEach((v, i) => (out[q * inputs + i] = (v - mean[i]!) / spread[i]!)))
    return out
  })
  const row = inputs + 1
  const count = hidden * row + hidden
  const random = chance(seed)
  const w = Float64Array.from({ length: count }, () => random.loose(0.15))
  const m = new Float64Array(count)
  const v = new Float64Array(count)
  const g = new Float64Array(count)
  const order = usable.map((_, i) => i)
  const batch = 16
  let step = 0
  for (let epoch = 0; epoch < epochs; epoch++) {
    for (let i = order.length - 1; i > 0; i--) {
      const j = random.whole(0, i)
      ;[order[i], order[j]] = [order[j]!, order[i]!]
    }
    const rate = 0.008 * (1 - epoch / epochs) + 0.0003
    for (let b = 0; b < order.length; b += batch) {
      g.fill(0)
      const members = order.slice(b, b + batch)
      for (const q of members) addGradient(scaled[q]!, usable[q]!.right, w, g, inputs, hidden)
      step++
      for (let k = 0; k < count; k++) {
        const d = g[k]! / members.length + decay * w[k]!
        m[k] = 0.9 * m[k]! + 0.1 * d
        v[k] = 0.999 * v[k]! + 0.001 * d * d
        w[k]! -= (rate * (m[k]! / (1 - 0.9 ** step))) / (Math.sqrt(v[k]! / (1 - 0.999 ** step)) + 1e-8)
      }
    }
  }
  const round = (x: number): number => Number(x.toFixed(4))
  return {
    mean: Array.from(mean, round),
    spread: Array.from(spread, round),
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
