// Where an attack begins whose start no single rise of level shows: by the levels all around it, and by its rises.
import { chances, type Chooser } from './judge'

/** Places that it may have: so many, this far apart, seconds, the estimate in their middle. */
export const PLACES = 45
export const PLACES_APART = 0.002
const MIDDLE = (PLACES - 1) / 2
/** The likeliest window of places has this many on either side of its middle. */
const WINDOW = 4
/** A rise speaks for the places around it, and the frames' estimate for those around it, seconds (standard deviation). */
const OF_RISE = 0.002
const OF_ESTIMATE = 0.012
/** Log-odds of the estimate beside those of the rises. */
const ESTIMATE = -3

/** A place after the estimate, seconds, and the log-odds that the attack begins there. */
export interface Likely {
  readonly late: number
  readonly odds: number
}

/** Adds how likely each place is by one rise; its sum is `share`. */
function addAround(late: number, share: number, spread: number, out: Float64Array): void {
  const height = (share * PLACES_APART) / (spread * Math.sqrt(2 * Math.PI))
  for (let k = 0; k < PLACES; k++) {
    const off = ((k - MIDDLE) * PLACES_APART - late) / spread
    out[k]! += height * Math.exp(-0.5 * off * off)
  }
}

/**
 * The start of an attack: the mean of the likeliest 18 ms, by how likely each place in them is. Half of that is what a
 * small network thinks of the levels around, half what the rises and the estimate say.
 *
 * @param levels as `heardAround` gives them; @param rises those near, in any order
 * @returns seconds after the estimate
 */
export function likelyStart(network: Chooser, levels: Float32Array, rises: readonly Likely[]): number {
  const likely = chances(network, levels)
  const total = rises.reduce((sum, r) => sum + Math.exp(r.odds), Math.exp(ESTIMATE))
  addAround(0, Math.exp(ESTIMATE) / total, OF_ESTIMATE, likely)
  for (const r of rises) addAround(r.late, Math.exp(r.odds) / total, OF_RISE, likely)
  let [most, start] = [0, 0]
  for (let middle = 0; middle < PLACES; middle++) {
    let [sum, weighed] = [0, 0]
    for (let k = Math.max(0, middle - WINDOW); k <= Math.min(PLACES - 1, middle + WINDOW); k++) {
      sum += likely[k]!
      weighed += likely[k]! * (k - MIDDLE)
    }
    if (sum <= most) continue
    most = sum
    start = (weighed / sum) * PLACES_APART
  }
  return start
}
