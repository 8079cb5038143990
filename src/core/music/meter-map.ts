// The meter map: bars and their beats over meter changes.
import { lastAtOrBelow } from '../search'
import { beats, type Beats } from '../units'

/** From bar `bar` (counted from 0) on, bars have `numerator` beats of one `denominator`-th note. */
export interface MeterStep {
  readonly bar: number
  readonly numerator: number
  readonly denominator: number
  /** A compound meter is counted in the notes it is written in (eighths of 6/8), not in dotted ones. */
  readonly written?: boolean
}

/** Steps in rising order, the first at bar 0. Bar 0 begins at beat 0; the first meter also holds before it. */
export type MeterMap = readonly MeterStep[]

/** One bar: its number from 0, where it begins, how long it and its beats are, in quarter notes. */
export interface Bar {
  readonly index: number
  readonly start: Beats
  readonly length: Beats
  readonly numerator: number
  readonly denominator: number
  /** Beats that are counted, and the length of one: six eighths are two beats of a dotted quarter. */
  readonly beats: number
  readonly beatLength: Beats
}

type Signature = Pick<MeterStep, 'numerator' | 'denominator' | 'written'>

/**
 * Whether a meter is felt in dotted notes: 6/8, 9/8, 12/8, also in sixteenths.
 *
 * Source: common practice; compound meters have a numerator that is a multiple of three and more than three.
 */
export const isCompound = (m: Pick<MeterStep, 'numerator' | 'denominator'>): boolean =>
  m.numerator > 3 && m.numerator % 3 === 0 && m.denominator >= 8

/** Notes of the denominator in a counted beat: 3 in compound meters unless they are counted as written, else 1. */
export const notesPerBeat = (m: Signature): 1 | 3 => (isCompound(m) && !m.written ? 3 : 1)

/** Length of a counted beat, quarter notes. */
export const beatLength = (m: Signature): Beats => beats((4 * notesPerBeat(m)) / m.denominator)

/** Quarter notes in a bar of a meter. */
export const barLength = (m: { numerator: number; denominator: number }): Beats =>
  beats((m.numerator * 4) / m.denominator)

interface Knot extends MeterStep {
  readonly start: number
}

const compiled = new WeakMap<MeterMap, Knot[]>()

function knotsOf(map: MeterMap): Knot[] {
  const known = compiled.get(map)
  if (known) return known
  const knots: Knot[] = []
  for (const step of map) {
    const last = knots[knots.length - 1]
    knots.push({
      ...step,
      start: last ? last.start + (step.bar - last.bar) * barLength(last) : step.bar * barLength(step),
    })
  }
  compiled.set(map, knots)
  return knots
}

/** One meter throughout. */
export const constantMeter = (numerator: number, denominator: number): MeterMap => [
  { bar: 0, numerator, denominator },
]

function barFrom(k: Knot, index: number): Bar {
  const length = barLength(k)
  return {
    index,
    start: beats(k.start + (index - k.bar) * length),
    length,
    numerator: k.numerator,
    denominator: k.denominator,
    beats: k.numerator / notesPerBeat(k),
    beatLength: beatLength(k),
  }
}

/** Bar number `index` (from 0; negative bars lie before beat 0). */
export function barAt(map: MeterMap, index: number): Bar {
  const knots = knotsOf(map)
  return barFrom(
    knots[
      Math.max(
        0,
        lastAtOrBelow(knots.length, (i) => knots[i]!.bar, index),
      )
    ]!,
    index,
  )
}

/** The bar a beat lies in; a beat within a billionth of a bar line belongs to the bar that begins there. */
export function barOfBeat(map: MeterMap, beat: number): Bar {
  const knots = knotsOf(map)
  const near = beat + 1e-9
  const k =
    knots[
      Math.max(
        0,
        lastAtOrBelow(knots.length, (i) => knots[i]!.start, near),
      )
    ]!
  return barFrom(k, k.bar + Math.floor((near - k.start) / barLength(k)))
}

/**
 * A map with another meter from a bar on, up to a bar at which the old one goes on.
 *
 * @param to bar after the last with the new meter, or null for all from `from` on
 */
export function withMeterIn(
  map: MeterMap,
  from: number,
  to: number | null,
  numerator: number,
  denominator: number,
): MeterMap {
  const { numerator: n, denominator: d } = barAt(map, to ?? from)
  const written = stepAt(map, to ?? from).written
  const whole: MeterStep[] = [
    ...map.filter((s) => s.bar < from),
    { bar: from, numerator, denominator },
    ...(to === null
      ? []
      : [
          { bar: to, numerator: n, denominator: d, ...(written ? { written } : {}) },
          ...map.filter((s) => s.bar > to),
        ]),
  ]
  return whole.filter((s, i) => {
    const last = whole[i - 1]
    return (
      !last ||
      last.numerator !== s.numerator ||
      last.denominator !== s.denominator ||
      Boolean(last.written) !== Boolean(s.written)
    )
  })
}

/** The step in force at a bar. */
const stepAt = (map: MeterMap, bar: number): MeterStep => map.filter((s) => s.bar <= bar).at(-1) ?? map[0]!

/** The map with its compound meters counted as they are written, or in dotted notes. */
export const countedAsWritten = (map: MeterMap, written: boolean): MeterMap =>
  map.map(({ bar, numerator, denominator }) => ({
    bar,
    numerator,
    denominator,
    ...(written && isCompound({ numerator, denominator }) ? { written } : {}),
  }))
