// Musical positions as bar.beat.tick, and lengths in words.
import { InputError } from '../errors'
import { beats, type Beats } from '../units'
import { barAt, barLength, barOfBeat, beatLength, type MeterMap } from './meter-map'

/** Ticks in a quarter note. */
export const TICKS_PER_QUARTER = 960

/** A position: bars and beats count from 1, ticks from 0. Beats are those that are counted: dotted in compound meters. */
export interface Position {
  readonly bar: number
  readonly beat: number
  readonly tick: number
}

/** Nearest position of a beat, to the tick. */
export function toPosition(meter: MeterMap, beat: number): Position {
  const rounded = Math.round(beat * TICKS_PER_QUARTER) / TICKS_PER_QUARTER
  const bar = barOfBeat(meter, rounded)
  const ticksPerBeat = TICKS_PER_QUARTER * bar.beatLength
  const ticks = Math.round((rounded - bar.start) * TICKS_PER_QUARTER)
  return { bar: bar.index + 1, beat: Math.floor(ticks / ticksPerBeat) + 1, tick: ticks % ticksPerBeat }
}

/** Beat of a position; the inverse of `toPosition` on whole ticks. */
export function fromPosition(meter: MeterMap, p: Position): Beats {
  const bar = barAt(meter, p.bar - 1)
  return beats(bar.start + (p.beat - 1) * bar.beatLength + p.tick / TICKS_PER_QUARTER)
}

/** `5.3.240` */
export const formatPosition = (p: Position): string => `${p.bar}.${p.beat}.${String(p.tick).padStart(3, '0')}`

/**
 * Reads `bar`, `bar.beat` or `bar.beat.tick`; spaces, bars and colons also separate.
 *
 * @throws InputError when it is no position or the bar has no such beat
 */
export function parsePosition(meter: MeterMap, text: string): Position {
  const parts = text.trim().split(/\s*[|.:\s]\s*/)
  const [bar = NaN, beat = 1, tick = 0] = parts.map((p) => (/^-?\d+$/.test(p) ? Number(p) : NaN))
  if (parts.length > 3 || [bar, beat, tick].some(Number.isNaN))
    throw new InputError(`“${text}” is no position; type bar.beat.tick, for example 5.3.240.`)
  const { beats: count, beatLength } = barAt(meter, bar - 1)
  const ticksPerBeat = TICKS_PER_QUARTER * beatLength
  if (beat < 1 || beat > count)
    throw new InputError(`Bar ${bar} has beats 1 to ${count}; ${beat} is none of them.`)
  if (tick < 0 || tick >= ticksPerBeat)
    throw new InputError(`A beat there has ticks 0 to ${ticksPerBeat - 1}; ${tick} is too many.`)
  return { bar, beat, tick }
}

/**
 * A length in words, by the map's first meter: `4 bars exactly`, `3 bars 3 beats 239 ticks`.
 *
 * @param length quarter notes, to the tick
 */
export function formatLength(meter: MeterMap, length: number): string {
  const first = meter[0]!
  const perBar = Math.round(barLength(first) * TICKS_PER_QUARTER)
  const perBeat = Math.round(beatLength(first) * TICKS_PER_QUARTER)
  const ticks = Math.round(length * TICKS_PER_QUARTER)
  const [bars, rest] = [Math.floor(ticks / perBar), ticks % perBar]
  const some = (n: number, word: string): string => (n === 0 ? '' : `${n} ${word}${n === 1 ? '' : 's'}`)
  if (bars > 0 && rest === 0) return `${some(bars, 'bar')} exactly`
  const parts = [
    some(bars, 'bar'),
    some(Math.floor(rest / perBeat), 'beat'),
    some(rest % perBeat, 'tick'),
  ].filter(Boolean)
  return parts.join(' ') || '0 ticks'
}

const LENGTH_WORDS =
  /^(?=.)(?:(?<bars>\d+) bars?)? ?(?:(?<beats>\d+) beats?)? ?(?:(?<ticks>\d+) ticks?)? ?(?:exactly)?$/

/**
 * Reads a length in words, or as `bars`, `bars.beats` or `bars.beats.ticks`; the inverse of `formatLength`.
 *
 * @returns quarter notes
 * @throws InputError when it is no length, or none at all
 */
export function parseLength(meter: MeterMap, text: string): Beats {
  const said = LENGTH_WORDS.exec(text.trim().toLowerCase().replace(/\s+/g, ' '))?.groups
  const parts = said
    ? [said.bars ?? '0', said.beats ?? '0', said.ticks ?? '0']
    : text.trim().split(/\s*[|.:\s]\s*/)
  const [bars = 0, count = 0, ticks = 0] = parts.map((p) => (/^\d+$/.test(p) ? Number(p) : NaN))
  const first = meter[0]!
  const length = bars * barLength(first) + count * beatLength(first) + ticks / TICKS_PER_QUARTER
  if (parts.length > 3 || !(length > 0))
    throw new InputError(`“${text}” is no length; type bars.beats.ticks, for example 4.0.0, or “4 bars”.`)
  return beats(length)
}

/** `3:07.250`, minutes:seconds with milliseconds. */
export function formatSeconds(s: number): string {
  const ms = Math.round(Math.abs(s) * 1000)
  const rest = ((ms % 60000) / 1000).toFixed(3).padStart(6, '0')
  return `${s < 0 && ms > 0 ? '-' : ''}${Math.floor(ms / 60000)}:${rest}`
}
