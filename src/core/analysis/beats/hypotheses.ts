// Hypotheses of tempo, meter and the place of beat 1, and what speaks for each.
import type { Chroma } from '../harmony/chroma'
import { ACCENTS, accentsOf, largestNear, type Accents } from './accents'
import { explained } from './explained'
import { evenCounts, mayLoop, restsFirst } from './loop'
import { beatPath, type BeatConstraints } from './path'
import type { Progress } from '../progress'
import { candidatePeriods, repeats, repeatsAt, SHORTEST_QUARTER, type Period } from './periods'
import type { Rhythm } from './rhythm'

/** Beats a bar that are looked for; six are 6/8, two to four have a quarter each. */
export const METERS = [2, 3, 4, 6] as const

/** A way to count the recording. */
export interface Hypothesis {
  /** Index of its level (period and beats). */
  readonly level: number
  readonly beatsPerBar: number
  /** Index of the first beat that is a beat 1. */
  readonly phase: number
  /** Evidence, in the order of HYPOTHESIS_FEATURES. */
  readonly features: Float32Array
}

/** Beats at one period. */
export interface Level {
  readonly period: Period
  readonly beats: readonly number[]
}

const LEVEL_FEATURES = [
  'tempo',
  'tempo squared',
  'on beats',
  'on halves',
  'on thirds',
  'on quarters',
  'explained by beats',
  'explained by halves',
  'explained by thirds',
  'explained by quarters',
  'periodicity',
  'beats with a note',
  'unsteadiness',
  'halves over beats',
  'thirds over halves',
  'file is whole beats',
  'brilliance',
] as const

const BAR_FEATURES = [
  'similar at the bar',
  'half bar low',
  'half bar harmony',
  'off-beats high',
  'after beat 1 high',
] as const

export const HYPOTHESIS_FEATURES: readonly string[] = [
  ...LEVEL_FEATURES,
  ...ACCENTS.map((a) => `beat 1 ${a}`),
  'file is whole bars',
  'file is 2^n bars',
  'first note on beat 1',
  'last note on beat 1',
  ...METERS.flatMap((m) => [`${m}`, `${m} tempo`, `${m} tempo squared`, `${m} thirds`, `${m} quarters`]),
  ...METERS.flatMap((m) => BAR_FEATURES.map((f) => `${m} ${f}`)),
  ...METERS.flatMap((m) => ['low', 'onset', 'harmony', 'bass', 'hold'].map((f) => `${m} beat 1 ${f}`)),
]

/** How near the file's length is to a whole number of beats, 0-1; only short files are loops. */
function wholeNumber(r: Rhythm, period: number): number {
  if (!mayLoop(r)) return 0
  const beats = r.length / period
  return Math.exp(-((((beats - Math.round(beats)) * period) / 0.04) ** 2))
}

/** The last note is on the beat that it is nearer to than so many beats. */
const ON_LAST = 0.2

/** A tempo this near to a loop's is the loop's, as a share. */
const SAME_LOOP = 0.012

/** When the beat 1 nearest to the file's start comes, if its bars went on that far: seconds, below 0 before it. */
function fromStart({ beats, period }: Level, bar: number, phase: number): number {
  const seconds = bar * period.seconds
  const one = beats[phase]
  return one === undefined ? Infinity : one - seconds * Math.round(one / seconds)
}

/** What the file's length and its first and last notes say about bars. */
function edgeFeatures(r: Rhythm, level: Level, bar: number, phase: number): number[] {
  const { beats, period } = level
  const whole = wholeNumber(r, period.seconds)
  const count = Math.round(r.length / period.seconds)
  const bars = count / bar
  const first = r.events.find((e) => e.strength > 0.3)?.time ?? r.first
  const one = beats[phase]
  const late = restsFirst(r) ? fromStart(level, bar, phase) : (one ?? Infinity) - first
  const last = r.events.length ? r.events[r.events.length - 1]!.time : r.last
  const near = beats.findIndex((b) => Math.abs(b - last) < ON_LAST * period.seconds)
  return [
    count % bar === 0 ? whole : 0,
    count % bar === 0 && Number.isInteger(Math.log2(bars)) ? whole : 0,
    Math.abs(late) < 0.07 ? 1 : 0,
    near >= 0 && (near - phase) % bar === 0 ? 1 : 0,
  ]
}

function levelFeatures(r: Rhythm, { period, beats }: Level): number[] {
  const at = (share: number): number => {
    let sum = 0
    for (let i = 0; i + 1 < beats.length; i++)
      sum += Math.min(3, largestNear(r.onset, beats[i]! + share * (beats[i + 1]! - beats[i]!), 3))
    return sum / Math.max(1, beats.length - 1)
  }
  const on = at(0)
  const half = at(0.5)
  const third = (at(1 / 3) + at(2 / 3)) / 2
  const quarter = (at(0.25) + at(0.75)) / 2
  let rough = 0
  for (let i = 2; i < beats.length; i++)
    rough += Math.abs(Math.log((beats[i]! - beats[i - 1]!) / (beats[i - 1]! - beats[i - 2]!)))
  let k = 0
  const sounding = beats.filter((b) => {
    while (k < r.events.length && r.events[k]!.time < b - 0.045) k++
    return k < r.events.length && r.events[k]!.time <= b + 0.045 && r.events[k]!.strength > 0.3
  }).length
  const tempo = Math.log2(period.seconds / 0.5)
  return [
    tempo,
    tempo * tempo,
    on,
    half,
    third,
    quarter,
    explained(r, beats, 1),
    explained(r, beats, 2),
    explained(r, beats, 3),
    explained(r, beats, 4),
    period.periodicity,
    sounding / Math.max(1, beats.length),
    10 * (rough / Math.max(1, beats.length - 2)),
    half / (on + 0.3),
    (third - half) / (on + 0.3),
    wholeNumber(r, period.seconds),
    r.brilliance,
  ]
}

/** Mean of a series on the beats of one class, less the mean of all (which is 0). */
function meanAt(x: Float32Array, start: number, step: number): number {
  let sum = 0
  let n = 0
  for (let i = ((start % step) + step) % step; i < x.length; i += step, n++) sum += x[i]!
  // Few bars prove little.
  return sum / (n + 1)
}

/** How much more alike beats are at a lag than at others: correlation over all accents. */
function similarity(a: Accents, n: number): (lag: number) => number {
  const at = (lag: number): number => {
    let sum = 0
    for (const name of ACCENTS) for (let i = lag; i < n; i++) sum += a[name][i]! * a[name][i - lag]!
    return n > lag ? sum / (ACCENTS.length * (n - lag)) : 0
  }
  const values = Array.from({ length: 13 }, (_, lag) => (lag ? at(lag) : 0))
  const mean = values.reduce((s, v) => s + v, 0) / 12
  return (lag) => values[lag]! - mean
}

function barFeatures(a: Accents, n: number): (beatsPerBar: number, phase: number) => number[] {
  const alike = similarity(a, n)
  return (bar, phase) => {
    const half = bar % 2 === 0 ? phase + bar / 2 : phase + 2
    const odd =
      bar === 4 || bar === 2
        ? meanAt(a.high, phase + 1, 2) + meanAt(a.middle, phase + 1, 2)
        : meanAt(a.middle, phase + 1, bar)
    return [
      2 * alike(bar),
      bar === 2 ? 0 : meanAt(a.low, half, bar),
      bar === 2 ? 0 : meanAt(a.harmony, half, bar),
      odd,
      bar === 6
        ? meanAt(a.middle, half, bar)
        : bar === 3
          ? meanAt(a.middle, phase + 2, bar)
          : meanAt(a.low, phase, 2),
    ]
  }
}

/** Beats and bars that are worth comparing. */
export interface Hypotheses {
  readonly levels: readonly Level[]
  readonly list: readonly Hypothesis[]
}

/** Beats from half a period before the first sound to half a period after the last note. */
export function soundingBeats(r: Rhythm, beats: readonly number[], period: number): number[] {
  const lastNote = r.events.length ? r.events[r.events.length - 1]!.time : r.last
  const end = Math.min(r.last, lastNote + 0.35 * period)
  // A beat at the very end of the file belongs to what would follow.
  const limit = Math.min(Math.max(end, r.first + period), r.length - 0.25 * period)
  return beats.filter((t) => t >= Math.max(-0.03, r.first - 0.3 * period) && t <= limit)
}

const MOST_LEVELS = 11

/**
 * All hypotheses: beats at every candidate period, with every meter and place of beat 1.
 */
export function hypotheses(
  r: Rhythm,
  harmony: Chroma,
  constraints: BeatConstraints = {},
  /** Only these periods, seconds, where they are known. */
  only?: readonly number[],
  progress?: Progress,
): Hypotheses {
  const levels: Level[] = []
  const list: Hypothesis[] = []
  const { tempo } = constraints
  const within = (s: number): boolean => !tempo || (60 / s >= tempo.low * 0.99 && 60 / s <= tempo.high * 1.01)
  const sum = repeats(r)
  let periods: Period[] = only
    ? only.map((seconds) => ({ seconds, periodicity: 0 }))
    : candidatePeriods(sum, MOST_LEVELS).filter((p) => within(p.seconds))
  if (!periods.length && tempo)
    periods = [{ seconds: 60 / Math.sqrt(tempo.low * tempo.high), periodicity: 0 }]
  const consider = (level: Level): void => {
    const { beats } = level
    const shared = levelFeatures(r, level)
    const accents = accentsOf(r, harmony, beats)
    const bars = barFeatures(accents, beats.length)
    for (const [m, bar] of METERS.entries()) {
      if (constraints.beatsPerBar && constraints.beatsPerBar !== bar) continue
      if (level.period.seconds < SHORTEST_QUARTER && bar !== 6) continue
      for (let phase = 0; phase < bar; phase++) {
        if (constraints.downbeat !== undefined && !startsBarAt(beats, bar, phase, constraints.downbeat))
          continue
        const one = ACCENTS.map((name) => meanAt(accents[name], phase, bar))
        const own = [1, shared[0]!, shared[1]!, shared[4]!, shared[5]!]
        const place = bars(bar, phase)
        const specific = [one[0]!, one[3]!, one[5]!, one[6]!, one[7]!]
        const spread = (block: readonly number[]): number[] =>
          METERS.flatMap((_, i) => block.map((v) => (i === m ? v : 0)))
        const features = Float32Array.from([
          ...shared,
          ...one,
          ...edgeFeatures(r, level, bar, phase),
          ...spread(own),
          ...spread(place),
          ...spread(specific),
        ])
        list.push({ level: levels.length, beatsPerBar: bar, phase, features })
      }
    }
    levels.push(level)
  }
  for (const [i, period] of periods.entries()) {
    progress?.(i / periods.length)
    const path = beatPath(r, period.seconds, constraints)
    for (const shift of constraints.beats?.length || constraints.downbeat !== undefined ? [0] : [0, 0.5]) {
      const beats = soundingBeats(r, shift ? between(path) : path, period.seconds)
      if (beats.length < 3) continue
      const seconds = (beats[beats.length - 1]! - beats[0]!) / (beats.length - 1)
      const level: Level = { period: { ...period, seconds }, beats }
      if (shift && supportOf(r, beats) < OFF_BEAT * supportOf(r, path)) continue
      if (!levels.some((l) => alike(l, level))) consider(level)
    }
  }
  if (!constraints.beats?.length && constraints.downbeat === undefined)
    for (const { seconds, beats } of evenCounts(r)) {
      if (only && !only.some((o) => Math.abs(Math.log(o / seconds)) < SAME_LOOP)) continue
      const level: Level = {
        period: { seconds, periodicity: repeatsAt(sum, seconds) },
        beats: soundingBeats(r, beats, seconds),
      }
      if (!within(seconds) || level.beats.length < 3) continue
      if (!levels.some((l) => alike(l, level))) consider(level)
    }
  return { levels, list }
}

/** Half-way points count as beats of their own when they sound at least this much of what the beats do. */
const OFF_BEAT = 0.5

/** The middles between beats, with one more on either side. */
function between(beats: readonly number[]): number[] {
  const n = beats.length
  const middles = beats.slice(1).map((t, i) => (t + beats[i]!) / 2)
  if (n < 2) return middles
  const [first, last] = [(beats[1]! - beats[0]!) / 2, (beats[n - 1]! - beats[n - 2]!) / 2]
  return [beats[0]! - first, ...middles, beats[n - 1]! + last]
}

function supportOf(r: Rhythm, beats: readonly number[]): number {
  let sum = 0
  for (const t of beats) sum += Math.min(3, largestNear(r.onset, t, 3))
  return sum / Math.max(1, beats.length)
}

/** True where two levels are the same beats. */
function alike(a: Level, b: Level): boolean {
  if (Math.abs(Math.log(a.period.seconds / b.period.seconds)) > 0.04) return false
  let k = 0
  let near = 0
  for (const t of b.beats) {
    while (k + 1 < a.beats.length && Math.abs(a.beats[k + 1]! - t) <= Math.abs(a.beats[k]! - t)) k++
    if (Math.abs(a.beats[k]! - t) < 0.15 * a.period.seconds) near++
  }
  return near > 0.7 * b.beats.length
}

/** True where the beat nearest to a time is a beat 1. */
function startsBarAt(beats: readonly number[], bar: number, phase: number, time: number): boolean {
  let best = 0
  beats.forEach((b, i) => {
    if (Math.abs(b - time) < Math.abs(beats[best]! - time)) best = i
  })
  return (best - phase) % bar === 0
}
