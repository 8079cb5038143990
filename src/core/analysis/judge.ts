// Judgement by a small network of one hidden layer over features.

/** Weights of a network: inputs are scaled by (x - mean) / spread; hidden units are tanh. */
export interface Network {
  readonly mean: readonly number[]
  readonly spread: readonly number[]
  /** [hidden][inputs + 1], the last being the bias. */
  readonly hidden: readonly (readonly number[])[]
  /** [hidden + 1], the last being the bias. */
  readonly output: readonly number[]
}

/** Output of a network before the logistic: log-odds. */
export function logOdds(n: Network, x: Float32Array): number {
  let z = n.output[n.hidden.length]!
  for (let h = 0; h < n.hidden.length; h++) {
    const w = n.hidden[h]!
    let a = w[x.length]!
    for (let i = 0; i < x.length; i++) a += w[i]! * ((x[i]! - n.mean[i]!) / n.spread[i]!)
    z += n.output[h]! * Math.tanh(a)
  }
  return z
}

/** Probability that the features are those of a note's start. */
export const judge = (n: Network, x: Float32Array): number => 1 / (1 + Math.exp(-logOdds(n, x)))
