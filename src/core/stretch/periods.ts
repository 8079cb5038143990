// How far a sound may jump without being heard: the lag at which its wave matches itself best.
import { workspace, type Workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'

/** A jump and how well the wave matches there, -1 to 1. */
export interface Lag {
  /** Samples. */
  readonly length: number
  readonly match: number
}

/** Room for searches at one rate. */
export interface LagSearch {
  readonly rate: number
  readonly least: number
  readonly most: number
  /** Samples compared. */
  readonly width: number
  /** Samples that the first, coarse search takes together. */
  readonly coarse: number
  readonly space: Workspace
  /** Both stretches of the wave, every channel after the other, coarse and fine; and the matches at every lag. */
  readonly still: Float32Array
  readonly moving: Float32Array
  readonly matches: Float32Array
  readonly products: Float32Array
  readonly energies: Float32Array
}

/** Compared around the jump, seconds. */
const WIDTH = 0.014
/** The coarse search works at about this rate, Hz. */
const COARSE_RATE = 11025
/** The shortest lag that matches nearly as well as the best is taken. */
const NEARLY = 0.985

let kept: LagSearch | undefined

/** Room for searches. @param rate Hz; @param least, most limits of the lag, seconds */
export function lagSearch(rate: number, least: number, most: number): LagSearch {
  if (kept?.rate !== rate || kept.least !== Math.round(least * rate) || kept.most !== Math.round(most * rate))
    kept = makeRoom(rate, least, most)
  return kept
}

function makeRoom(rate: number, least: number, most: number): LagSearch {
  const width = Math.round(WIDTH * rate)
  const longest = Math.round(most * rate)
  const space = workspace(2 * width + 4 * longest + 96, 5)
  return {
    rate,
    least: Math.round(least * rate),
    most: longest,
    width,
    coarse: Math.max(1, Math.round(rate / COARSE_RATE)),
    space,
    still: space.floats(width),
    moving: space.floats(width + longest + 32),
    matches: space.floats(longest + 1),
    products: space.floats(longest + 1),
    energies: space.floats(longest + 1),
  }
}

/**
 * Adds up, over channels, the products of the wave at a place with itself `lag` later or earlier, and both energies.
 */
function compare(
  s: LagSearch,
  channels: readonly Float32Array[],
  place: number,
  way: 1 | -1,
  from: number,
  to: number,
  by: number,
): void {
  const { width, still, moving, matches, products, energies, space } = s
  const lags = to - from + 1
  const { run } = space
  const n = Math.floor(width / by)
  products.fill(0, 0, lags)
  energies.fill(0, 0, lags)
  let own = 1e-20
  for (const c of channels) {
    copyRange(c, place, place + width, still.fill(0))
    const first = way > 0 ? place + from * by : place - to * by
    copyRange(c, first, first + moving.length, moving.fill(0))
    if (by > 1) {
      run.coarsen(still.byteOffset, n, by)
      run.coarsen(moving.byteOffset, n + lags, by)
    }
    own += run.slide(still.byteOffset, moving.byteOffset, n, lags, products.byteOffset, energies.byteOffset)
  }
  for (let i = 0; i < lags; i++) {
    const lag = way > 0 ? from + i : to - i
    matches[lag] = products[i]! / Math.sqrt(own * (energies[i]! + 1e-20))
  }
}

/**
 * The best jump from a place of the recording.
 *
 * Normalized cross-correlation of the wave from there on with the wave a lag away, coarse over all lags, then to the
 * sample; of several good lags the shortest.
 *
 * @param way -1 backwards, 1 forwards
 */
export function bestLag(s: LagSearch, channels: readonly Float32Array[], place: number, way: 1 | -1): Lag {
  const by = s.coarse
  const [from, to] = [Math.ceil(s.least / by), Math.floor(s.most / by)]
  compare(s, channels, place, way, from, to, by)
  const { matches } = s
  let best = from
  for (let lag = from; lag <= to; lag++) if (matches[lag]! > matches[best]!) best = lag
  for (let lag = from + 1; lag < best; lag++)
    if (
      matches[lag]! >= NEARLY * matches[best]! &&
      matches[lag]! >= matches[lag - 1]! &&
      matches[lag]! >= matches[lag + 1]!
    ) {
      best = lag
      break
    }
  if (by === 1) return { length: best, match: matches[best]! }
  const lo = Math.max(s.least, (best - 1) * by)
  const hi = Math.min(s.most, (best + 1) * by)
  compare(s, channels, place, way, lo, hi, 1)
  let fine = lo
  for (let lag = lo; lag <= hi; lag++) if (matches[lag]! > matches[fine]!) fine = lag
  return { length: fine, match: matches[fine]! }
}
