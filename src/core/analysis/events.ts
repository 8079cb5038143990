// Musical events out of attacks: near ones are one event, and those that follow soon are its parts.
import { samples, type Samples } from '../units'
import { likelyLater, surelyLater, type LaterAttack } from './later-attacks'
import type { AttackStart } from './refine'
import type { Transient } from './transients'

/** Attacks nearer than this are one event, seconds. */
const TOGETHER = 0.045
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
 * What begins this soon after a later attack, and this soon after the event's first, is the same event: a slow strum is
 * longer than two attacks may be apart. The later attack between them need only be likelier than not.
 */
const GOES_ON = 0.036
const LONGEST = 0.16
const LIKELY = 0.5
/** What is so many times as sure as the event before is no more of it. */
const FAINTER = 2

/**
 * What may be later attacks of each of some events; nothing of weak ones.
 *
 * @param channels planar audio; @param sampleRate Hz
 * @param go called now and then; may throw to cancel
 */
export const laterOf = (
  events: readonly Transient[],
  channels: readonly Float32Array[],
  sampleRate: number,
  go?: () => void,
): LaterAttack[][] =>
  events.map(({ at, strength }, i) => {
    if (i % 64 === 0) go?.()
    return strength < LEAST_IN_PARTS ? [] : likelyLater(channels, sampleRate, at, strength)
  })

/**
 * Events with the later attacks that belong to them. Those that a slow strum was taken apart into are one again; what
 * the next event begins with is not this one's.
 *
 * @param later of each event, from `laterOf`
 */
export function withParts(
  events: readonly Transient[],
  later: readonly (readonly LaterAttack[])[],
  sampleRate: number,
): Transient[] {
  const out: Transient[] = []
  /** The last place in the event before at which something seems to begin. */
  let reached = -Infinity
  events.forEach((t, i) => {
    const next = (events[i + 1]?.at ?? Infinity) - APART * sampleRate
    const own = later[i]!.filter((a) => a.at < next && a.likely >= LIKELY)
    const parts = surelyLater(own)
    const last = out[out.length - 1]
    const goesOn =
      last &&
      t.at - reached < GOES_ON * sampleRate &&
      t.at - last.at < LONGEST * sampleRate &&
      t.strength <= FAINTER * last.strength
    if (goesOn)
      out[out.length - 1] = {
        at: last.at,
        strength: Math.max(last.strength, t.strength),
        parts: [...(last.parts ?? []), t.at, ...parts],
      }
    else out.push(parts.length ? { ...t, parts } : t)
    reached = own[own.length - 1]?.at ?? -Infinity
  })
  return out
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
