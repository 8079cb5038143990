// Musical events out of attacks: near ones are one event, and those that follow soon are its parts.
import { samples, type Samples } from '../units'
import { laterAttacks } from './later-attacks'
import type { AttackStart } from './refine'
import type { Transient } from './transients'

/** Attacks nearer than this are one event, seconds. */
const TOGETHER = 0.036
/** And nearer than this where the later one swells only: a soft note rises twice. */
const SWELLS_TOGETHER = 0.06
/** A later attack this near before the next event is that event's, seconds. */
const APART = 0.01

export interface Judged extends AttackStart {
  readonly strength: number
}

/**
 * Merges near attacks: the earliest leads, the strongest gives the strength.
 *
 * @param within attacks nearer than this are one event, samples; @param swells and this where the later is not steep
 */
export function groupNear(found: readonly Judged[], within: number, swells: number): Transient[] {
  const out: { at: Samples; strength: number; alone: boolean }[] = []
  for (const t of [...found].sort((a, b) => a.at - b.at)) {
    const last = out[out.length - 1]
    if (!last || t.at - last.at >= (t.steep ? within : swells))
      out.push({ at: samples(t.at), strength: t.strength, alone: true })
    // A faint precursor of a clear attack is not where the event begins.
    else if (last.strength < 0.35 && t.strength > 2 * last.strength && last.alone) {
      last.at = samples(t.at)
      last.strength = t.strength
    } else {
      last.strength = Math.max(last.strength, t.strength)
      last.alone = false
    }
  }
  return out.map(({ at, strength }) => ({ at, strength }))
}

/** Weaker events are not looked into for their parts. */
const LEAST_IN_PARTS = 0.2

/**
 * Events with the later attacks that belong to them; what the next event begins with is not theirs.
 *
 * @param go called now and then; may throw to cancel
 */
export function withParts(
  events: readonly Transient[],
  channels: readonly Float32Array[],
  sampleRate: number,
  go?: () => void,
): Transient[] {
  return events.map((t, i) => {
    if (i % 64 === 0) go?.()
    if (t.strength < LEAST_IN_PARTS) return t
    const next = (events[i + 1]?.at ?? Infinity) - APART * sampleRate
    const parts = laterAttacks(channels, sampleRate, t.at, t.strength).filter((p) => p < next)
    return parts.length ? { ...t, parts } : t
  })
}

/**
 * Events of attacks, without their later attacks.
 *
 * @param strengths of the attacks, 0-1; @param places of the same, in the same order
 * @returns in rising order
 */
export const eventsOf = (
  strengths: readonly { readonly strength: number }[],
  places: readonly AttackStart[],
  sampleRate: number,
): Transient[] =>
  groupNear(
    places.map((place, i) => ({ ...place, strength: strengths[i]!.strength })),
    TOGETHER * sampleRate,
    SWELLS_TOGETHER * sampleRate,
  )
