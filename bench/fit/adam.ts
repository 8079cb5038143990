// What all fits of small networks have in common: inputs that are scaled alike, batches, and Adam.
import type { Chance } from '../corpus/chance'

/** Inputs scaled to a mean of 0 and a spread of 1, and what they were scaled by. */
export interface Standardized {
  readonly mean: readonly number[]
  readonly spread: readonly number[]
  readonly scaled: readonly Float64Array[]
}

export function standardized(xs: readonly Float32Array[]): Standardized {
  const mean = Array.from({ length: xs[0]!.length }, (_, i) => xs.reduce((s, x) => s + x[i]!, 0) / xs.length)
  const spread = mean.map(
    (m, i) => Math.sqrt(xs.reduce((s, x) => s + (x[i]! - m) ** 2, 0) / xs.length) + 1e-3,
  )
  return { mean, spread, scaled: xs.map((x) => Float64Array.from(x, (v, i) => (v - mean[i]!) / spread[i]!)) }
}

/** Numbers that weights are written with. */
export const round = (x: number): number => Number(x.toFixed(4))

/**
 * Moves weights down the gradient, batch by batch, in another order in every epoch.
 *
 * @param w the weights; @param examples how many there are; @param decay pull of every weight towards 0
 * @param rates of the first epoch beyond the last one's, and of the last
 * @param addGradient adds the gradient of an example and returns its weight
 * Source: D. Kingma & J. Ba, "Adam: a method for stochastic optimization", ICLR 2015.
 */
export function descend(
  w: Float64Array,
  examples: number,
  { batch, epochs, decay, rates }: { batch: number; epochs: number; decay: number; rates: [number, number] },
  random: Chance,
  addGradient: (example: number, g: Float64Array) => number,
): void {
  const [m, v, g] = [new Float64Array(w.length), new Float64Array(w.length), new Float64Array(w.length)]
  const order = Array.from({ length: examples }, (_, i) => i)
  let step = 0
  for (let epoch = 0; epoch < epochs; epoch++) {
    for (let i = order.length - 1; i > 0; i--) {
      const j = random.whole(0, i)
      ;[order[i], order[j]] = [order[j]!, order[i]!]
    }
    const rate = rates[0] * (1 - epoch / epochs) + rates[1]
    for (let b = 0; b < order.length; b += batch) {
      g.fill(0)
      let total = 0
      for (const q of order.slice(b, b + batch)) total += addGradient(q, g)
      step++
      for (let k = 0; k < w.length; k++) {
        const d = g[k]! / Math.max(1e-6, total) + decay * w[k]!
        m[k] = 0.9 * m[k]! + 0.1 * d
        v[k] = 0.999 * v[k]! + 0.001 * d * d
        w[k]! -= (rate * (m[k]! / (1 - 0.9 ** step))) / (Math.sqrt(v[k]! / (1 - 0.999 ** step)) + 1e-8)
      }
    }
  }
}
