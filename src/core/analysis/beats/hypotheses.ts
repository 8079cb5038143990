// Hypotheses of tempo, meter and the place of beat 1.
import type { Chroma } from '../harmony/chroma'
import { largestNear } from './accents'
import { evidenceOf, METERS, type Level } from './evidence'
import { evenCounts } from './loop'
import { beatPath, type BeatConstraints } from './path'
import type { Progress } from '../progress'
import { candidatePeriods, repeats, repeatsAt, SHORTEST_QUARTER, type Period } from './periods'
import type { Rhythm } from './rhythm'

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

/** A tempo this near to a loop's is the loop's, as a share. */
const SAME_LOOP = 0.012

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
    const evidence = evidenceOf(r, harmony, level)
    for (const bar of METERS) {
      if (constraints.beatsPerBar && constraints.beatsPerBar !== bar) continue
      if (level.period.seconds < SHORTEST_QUARTER && bar !== 6) continue
      for (let phase = 0; phase < bar; phase++) {
        if (constraints.downbeat !== undefined && !startsBarAt(beats, bar, phase, constraints.downbeat))
          continue
        const features = evidence(bar, phase)
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
