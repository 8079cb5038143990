// Notes that the one before goes on into: a glide or a slur, where nothing begins anew.
import { energy } from '../dsp/energy'
import type { Pitch } from './pitch/track'
import type { Transient } from './transients'

/** Shortest and longest period that is looked at, seconds: in a stretch such a note may lie half a jump, of a period or several, from its place. */
const SHORTEST = 0.0005
const LONGEST = 0.01
/** A period may differ from the pitch's by this factor. */
const NARROW = 0.8
const WIDE = 1.25
/** No less of the wave is compared, seconds. */
const LEAST = 0.004
/** Periods that match so well, across the place and after it, are of one sound. */
const ALIKE = 0.9
/** What sounds before is listened to for so long, up to so long before the place; and what follows until then, in steps. Seconds. */
const BEFORE = { from: 0.025, to: 0.005 } as const
const AFTER = { window: 0.02, until: 0.05, step: 0.01 } as const
/** What grows by more begins anew, a factor of power (3 dB). */
const GROWS = 2
/**
 * A stroke over a tone that goes on is far softer, but not where it is bright: in power of the second difference, over a shorter
 * window (seconds), slurs of bows, winds and speech grow by 5 dB at most, hats 12 to 30 dB below a tone by 32 and more (by a script).
 */
const BRIGHT = { window: 0.005, step: 0.0025, grows: 4 } as const

/**
 * Tells events into which the sound before goes on.
 *
 * @param held   pitch line
 * @param channels planar audio; @param sampleRate Hz
 * @returns the events; slurred ones say so
 */
export const withSlurs = (
  events: readonly Transient[],
  held: Pitch,
  channels: readonly Float32Array[],
  sampleRate: number,
): Transient[] =>
  events.map((t) => {
    if (!goesOnInto(t.at, held, channels, sampleRate)) return t
    return { ...t, slurred: isStruck(t.at, channels, sampleRate) ? 'struck' : 'alone' }
  })

function goesOnInto(at: number, held: Pitch, channels: readonly Float32Array[], rate: number): boolean {
  const hz = held.f0[Math.round(at / rate / held.hop)] ?? 0
  const period = hz > 0 ? rate / hz : 0
  if (period < SHORTEST * rate || period > LONGEST * rate) return false
  const s = (seconds: number): number => Math.round(seconds * rate)
  const power = (from: number, to: number): number =>
    channels.reduce((sum, x) => sum + energy(x, Math.max(0, from), Math.min(x.length, to)), 0) / (to - from)
  const before = power(at - s(BEFORE.from), at - s(BEFORE.to))
  for (let after = 0; after + AFTER.window <= AFTER.until; after += AFTER.step)
    if (power(at + s(after), at + s(after + AFTER.window)) > GROWS * before) return false
  const n = Math.round(Math.max(period, LEAST * rate))
  return [at - n, at].every((from) => bestMatch(channels, from, n, period) > ALIKE)
}

/** True where something bright begins. */
function isStruck(at: number, channels: readonly Float32Array[], rate: number): boolean {
  const brightAt = (from: number, to: number): number =>
    brightness(channels, at + Math.round(from * rate), at + Math.round(to * rate))
  const before = brightAt(-BEFORE.from, -BEFORE.to)
  for (let t = -BEFORE.to; t + BRIGHT.window <= AFTER.until; t += BRIGHT.step)
    if (brightAt(t, t + BRIGHT.window) > BRIGHT.grows * before) return true
  return false
}

/** Mean power of the second difference of a stretch, all channels together. */
function brightness(channels: readonly Float32Array[], from: number, to: number): number {
  const [begin, end] = [Math.max(1, from), Math.min(channels[0]!.length - 1, to)]
  let sum = 0
  for (const x of channels) for (let i = begin; i < end; i++) sum += (x[i - 1]! - 2 * x[i]! + x[i + 1]!) ** 2
  return sum / Math.max(1, end - begin)
}

/** How well n samples match what comes a period later, -1 to 1. */
function bestMatch(channels: readonly Float32Array[], from: number, n: number, period: number): number {
  let best = -1
  for (let lag = Math.floor(NARROW * period); lag <= Math.ceil(WIDE * period); lag++) {
    let [product, one, other] = [0, 0, 0]
    for (const x of channels) {
      if (from < 0 || from + n + lag > x.length) return -1
      for (let i = from; i < from + n; i++) {
        const [a, b] = [x[i]!, x[i + lag]!]
        product += a * b
        one += a * a
        other += b * b
      }
    }
    best = Math.max(best, product / Math.sqrt(one * other + 1e-30))
  }
  return best
}
