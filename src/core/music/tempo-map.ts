// The tempo map: exact beat ↔ seconds in both directions over constant and stepwise tempo.
import { lastAtOrBelow } from '../search'
import { beats, seconds, type Beats, type Seconds } from '../units'

/** From `beat` on, the tempo is `bpm` quarter notes a minute. */
export interface TempoStep {
  readonly beat: Beats
  readonly bpm: number
  /** Up to the next step the tempo changes evenly, by so much with every beat, to that step's. */
  readonly ramp?: boolean
}

/** Steps in rising order, the first at beat 0. Beat 0 is at 0 seconds; the first tempo also holds before it. */
export type TempoMap = readonly TempoStep[]

/** Slowest and fastest tempo a session may have, quarter notes a minute. */
export const BPM_RANGE = { min: 10, max: 999 } as const

interface Knot {
  readonly beat: number
  readonly second: number
  readonly bpm: number
  /** Change of tempo, BPM for a beat. */
  readonly slope: number
}

/** Ramps flatter than this are steps; their closed form would lose its digits. */
const FLAT = 1e-7

/** Seconds from a knot to `beats` after it: the integral of 60 / bpm. */
const secondsAfter = (k: Knot, beats: number): number =>
  k.slope === 0 || beats <= 0 ? (beats * 60) / k.bpm : (60 / k.slope) * Math.log1p((k.slope * beats) / k.bpm)

/** Beats from a knot to `seconds` after it; the inverse. */
const beatsAfter = (k: Knot, seconds: number): number =>
  k.slope === 0 || seconds <= 0
    ? (seconds * k.bpm) / 60
    : (k.bpm / k.slope) * Math.expm1((k.slope * seconds) / 60)

const compiled = new WeakMap<TempoMap, Knot[]>()

function knotsOf(map: TempoMap): Knot[] {
  const known = compiled.get(map)
  if (known) return known
  const knots: Knot[] = []
  map.forEach((step, i) => {
    const last = knots[knots.length - 1]
    const next = map[i + 1]
    const slope = step.ramp && next ? (next.bpm - step.bpm) / (next.beat - step.beat) : 0
    knots.push({
      beat: step.beat,
      bpm: step.bpm,
      slope: Math.abs(slope) < FLAT ? 0 : slope,
      second: last ? last.second + secondsAfter(last, step.beat - last.beat) : (step.beat * 60) / step.bpm,
    })
  })
  compiled.set(map, knots)
  return knots
}

/** One tempo throughout. */
export const constantTempo = (bpm: number): TempoMap => [{ beat: beats(0), bpm }]

const knotAt = (knots: readonly Knot[], by: 'beat' | 'second', x: number): Knot =>
  knots[
    Math.max(
      0,
      lastAtOrBelow(knots.length, (i) => knots[i]![by], x),
    )
  ]!

/** Time of a beat. */
export function beatToSeconds(map: TempoMap, beat: number): Seconds {
  const k = knotAt(knotsOf(map), 'beat', beat)
  return seconds(k.second + secondsAfter(k, beat - k.beat))
}

/** Beat at a time; the inverse of `beatToSeconds`. */
export function secondsToBeat(map: TempoMap, second: number): Beats {
  const k = knotAt(knotsOf(map), 'second', second)
  return beats(k.beat + beatsAfter(k, second - k.second))
}

/** Tempo in force at a beat, quarter notes a minute. */
export function bpmAt(map: TempoMap, beat: number): number {
  const k = knotAt(knotsOf(map), 'beat', beat)
  return k.bpm + k.slope * Math.max(0, beat - k.beat)
}

/**
 * A map with the tempo of a range replaced; what follows the range keeps its own tempo.
 *
 * @param to end of the range, or null for everything from `from` on
 * @param inside steps of the range, the first at `from`
 */
export function withTempoIn(map: TempoMap, from: number, to: number | null, inside: TempoMap): TempoMap {
  const start = Math.max(0, from)
  const before = map
    .filter((s) => s.beat < start)
    .flatMap((s, i, all): TempoStep[] =>
      // A ramp that the range cuts ends there with the tempo it has reached.
      s.ramp && i === all.length - 1 ? [s, { beat: beats(start - 1e-6), bpm: bpmAt(map, start) }] : [s],
    )
  const after =
    to === null
      ? []
      : [{ ...stepIn(map, to), beat: beats(to), bpm: bpmAt(map, to) }, ...map.filter((s) => s.beat > to)]
  const whole = [...before, ...inside.map((s, i) => (i === 0 ? { ...s, beat: beats(start) } : s)), ...after]
  // Steps that change nothing say nothing.
  return whole.filter((s, i) => {
    const last = whole[i - 1]
    return !last || last.ramp || s.ramp || s.bpm !== last.bpm
  })
}

/** The step in force at a beat. */
export function stepIn(map: TempoMap, beat: number): TempoStep {
  return map[
    Math.max(
      0,
      lastAtOrBelow(map.length, (i) => map[i]!.beat, beat),
    )
  ]!
}
