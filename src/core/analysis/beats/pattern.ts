// How a rhythm repeats: what happens within each beat, compared over whole numbers of beats, whatever the tempo does.
import { largestNear } from './accents'
import { RATE, type Rhythm } from './rhythm'

/** Cells a beat: its halves, thirds, quarters and sixths begin in cells of their own. */
const CELLS = 12
/** Longest repeat that is looked at, beats. */
export const LONGEST_REPEAT = 12
/** A single event counts at most so much, in spreads. */
const MOST = 3

/** A curve in the cells of all beats, with mean 0 and variance 1. */
function inCells(x: Float32Array, beats: readonly number[]): Float32Array {
  const out = new Float32Array(Math.max(0, beats.length - 1) * CELLS)
  let [sum, squares] = [0, 0]
  for (let i = 0; i + 1 < beats.length; i++) {
    const step = (beats[i + 1]! - beats[i]!) / CELLS
    const reach = Math.max(1, Math.round((step * RATE) / 2))
    for (let c = 0; c < CELLS; c++) {
      const v = largestNear(x, beats[i]! + c * step, reach)
      out[i * CELLS + c] = v
      sum += v
      squares += v * v
    }
  }
  const mean = sum / Math.max(1, out.length)
  const spread = Math.sqrt(Math.max(0, squares / Math.max(1, out.length) - mean * mean)) + 1e-6
  return out.map((v) => Math.min(MOST, (v - mean) / spread))
}

/**
 * How alike a rhythm is to itself so many beats later: correlation of the notes' starts and of the flux in each region
 * over twelfths of beats, about 0-1; index 0 is not used.
 *
 * Source: common practice (beat-synchronous self-similarity), e.g. J. Foote & S. Uchihashi, "The beat spectrum", ICME
 * 2001.
 */
export function patternRepeats(r: Rhythm, beats: readonly number[]): Float32Array {
  const curves = [r.onset, ...r.regions].map((x) => inCells(x, beats))
  const out = new Float32Array(LONGEST_REPEAT + 1)
  for (let lag = 1; lag <= LONGEST_REPEAT; lag++) {
    const shift = lag * CELLS
    for (const x of curves) {
      if (x.length <= shift) continue
      let sum = 0
      for (let i = shift; i < x.length; i++) sum += x[i]! * x[i - shift]!
      out[lag]! += sum / ((x.length - shift) * curves.length)
    }
  }
  return out
}
