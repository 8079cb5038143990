// What speaks for a way to count a recording: its tempo, its meter and the place of its beat 1.
import type { Chroma } from '../harmony/chroma'
import { ACCENTS, accentsOf, largestNear, type Accents } from './accents'
import { explained } from './explained'
import { mayLoop, restsFirst } from './loop'
import { LONGEST_REPEAT, patternRepeats } from './pattern'
import type { Period } from './periods'
import type { Rhythm } from './rhythm'

/** Beats a bar that are looked for; six are 6/8, two to four have a quarter each. */
export const METERS = [2, 3, 4, 6] as const

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
  'on first thirds',
  'on second thirds',
  'on first quarters',
  'on last quarters',
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
  'pattern at a beat',
  'pattern at its best',
] as const

const BAR_FEATURES = [
  'similar at the bar',
  'half bar low',
  'half bar harmony',
  'off-beats high',
  'after beat 1 high',
  'pattern at the bar',
  'pattern at two bars',
  'pattern at half a bar',
  'phrase high',
  'phrase change',
  'occupied after beat 1',
] as const

/** Accents of beat 1 that mean something else in every meter. */
const OF_METERS = ['low', 'onset', 'harmony', 'bass', 'hold', 'change'] as const

export const HYPOTHESIS_FEATURES: readonly string[] = [
  ...LEVEL_FEATURES,
  ...ACCENTS.map((a) => `beat 1 ${a}`),
  'file is whole bars',
  'file is 2^n bars',
  'first note on beat 1',
  'last note on beat 1',
  ...METERS.flatMap((m) =>
    ['', ' tempo', ' tempo squared', ' thirds', ' quarters', ' by thirds'].map((f) => `${m}${f}`),
  ),
  ...METERS.flatMap((m) => BAR_FEATURES.map((f) => `${m} ${f}`)),
  ...METERS.flatMap((m) => OF_METERS.map((f) => `${m} beat 1 ${f}`)),
]

/** How near the file's length is to a whole number of beats, 0-1; only short files are loops. */
function wholeNumber(r: Rhythm, period: number): number {
  if (!mayLoop(r)) return 0
  const beats = r.length / period
  return Math.exp(-((((beats - Math.round(beats)) * period) / 0.04) ** 2))
}

/** The last note is on the beat that it is nearer to than so many beats. */
const ON_LAST = 0.2

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

function levelFeatures(r: Rhythm, { period, beats }: Level, pattern: Float32Array): number[] {
  const at = (share: number): number => {
    let sum = 0
    for (let i = 0; i + 1 < beats.length; i++)
      sum += Math.min(3, largestNear(r.onset, beats[i]! + share * (beats[i + 1]! - beats[i]!), 3))
    return sum / Math.max(1, beats.length - 1)
  }
  const on = at(0)
  const half = at(0.5)
  const thirds = [at(1 / 3), at(2 / 3)] as const
  const third = (thirds[0] + thirds[1]) / 2
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
    ...thirds,
    at(0.25),
    at(0.75),
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
    pattern[1]!,
    Math.max(...pattern.subarray(2)),
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
    for (const name of ALIKE) for (let i = lag; i < n; i++) sum += a[name][i]! * a[name][i - lag]!
    return n > lag ? sum / (ALIKE.length * (n - lag)) : 0
  }
  return overOthers(Float32Array.from({ length: LONGEST_REPEAT + 1 }, (_, lag) => (lag ? at(lag) : 0)))
}
const ALIKE = ACCENTS.filter((name) => name !== 'change')

/** Values at lags from 1 on, less the mean of all. */
function overOthers(values: Float32Array): (lag: number) => number {
  const mean = values.reduce((s, v) => s + v, 0) / LONGEST_REPEAT
  return (lag) => values[lag]! - mean
}

/** Bars of a phrase (common practice), and the fewest bars that are looked at for phrases. */
const PHRASE = 4
const FEWEST_BARS = 6

/** How much more beats 1 have of something where phrases begin than elsewhere, wherever in the phrase that may be. */
function inPhrases(x: Float32Array, phase: number, bar: number): number {
  if ((x.length - phase) / bar < FEWEST_BARS) return 0
  const places = Array.from({ length: PHRASE }, (_, k) => meanAt(x.subarray(phase), k * bar, PHRASE * bar))
  return Math.max(...places) - places.reduce((s, v) => s + v, 0) / PHRASE
}

function barFeatures(
  a: Accents,
  pattern: Float32Array,
  n: number,
): (beatsPerBar: number, phase: number) => number[] {
  const alike = similarity(a, n)
  const repeated = overOthers(pattern)
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
      2 * repeated(bar),
      2 * repeated(2 * bar),
      2 * repeated(Math.floor(bar / 2)),
      inPhrases(a.high, phase, bar),
      inPhrases(a.change, phase, bar),
      meanAt(a.onset, phase + 1, bar === 6 ? 3 : bar),
    ]
  }
}

/** Evidence of a level: a function of beats a bar and of the first beat that is a beat 1. */
export function evidenceOf(
  r: Rhythm,
  harmony: Chroma,
  level: Level,
): (beatsPerBar: number, phase: number) => Float32Array {
  const { beats } = level
  const pattern = patternRepeats(r, beats)
  const shared = levelFeatures(r, level, pattern)
  const accents = accentsOf(r, harmony, beats)
  const bars = barFeatures(accents, pattern, beats.length)
  const [tempo, squared] = shared
  const ofLevel = (name: (typeof LEVEL_FEATURES)[number]): number => shared[LEVEL_FEATURES.indexOf(name)]!
  const own = [
    1,
    tempo!,
    squared!,
    ofLevel('on second thirds'),
    ofLevel('on last quarters'),
    ofLevel('explained by thirds'),
  ]
  return (bar, phase) => {
    const one = ACCENTS.map((name) => meanAt(accents[name], phase, bar))
    const specific = OF_METERS.map((name) => one[ACCENTS.indexOf(name)]!)
    const spread = (block: readonly number[]): number[] =>
      METERS.flatMap((m) => block.map((v) => (m === bar ? v : 0)))
    return Float32Array.from([
      ...shared,
      ...one,
      ...edgeFeatures(r, level, bar, phase),
      ...spread(own),
      ...spread(bars(bar, phase)),
      ...spread(specific),
    ])
  }
}
