// What a prediction leaves of a voice comes again with every period: samples are weighed by their place in it.

/** A period is looked at in this many places, each with what lies this near, periods. */
const PLACES = 32
const NEAR = 0.15
/** What a prediction leaves of a place is taken to be this share of its mean power at least, so that no place decides alone. */
const LEAST_LEFT = 0.01

/**
 * Fills the weights of samples and tells how unlike its places are: the mean of what is left of them over its geometric
 * mean, 1 for noise and tones, 2 and more for a voice's pulses.
 *
 * @param squares of what is left of each; @param window of its own; @param n samples
 * @param period samples, fractional, more than one; @param weights receives n of them
 */
export type Weigh = (
  squares: Float64Array,
  window: Float32Array,
  n: number,
  period: number,
  weights: Float32Array,
) => number

/** Opens what weighs samples by the inverse of the mean power that is left near their place in the period. */
export function periodWeights(): Weigh {
  const [sums, shares] = [new Float64Array(PLACES + 1), new Float64Array(PLACES + 1)]
  const powers = new Float64Array(PLACES + 1)
  const reach = Math.floor(NEAR * PLACES)
  const near = Float64Array.from(
    { length: 2 * reach + 1 },
    (_, k) => 0.5 + 0.5 * Math.cos((Math.PI * (k - reach)) / (NEAR * PLACES)),
  )
  return (squares, window, n, period, weights) => {
    sums.fill(0)
    shares.fill(0)
    let power = 0
    const step = PLACES / period
    for (let i = 0, at = 0; i < n; i++, at += step) {
      if (at >= PLACES) at -= PLACES
      const k = Math.floor(at)
      const [w, second] = [window[i]!, window[i]! * (at - k)]
      sums[k]! += (w - second) * squares[i]!
      shares[k]! += w - second
      sums[k + 1]! += second * squares[i]!
      shares[k + 1]! += second
      power += squares[i]! / n
    }
    sums[0]! += sums[PLACES]!
    shares[0]! += shares[PLACES]!
    const least = LEAST_LEFT * power + 1e-30
    let [mean, log] = [0, 0]
    for (let k = 0; k < PLACES; k++) {
      let [sum, share] = [0, 1e-30]
      for (let d = 0; d < near.length; d++) {
        const place = (k + d - reach + PLACES) % PLACES
        sum += near[d]! * sums[place]!
        share += near[d]! * shares[place]!
      }
      powers[k] = Math.max(least, sum / share)
      mean += powers[k]! / PLACES
      log += Math.log(powers[k]!) / PLACES
    }
    powers[PLACES] = powers[0]!
    for (let i = 0, at = 0; i < n; i++, at += step) {
      if (at >= PLACES) at -= PLACES
      const k = Math.floor(at)
      weights[i] = window[i]! / (powers[k]! + (at - k) * (powers[k + 1]! - powers[k]!))
    }
    return mean / Math.exp(log)
  }
}
