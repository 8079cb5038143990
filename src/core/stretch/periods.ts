// How far a sound may jump without being heard: the lag at which its wave matches itself best.
import { workspace, type Workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import { latest } from '../latest'

/** A jump and how well the wave matches there, -1 to 1. */
export interface Lag {
  /** Samples. */
  readonly length: number
  readonly match: number
  /** So many samples more than its length it matches best. */
  readonly between: number
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

/** Samples past the last that may be read along with it. */
const PAST = 32
/** Compared around the jump, seconds. */
const WIDTH = 0.014
/** The coarse search works at about this rate, Hz. */
const COARSE_RATE = 11025
/** The shortest lag that matches nearly as well as the best is taken. */
const NEARLY = 0.985

/** Rooms by rate and limits: methods that look for different lags may take turns. */
const rooms = latest<string, LagSearch>(4)

/** Room for searches. @param rate Hz; @param least, most limits of the lag, seconds */
export const lagSearch = (rate: number, least: number, most: number): LagSearch =>
  rooms.of(`${rate} ${least} ${most}`, () => makeRoom(rate, least, most))

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
    moving: space.floats(width + longest + PAST),
    matches: space.floats(longest + 1),
    products: space.floats(longest + 1),
    energies: space.floats(longest + 1),
  }
}

/** Where a wave is read from, forward or backward. */
interface From {
  readonly place: number
  readonly way: 1 | -1
}

/** Copies `count` samples as they are read. */
function load(x: Float32Array, { place, way }: From, count: number, out: Float32Array): void {
  out.fill(0, 0, count)
  if (way > 0) copyRange(x, place, place + count, out)
  else {
    copyRange(x, place + 1 - count, place + 1, out)
    out.subarray(0, count).reverse()
  }
}

/**
 * Adds up, over channels, the products of one wave with another that begins so many samples later and later, and the
 * energies of both.
 *
 * @returns energy of the first
 */
function compare(
  s: LagSearch,
  channels: readonly Float32Array[],
  one: From,
  other: From,
  lags: number,
  by: number,
): number {
  const { width, still, moving, products, energies, space } = s
  const { run } = space
  const n = Math.floor(width / by)
  products.fill(0, 0, lags)
  energies.fill(0, 0, lags)
  let own = 1e-20
  for (const c of channels) {
    load(c, one, width, still)
    load(c, other, Math.min(moving.length, (n + lags) * by + PAST), moving)
    if (by > 1) {
      run.coarsen(still.byteOffset, n, by)
      run.coarsen(moving.byteOffset, n + lags, by)
    }
    own += run.slide(still.byteOffset, moving.byteOffset, n, lags, products.byteOffset, energies.byteOffset)
  }
  return own
}

/**
 * How far from a lag the match is best, samples, -0.5 to 0.5: where the cosine through three matches has its crest, which is
 * exact for a tone however few samples a period has.
 *
 * @param from, to lags whose matches are there
 */
function betweenOf(matches: Float32Array, lag: number, from: number, to: number): number {
  if (lag <= from || lag >= to) return 0
  const [a, b, c] = [matches[lag - 1]!, matches[lag]!, matches[lag + 1]!]
  const cosine = (a + c) / (2 * b)
  if (!(b > 0 && cosine > 0 && cosine < 1)) return 0
  const sine = Math.sqrt(1 - cosine * cosine)
  const crest = Math.atan((c - a) / (2 * b * sine)) / Math.acos(cosine)
  return Math.max(-0.5, Math.min(0.5, crest))
}

/**
 * The lag at which two waves match best: normalized cross-correlation, coarse over all lags, then to the sample; of several
 * good lags the shortest.
 *
 * @param otherAt where the other wave is read from for lags `from` to `to`, and whether the first of them is the longest
 */
function best(
  s: LagSearch,
  channels: readonly Float32Array[],
  one: From,
  least: number,
  most: number,
  otherAt: (from: number, to: number) => { readonly from: From; readonly falling: boolean },
): Lag {
  const { matches, products, energies } = s
  const fill = (from: number, to: number, by: number): void => {
    const other = otherAt(from * by, to * by)
    const own = compare(s, channels, one, other.from, to - from + 1, by)
    for (let i = 0; i <= to - from; i++)
      matches[other.falling ? to - i : from + i] = products[i]! / Math.sqrt(own * (energies[i]! + 1e-20))
  }
  const by = s.coarse
  const [from, to] = [Math.ceil(least / by), Math.floor(most / by)]
  fill(from, to, by)
  let found = from
  for (let lag = from; lag <= to; lag++) if (matches[lag]! > matches[found]!) found = lag
  for (let lag = from + 1; lag < found; lag++)
    if (
      matches[lag]! >= NEARLY * matches[found]! &&
      matches[lag]! >= matches[lag - 1]! &&
      matches[lag]! >= matches[lag + 1]!
    ) {
      found = lag
      break
    }
  if (by === 1) return { length: found, match: matches[found]!, between: betweenOf(matches, found, from, to) }
  const lo = Math.max(least, (found - 1) * by)
  const hi = Math.min(most, (found + 1) * by)
  fill(lo, hi, 1)
  let fine = lo
  for (let lag = lo; lag <= hi; lag++) if (matches[lag]! > matches[fine]!) fine = lag
  return { length: fine, match: matches[fine]!, between: betweenOf(matches, fine, lo, hi) }
}

/**
 * The best jump from a place of the recording: the lag at which the wave from there on is most like itself.
 *
 * @param way -1 backwards, 1 forwards
 * @param longest jump that may be made, samples, not below the search's shortest
 */
export const bestLag = (
  s: LagSearch,
  channels: readonly Float32Array[],
  place: number,
  way: 1 | -1,
  longest = s.most,
): Lag =>
  best(s, channels, { place, way: 1 }, s.least, Math.min(longest, s.most), (from, to) =>
    way > 0
      ? { from: { place: place + from, way: 1 }, falling: false }
      : { from: { place: place - to, way: 1 }, falling: true },
  )

/**
 * The best place to turn at: how many samples before a place the wave, read backward from there, is most like that which
 * would be read next.
 *
 * @param place that would be read next; @param way it is read in, -1 backward
 * @param farthest place looked at, samples before it
 */
export const bestTurn = (
  s: LagSearch,
  channels: readonly Float32Array[],
  place: number,
  way: 1 | -1,
  farthest: number,
): number =>
  best(s, channels, { place, way }, 0, Math.min(farthest, s.most), (from) => ({
    from: { place: place - way * from, way: way > 0 ? -1 : 1 },
    falling: false,
  })).length
