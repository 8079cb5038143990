// The tempo map: exact beat ↔ seconds in both directions over constant and stepwise tempo.
import { lastAtOrBelow } from '../search'
import { beats, seconds, type Beats, type Seconds } from '../units'

/** From `beat` on, the tempo is `bpm` quarter notes a minute. */
export interface TempoStep {
  readonly beat: Beats
  readonly bpm: number
}

/** Steps in rising order, the first at beat 0. Beat 0 is at 0 seconds; the first tempo also holds before it. */
export type TempoMap = readonly TempoStep[]

/** Slowest and fastest tempo a session may have, quarter notes a minute. */
export const BPM_RANGE = { min: 10, max: 999 } as const

interface Knot extends TempoStep {
  readonly second: number
}

const compiled = new WeakMap<TempoMap, Knot[]>()

function knotsOf(map: TempoMap): Knot[] {
  const known = compiled.get(map)
  if (known) return known
  const knots: Knot[] = []
  for (const step of map) {
    const last = knots[knots.length - 1]
    const second = last
      ? last.second + ((step.beat - last.beat) * 60) / last.bpm
      : (step.beat * 60) / step.bpm
    knots.push({ ...step, second })
  }
  compiled.set(map, knots)
  return knots
}

/** One tempo throughout. */
export const constantTempo = (bpm: number): TempoMap => [{ beat: beats(0), bpm }]

/** Time of a beat. */
export function beatToSeconds(map: TempoMap, beat: number): Seconds {
  const knots = knotsOf(map)
  const k =
    knots[
      Math.max(
        0,
        lastAtOrBelow(knots.length, (i) => knots[i]!.beat, beat),
      )
    ]!
  return seconds(k.second + ((beat - k.beat) * 60) / k.bpm)
}

/** Beat at a time; the inverse of `beatToSeconds`. */
export function secondsToBeat(map: TempoMap, second: number): Beats {
  const knots = knotsOf(map)
  const k =
    knots[
      Math.max(
        0,
        lastAtOrBelow(knots.length, (i) => knots[i]!.second, second),
      )
    ]!
  return beats(k.beat + ((second - k.second) * k.bpm) / 60)
}

/** Tempo in force at a beat, quarter notes a minute. */
export function bpmAt(map: TempoMap, beat: number): number {
  return map[
    Math.max(
      0,
      lastAtOrBelow(map.length, (i) => map[i]!.beat, beat),
    )
  ]!.bpm
}
