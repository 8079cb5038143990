// Musical positions and lengths as bars|beats|ticks.
import { InputError } from '../errors'
import { beats, type Beats } from '../units'
import { barAt, barLength, barOfBeat, type MeterMap } from './meter-map'

/** Ticks in a quarter note. */
export const TICKS_PER_QUARTER = 960

/** A position: bars and beats count from 1, ticks from 0. A beat is one `denominator`-th note of its bar. */
export interface Position {
  readonly bar: number
  readonly beat: number
  readonly tick: number
}

/** Nearest position of a beat, to the tick. */
export function toPosition(meter: MeterMap, beat: number): Position {
  const rounded = Math.round(beat * TICKS_PER_QUARTER) / TICKS_PER_QUARTER
  const bar = barOfBeat(meter, rounded)
  const ticksPerBeat = (TICKS_PER_QUARTER * 4) / bar.denominator
  const ticks = Math.round((rounded - bar.start) * TICKS_PER_QUARTER)
  return { bar: bar.index + 1, beat: Math.floor(ticks / ticksPerBeat) + 1, tick: ticks % ticksPerBeat }
}

/** Beat of a position; the inverse of `toPosition` on whole ticks. */
export function fromPosition(meter: MeterMap, p: Position): Beats {
  const bar = barAt(meter, p.bar - 1)
  return beats(bar.start + ((p.beat - 1) * 4) / bar.denominator + p.tick / TICKS_PER_QUARTER)
}

/** `5|3|240` */
export const formatPosition = (p: Position): string => `${p.bar}|${p.beat}|${String(p.tick).padStart(3, '0')}`

/**
 * Reads `bar`, `bar|beat` or `bar|beat|tick`; spaces, dots and colons also separate.
 *
 * @throws InputError when it is no position or the bar has no such beat
 */
export function parsePosition(meter: MeterMap, text: string): Position {
  const parts = text.trim().split(/\s*[|.:\s]\s*/)
  const [bar = NaN, beat = 1, tick = 0] = parts.map((p) => (/^-?\d+$/.test(p) ? Number(p) : NaN))
  if (parts.length > 3 || [bar, beat, tick].some(Number.isNaN))
    throw new InputError(`“${text}” is no position; type bar|beat|tick, for example 5|3|240.`)
  const { numerator, denominator } = barAt(meter, bar - 1)
  const ticksPerBeat = (TICKS_PER_QUARTER * 4) / denominator
  if (beat < 1 || beat > numerator)
    throw new InputError(`Bar ${bar} has beats 1 to ${numerator}; ${beat} is none of them.`)
  if (tick < 0 || tick >= ticksPerBeat)
    throw new InputError(`A beat there has ticks 0 to ${ticksPerBeat - 1}; ${tick} is too many.`)
  return { bar, beat, tick }
}

/** A length in bars, beats and ticks of the map's first meter, counted from 0: `4|0|000` for four bars. */
export function formatLength(meter: MeterMap, length: number): string {
  const first = meter[0]!
  const perBar = Math.round(barLength(first) * TICKS_PER_QUARTER)
  const perBeat = (4 / first.denominator) * TICKS_PER_QUARTER
  const ticks = Math.round(length * TICKS_PER_QUARTER)
  const rest = ticks % perBar
  return `${Math.floor(ticks / perBar)}|${Math.floor(rest / perBeat)}|${String(rest % perBeat).padStart(3, '0')}`
}

/**
 * Reads a length of `bars`, `bars|beats` or `bars|beats|ticks`; the inverse of `formatLength`.
 *
 * @returns quarter notes
 * @throws InputError when it is no length, or none at all
 */
export function parseLength(meter: MeterMap, text: string): Beats {
  const parts = text.trim().split(/\s*[|.:\s]\s*/)
  const [bars = 0, count = 0, ticks = 0] = parts.map((p) => (/^\d+$/.test(p) ? Number(p) : NaN))
  const first = meter[0]!
  const length = bars * barLength(first) + (count * 4) / first.denominator + ticks / TICKS_PER_QUARTER
  if (parts.length > 3 || !(length > 0))
    throw new InputError(`“${text}” is no length; type bars|beats|ticks, for example 4|0|0.`)
  return beats(length)
}

/** `3:07.250`, minutes:seconds with milliseconds. */
export function formatSeconds(s: number): string {
  const ms = Math.round(Math.abs(s) * 1000)
  const rest = ((ms % 60000) / 1000).toFixed(3).padStart(6, '0')
  return `${s < 0 && ms > 0 ? '-' : ''}${Math.floor(ms / 60000)}:${rest}`
}
