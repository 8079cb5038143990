// Judgement by a small network of one hidden layer over features.

/** Inputs of a network, scaled by (x - mean) / spread, and its hidden units, which are tanh. */
interface Units {
  readonly mean: readonly number[]
  readonly spread: readonly number[]
  /** [hidden][inputs + 1], the last being the bias. */
  readonly hidden: readonly (readonly number[])[]
}

/** Weights of a network that says yes or no. */
export interface Network extends Units {
  /** [hidden + 1], the last being the bias. */
  readonly output: readonly number[]
}

/** Weights of a network that chooses one of several. */
export interface Chooser extends Units {
  /** [choices][hidden + 1], the last being the bias. */
  readonly outputs: readonly (readonly number[])[]
}

function unit(n: Units, h: number, x: Float32Array): number {
  const w = n.hidden[h]!
  let a = w[x.length]!
  for (let i = 0; i < x.length; i++) a += w[i]! * ((x[i]! - n.mean[i]!) / n.spread[i]!)
  return Math.tanh(a)
}

/** Output of a network before the logistic: log-odds. */
export function logOdds(n: Network, x: Float32Array): number {
  let z = n.output[n.hidden.length]!
  for (let h = 0; h < n.hidden.length; h++) z += n.output[h]! * unit(n, h, x)
  return z
}

/** How likely each choice is: a softmax over the outputs. */
export function chances(n: Chooser, x: Float32Array): Float64Array {
  const units = n.hidden.length
  const z = Float64Array.from(n.outputs, (w) => w[units]!)
  for (let h = 0; h < units; h++) {
    const a = unit(n, h, x)
    n.outputs.forEach((w, c) => (z[c]! += w[h]! * a))
  }
  const top = z.reduce((m, v) => Math.max(m, v), -Infinity)
  let total = 0
  for (let c = 0; c < z.length; c++) total += z[c] = Math.exp(z[c]! - top)
  for (let c = 0; c < z.length; c++) z[c]! /= total
  return z
}

/** Probability that the features are those of a note's start. */
export const judge = (n: Network, x: Float32Array): number => 1 / (1 + Math.exp(-logOdds(n, x)))
