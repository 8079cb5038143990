// Later attacks of one musical event: the second stroke of a flam, the strings of a strum.
import { samples, type Samples } from '../units'
import { judge } from './judge'
import { LATER_WEIGHTS } from './later-weights'
import { greatestPeaks, Levels, ORDERS, stretchOf } from './rises'

/** A rise of level after an attack. */
export interface LaterRise {
  readonly at: Samples
  /**
   * By number of differences: rise over 2 ms, level against that of the attack, rise over 8 ms. Then the time after the
   * attack, how the attack itself rises (one and five differences), the clearest other rise against this one, the rise
   * over the quietest 2 ms of the 16 before, and the event's strength. Rises and levels are natural logs of power.
   */
  readonly features: Float32Array
}

/** Rises are looked for this long after an attack, seconds: nearer ones are heard as one, later ones as two notes. */
export const LATER = [0.012, 0.046] as const
/** Read before the attack, and beyond the last place that is looked at, seconds. */
const MARGIN = 0.01
/** Rises per attack that are looked at, the clearest ones, and how clear they must be. */
const MOST = 4
const LEAST_CLEAR = 0.4
/** Below this rate nothing tells strokes apart, Hz. */
const LEAST_RATE = 40000
/** From this likelihood on a rise is an attack. */
const SURE = 0.8
/** Rises of the attack itself are told apart up to this logarithm. */
const CLIP = 6

/**
 * Rises of level shortly after an attack, the clearest ones.
 *
 * @param channels planar audio; @param sampleRate Hz; @param at first sample of the attack
 * @param strength of the event, 0-1
 * @returns at most four, in rising order; none at low sample rates
 */
export function laterRises(
  channels: readonly Float32Array[],
  sampleRate: number,
  at: number,
  strength: number,
): LaterRise[] {
  if (sampleRate < LEAST_RATE) return []
  const read = stretchOf(
    channels,
    sampleRate,
    at - MARGIN * sampleRate,
    at + (LATER[1] + MARGIN) * sampleRate,
  )
  const levels = new Levels(read)
  const { block, count, short, long } = levels
  const blocks = (seconds: number): number => Math.round((seconds * read.rate) / block)
  const attack = Math.round((at / read.factor - read.from) / block)
  levels.against(attack - short, attack + long)
  const first = attack + blocks(LATER[0])
  const last = Math.min(count - short, attack + blocks(LATER[1]))
  const clear = levels.clearness(first, last, false)
  const peaks = greatestPeaks(clear, first, last, 2 * short, LEAST_CLEAR, MOST)
  const clearest = clear[peaks[0]!] ?? 0
  peaks.sort((a, b) => a - b)
  // Against the earliest it is the next one, against the others the clearest.
  const next = clear[peaks[1]!] ?? 0
  return peaks.map((i) => {
    const rival = i === peaks[0] ? next / clearest : Math.min(3, clearest / clear[i]!)
    const after = ((i - attack) * block) / read.rate
    return {
      at: samples((read.from + i * block) * read.factor),
      features: featuresAt(levels, attack, i, after, rival, strength),
    }
  })
}

const FEATURES = 3 * ORDERS + 6

/** The features of the rise at block `i`, so many seconds `after` the attack. */
function featuresAt(
  l: Levels,
  attack: number,
  i: number,
  after: number,
  rival: number,
  strength: number,
): Float32Array {
  const { short, long } = l
  const out = new Float32Array(FEATURES)
  l.tell(i, out)
  let at = 3 * ORDERS
  out[at++] = after
  out[at++] = Math.min(CLIP, l.ratio(1, attack, short))
  out[at++] = Math.min(CLIP, l.ratio(3, attack, short))
  out[at++] = rival
  out[at++] = l.overLeast(2, i, Math.max(attack, i - 2 * long), i - short)
  out[at] = strength
  return out
}

/** An attack after another, and how likely it is one, 0-1. */
export interface LaterAttack {
  readonly at: Samples
  readonly likely: number
}

/**
 * What may be later attacks of the event that begins at an attack, judged by a small network.
 *
 * @param channels planar audio; @param sampleRate Hz; @param at first sample of the event
 * @param strength of the event, 0-1
 * @returns in rising order
 */
export const likelyLater = (
  channels: readonly Float32Array[],
  sampleRate: number,
  at: number,
  strength: number,
): LaterAttack[] =>
  laterRises(channels, sampleRate, at, strength).map((r) => ({
    at: r.at,
    likely: judge(LATER_WEIGHTS, r.features),
  }))

/** Those that surely are. @returns samples, in rising order */
export const surelyLater = (later: readonly LaterAttack[]): Samples[] =>
  later.filter((a) => a.likely >= SURE).map((a) => a.at)
