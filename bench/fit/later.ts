// Examples for the network that tells later attacks of an event from bumps in its sound.
import type { Example } from './network'
import type { FlamPiece, Struck } from '../corpus/flams'
import type { Piece } from '../corpus/types'
import { defaultAttacks, measure } from '../../src/core/analysis/analyse'
import type { Transient } from '../../src/core/analysis/transients'
import { onsetScore } from '../../tests/support/measure'
import { LATER, laterRises } from '../../src/core/analysis/later-attacks'

/** A rise this near to a true attack is it; nearer than the second but not the first says nothing, seconds. */
const MATCH = 0.004
const DOUBTFUL = 0.008
/** A detected event belongs to a true one whose first attack is this near, or to a later one, seconds. */
const BELONGS = 0.012
const BELONGS_LATER = 0.006

/** Notes that are played one at a time have no later attacks. */
export const singleNotes = (p: Piece): FlamPiece => ({
  ...p,
  events: p.onsets.map((start) => ({ start, later: [] })),
})

/** An event that was detected, and how long after that place its other attacks lie, seconds. */
export interface DetectedEvent {
  readonly at: number
  readonly strength: number
  readonly later: readonly number[]
  /** What the analysis says, seconds after its place. */
  readonly found: readonly number[]
}

/** The attacks that are found in force. */
const foundIn = (p: FlamPiece): Transient[] =>
  defaultAttacks(measure(p.channels, p.sampleRate).transients, p.sampleRate)

/** Detected events whose truth is known: those that no other event comes near. */
function detectedEvents(p: FlamPiece, found: readonly Transient[]): DetectedEvent[] {
  return found.flatMap((t) => {
    const second = t.at / p.sampleRate
    const isIt = (e: Struck): boolean =>
      Math.abs(e.start - second) < BELONGS ||
      e.later.some((l) => Math.abs(e.start + l - second) < BELONGS_LATER)
    const i = p.events.findIndex(isIt)
    const next = p.events[i + 1]?.start ?? Infinity
    if (i < 0 || next - second < LATER[1] + BELONGS) return []
    const { start, later } = p.events[i]!
    return [
      {
        at: t.at,
        strength: t.strength,
        later: later.map((l) => start + l - second).filter((l) => l > BELONGS_LATER),
        found: (t.parts ?? []).map((at) => at / p.sampleRate - second),
      },
    ]
  })
}

/** Rises of a recording as examples, weighing one each. */
export const laterExamples = (p: FlamPiece): Example[] =>
  detectedEvents(p, foundIn(p)).flatMap(({ at, strength, later }) =>
    laterRises(p.channels, p.sampleRate, at, strength).flatMap((r) => {
      const gap = (r.at - at) / p.sampleRate
      const off = Math.min(...later.map((l) => Math.abs(l - gap)), Infinity)
      return off >= MATCH && off < DOUBTFUL ? [] : [{ x: r.features, y: off < MATCH ? 1 : 0, weight: 1 }]
    }),
  )

/** Counts of one recording. */
export interface LaterScore {
  /** Later attacks there are, those found, all that are found, and those of them that are none. */
  readonly there: number
  readonly right: number
  readonly found: number
  readonly wrong: number
  /** F-measures of the events: their first attacks. */
  readonly wide: number
  readonly narrow: number
}

export function laterScore(p: FlamPiece): LaterScore {
  const total = { right: 0, there: 0, wrong: 0, found: 0 }
  const attacks = foundIn(p)
  for (const e of detectedEvents(p, attacks)) {
    const there = e.later.filter((l) => l >= LATER[0] && l < LATER[1] - 0.002)
    total.there += there.length
    total.right += there.filter((l) => e.found.some((f) => Math.abs(f - l) < MATCH)).length
    total.found += e.found.length
    total.wrong += e.found.filter((f) => !e.later.some((l) => Math.abs(f - l) < DOUBTFUL)).length
  }
  const [firsts, starts] = [p.events.map((e) => e.start), attacks.map((t) => t.at / p.sampleRate)]
  const [wide, narrow] = [0.05, 0.01].map((within) => onsetScore(firsts, starts, within).f)
  return { ...total, wide: wide!, narrow: narrow! }
}
