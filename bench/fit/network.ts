// Fits the small network that judges candidates, on the weighted cross-entropy.
import { chance } from '../corpus/chance'
import { descend, round, standardized } from './adam'
import type { Network } from '../../src/core/analysis/judge'

export interface Example {
  readonly x: Float32Array
  /** 1 starts a note, 0 does not. */
  readonly y: number
  readonly weight: number
}

/** @param examples, hidden units, epochs; @param decay pull of every weight towards 0; @param seed of its first weights */
export function fitNetwork(
  examples: readonly Example[],
  hidden: number,
  epochs: number,
  decay: number,
  seed = 7,
): Network {
  const { mean, spread, scaled } = standardized(examples.map((e) => e.x))
  const inputs = mean.length
  const row = inputs + 1
  const count = hidden * row + hidden + 1
  const random = chance(seed)
  const w = Float64Array.from({ length: count }, () => random.loose(0.3))
  const a = new Float64Array(hidden)
  const addGradient = (q: number, g: Float64Array): number => {
    const x = scaled[q]!
    const { y, weight } = examples[q]!
    let z = w[count - 1]!
    for (let h = 0; h < hidden; h++) {
      let s = w[h * row + inputs]!
      for (let i = 0; i < inputs; i++) s += w[h * row + i]! * x[i]!
      a[h] = Math.tanh(s)
      z += w[hidden * row + h]! * a[h]!
    }
    const d = weight * (1 / (1 + Math.exp(-z)) - y)
    g[count - 1]! += d
    for (let h = 0; h < hidden; h++) {
      g[hidden * row + h]! += d * a[h]!
      const back = d * w[hidden * row + h]! * (1 - a[h]! * a[h]!)
      for (let i = 0; i < inputs; i++) g[h * row + i]! += back * x[i]!
      g[h * row + inputs]! += back
    }
    return weight
  }
  descend(w, examples.length, { batch: 64, epochs, decay, rates: [0.01, 0.0005] }, random, addGradient)
  return {
    mean: mean.map(round),
    spread: spread.map(round),
    hidden: Array.from({ length: hidden }, (_, h) => Array.from(w.subarray(h * row, (h + 1) * row), round)),
    output: Array.from(w.subarray(hidden * row), round),
  }
}

/** The same network with its inputs scaled as another's are. */
function rescaled(n: Network, { mean, spread }: Network): Network {
  const inputs = mean.length
  const hidden = n.hidden.map((row) => {
    const shift = mean.reduce((sum, m, i) => sum + (row[i]! * (m - n.mean[i]!)) / n.spread[i]!, 0)
    return [...mean.map((_, i) => round((row[i]! * spread[i]!) / n.spread[i]!)), round(row[inputs]! + shift)]
  })
  return { ...n, mean, spread, hidden }
}

/** One network that says what several say on the average: their hidden units side by side. */
export function together(networks: readonly Network[]): Network {
  const share = (v: number): number => Number((v / networks.length).toFixed(5))
  const first = networks[0]!
  return {
    mean: first.mean,
    spread: first.spread,
    hidden: networks.flatMap((n) => (n === first ? n : rescaled(n, first)).hidden),
    output: [
      ...networks.flatMap((n) => n.output.slice(0, -1).map(share)),
      share(networks.reduce((sum, n) => sum + n.output[n.hidden.length]!, 0)),
    ],
  }
}
