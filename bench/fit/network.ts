// Fits the small network that judges candidates, by Adam on the weighted cross-entropy.
import { chance } from '../corpus/chance'
import type { Network } from '../../src/core/analysis/judge'

export interface Example {
  readonly x: Float32Array
  /** 1 starts a note, 0 does not. */
  readonly y: number
  readonly weight: number
}

/**
 * @param examples, hidden units, epochs; @param decay pull of every weight towards 0; @param seed of its first weights
 * Source: D. Kingma & J. Ba, "Adam: a method for stochastic optimization", ICLR 2015.
 */
export function fitNetwork(
  examples: readonly Example[],
  hidden: number,
  epochs: number,
  decay: number,
  seed = 7,
): Network {
  const inputs = examples[0]!.x.length
  const mean = Array.from(
    { length: inputs },
    (_, i) => examples.reduce((s, e) => s + e.x[i]!, 0) / examples.length,
  )
  const spread = mean.map(
    (m, i) => Math.sqrt(examples.reduce((s, e) => s + (e.x[i]! - m) ** 2, 0) / examples.length) + 1e-3,
  )
  const scaled = examples.map((e) => Float64Array.from(e.x, (v, i) => (v - mean[i]!) / spread[i]!))
  const row = inputs + 1
  const count = hidden * row + hidden + 1
  const random = chance(seed)
  const w = Float64Array.from({ length: count }, () => random.loose(0.3))
  const [m, v, g] = [new Float64Array(count), new Float64Array(count), new Float64Array(count)]
  const a = new Float64Array(hidden)
  const order = examples.map((_, i) => i)
  const batch = 64
  let step = 0
  for (let epoch = 0; epoch < epochs; epoch++) {
    for (let i = order.length - 1; i > 0; i--) {
      const j = random.whole(0, i)
      ;[order[i], order[j]] = [order[j]!, order[i]!]
    }
    const rate = 0.01 * (1 - epoch / epochs) + 0.0005
    for (let b = 0; b < order.length; b += batch) {
      g.fill(0)
      let total = 0
      for (let q = b; q < Math.min(order.length, b + batch); q++) {
        const x = scaled[order[q]!]!
        const { y, weight } = examples[order[q]!]!
        let z = w[count - 1]!
        for (let h = 0; h < hidden; h++) {
          let s = w[h * row + inputs]!
          for (let i = 0; i < inputs; i++) s += w[h * row + i]! * x[i]!
          a[h] = Math.tanh(s)
          z += w[hidden * row + h]! * a[h]!
        }
        const d = weight * (1 / (1 + Math.exp(-z)) - y)
        total += weight
        g[count - 1]! += d
        for (let h = 0; h < hidden; h++) {
          g[hidden * row + h]! += d * a[h]!
          const back = d * w[hidden * row + h]! * (1 - a[h]! * a[h]!)
          for (let i = 0; i < inputs; i++) g[h * row + i]! += back * x[i]!
          g[h * row + inputs]! += back
        }
      }
      step++
      for (let k = 0; k < count; k++) {
        const d = g[k]! / Math.max(1e-6, total) + decay * w[k]!
        m[k] = 0.9 * m[k]! + 0.1 * d
        v[k] = 0.999 * v[k]! + 0.001 * d * d
        w[k]! -= (rate * (m[k]! / (1 - 0.9 ** step))) / (Math.sqrt(v[k]! / (1 - 0.999 ** step)) + 1e-8)
      }
    }
  }
  const round = (x: number): number => Number(x.toFixed(4))
  return {
    mean: mean.map(round),
    spread: spread.map(round),
    hidden: Array.from({ length: hidden }, (_, h) => Array.from(w.subarray(h * row, (h + 1) * row), round)),
    output: Array.from(w.subarray(hidden * row), round),
  }
}

/** One network that says what several say on the average: their hidden units side by side. All must scale alike. */
export function together(networks: readonly Network[]): Network {
  const share = (v: number): number => Number((v / networks.length).toFixed(5))
  const { mean, spread } = networks[0]!
  return {
    mean,
    spread,
    hidden: networks.flatMap((n) => n.hidden),
    output: [
      ...networks.flatMap((n) => n.output.slice(0, -1).map(share)),
      share(networks.reduce((sum, n) => sum + n.output[n.hidden.length]!, 0)),
    ],
  }
}
