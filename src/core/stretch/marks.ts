// Marks at the pulses of a single line: one in every period, at the same place of each.
import { PITCH_RANGE } from '../analysis/pitch/candidates'
import { workspace, type Workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import type { Sliding } from './sliding'

/** A moment of the sound that a period is cut around. */
export interface Mark {
  /** Sample of the voice, fractional. */
  readonly at: number
  /** In a stretch of periods that belong together; elsewhere marks lie evenly. */
  readonly voiced: boolean
}

/** Longest period of a pitch that is found, seconds. */
export const LONGEST_PERIOD = 1 / PITCH_RANGE.low
/** Distance of marks where there is no pitch, seconds. */
const EVEN = 0.004
/** A period may differ from the pitch's by this factor. */
const NARROW = 0.82
const WIDE = 1.22
/** How much a mark is drawn to the peak of its period, against how well the waves match. */
const PULL = 0.12
/** Waves that match less than this are no periods of one sound. */
const LEAST_MATCH = 0.25

/** How far ahead of a mark the next one may be looked for, samples at most. */
export const marksReach = (rate: number): number => Math.ceil((WIDE + 0.5) * LONGEST_PERIOD * rate) + 8

/**
 * The mark after another.
 *
 * Inside a voiced stretch the next period is where the wave around the mark matches best, drawn a little to the
 * period's peak; the first mark of a stretch is at the peak of its first period.
 *
 * Sources: F. Charpentier & M. Stella, "Diphone synthesis using an overlap-add technique for speech waveforms
 * concatenation", ICASSP 1986 (marks at pulses); P. Boersma & D. Weenink's description of pulses by cross-correlation
 * within 0.8 to 1.2 periods (from memory).
 *
 * @param y      the voice; samples up to `mark.at + marksReach` must be there
 * @param period of the sound at a place, samples; 0 where there is none
 * @param signOf gives the sign of the sound's pulses, ±1, whose period is so many samples; asked only where there is a pitch
 */
export function nextMark(
  y: Sliding,
  mark: Mark,
  period: (place: number) => number,
  signOf: (length: number) => 1 | -1,
  rate: number,
): Mark {
  const even = EVEN * rate
  const near = period(mark.at)
  const length = near > 0 ? near : period(mark.at + even)
  if (length === 0) return { at: mark.at + even, voiced: false }
  const peaks = signOf(length)
  if (!mark.voiced) {
    const from = Math.round(mark.at + even / 2)
    return { at: peakIn(y, from, from + Math.ceil(length), peaks), voiced: period(mark.at + length) > 0 }
  }
  const here = Math.round(mark.at)
  const half = Math.max(8, Math.round(length / 2))
  const [lo, hi] = [Math.floor(NARROW * length), Math.ceil(WIDE * length)]
  const top = highest(y, here + lo, here + hi + 1, peaks)
  const { still, moving, products, energies, space } = roomFor(rate)
  const count = hi - lo + 1
  products.fill(0, 0, count)
  energies.fill(0, 0, count)
  let own = 1e-20
  for (const c of y.channels) {
    const first = here - half - y.base
    copyRange(c, first, first + 2 * half, still.fill(0))
    copyRange(c, first + lo, first + lo + 2 * half + count, moving.fill(0))
    own += space.run.slide(
      still.byteOffset,
      moving.byteOffset,
      2 * half,
      count,
      products.byteOffset,
      energies.byteOffset,
    )
  }
  // How well the wave matches at every lag, and how much its peak speaks for it.
  const matchAt = (i: number): number => products[i]! / Math.sqrt(own * (energies[i]! + 1e-20))
  const scoreAt = (i: number): number =>
    matchAt(i) + (top > 0 ? (PULL * peaks * sumAt(y, here + lo + i)) / top : 0)
  let best = 0
  let most = -Infinity
  for (let i = 0; i < count; i++) {
    const score = scoreAt(i)
    if (score > most) [best, most] = [i, score]
  }
  const match = matchAt(best)
  if (match < LEAST_MATCH) return { at: mark.at + length, voiced: false }
  const inside = best > 0 && best + 1 < count
  const [a, c] = inside ? [scoreAt(best - 1), scoreAt(best + 1)] : [most, most]
  const bend = a - 2 * most + c
  const at = mark.at + lo + best + (bend < 0 ? (0.5 * (a - c)) / bend : 0)
  return { at, voiced: period(at) > 0 }
}

/** Room for comparing waves at one rate. */
interface Room {
  readonly rate: number
  readonly space: Workspace
  readonly still: Float32Array
  readonly moving: Float32Array
  readonly products: Float32Array
  readonly energies: Float32Array
}
let kept: Room | undefined

function roomFor(rate: number): Room {
  if (kept?.rate === rate) return kept
  const longest = marksReach(rate)
  const space = workspace(6 * longest, 4)
  kept = {
    rate,
    space,
    still: space.floats(longest),
    moving: space.floats(2 * longest),
    products: space.floats(longest),
    energies: space.floats(longest),
  }
  return kept
}

/** Sum of the channels at a sample of the voice. */
function sumAt({ channels, base }: Sliding, n: number): number {
  let sum = 0
  for (const c of channels) sum += c[n - base] ?? 0
  return sum
}

/** Greatest and least sum of the channels over [from, to), and 0. */
function extremes(y: Sliding, from: number, to: number): [most: number, least: number] {
  let [most, least] = [0, 0]
  const { channels, base } = y
  for (let n = from - base; n < to - base; n++) {
    let sum = 0
    for (const c of channels) sum += c[n] ?? 0
    if (sum > most) most = sum
    if (sum < least) least = sum
  }
  return [most, least]
}

function highest(y: Sliding, from: number, to: number, peaks: 1 | -1): number {
  const [most, least] = extremes(y, from, to)
  return peaks > 0 ? most : -least
}

function peakIn(y: Sliding, from: number, to: number, peaks: 1 | -1): number {
  let best = from
  for (let n = from; n < to; n++) if (peaks * sumAt(y, n) > peaks * sumAt(y, best)) best = n
  return best
}

/**
 * Sign of the pulses of a stretch: that of the wave where its upper part is loudest.
 *
 * The folds' closing excites all resonances at once. Of a vowel whose first harmonics are alike the greater extreme may
 * lie half a period away from there.
 */
export function pulseSign({ channels, base }: Sliding, from: number, to: number): 1 | -1 {
  let sum = 0
  for (let n = from - base; n < to - base; n++) {
    let [wave, bend] = [0, 0]
    for (const c of channels) {
      const v = c[n] ?? 0
      wave += v
      bend += 2 * v - (c[n - 1] ?? 0) - (c[n + 1] ?? 0)
    }
    sum += bend * bend * wave * Math.abs(wave)
  }
  return sum >= 0 ? 1 : -1
}
