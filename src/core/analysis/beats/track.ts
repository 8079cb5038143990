// Tempo, meter and beats of a recording: the likeliest hypothesis over its whole length, with what else it could be.
import type { Chroma } from '../harmony/chroma'
import { HYPOTHESIS_FEATURES } from './evidence'
import { hypotheses, type Hypotheses, type Hypothesis } from './hypotheses'
import { mayLoop } from './loop'
import type { BeatConstraints } from './path'
import { part, type Progress } from '../progress'
import { score, softmax } from './rank'
import { RATE, type Rhythm } from './rhythm'
import type { StatedTempo } from './stated'
import { fitSteady, steadyLine, type SteadyFit } from './steady'

export interface Beat {
  /** Seconds of the recording. */
  readonly time: number
  /** Place in the bar, 1 is the downbeat. */
  readonly beat: number
  /** 0-1. */
  readonly confidence: number
  /** True where nothing sounds that tells; the beat is carried on from its neighbours. */
  readonly extrapolated: boolean
}

/** How a tempo relates to the one that was chosen. */
export type Relation = 'chosen' | 'half' | 'double' | 'third' | 'triple' | 'other'

export interface TempoCandidate {
  readonly bpm: number
  /** 0-1; of all candidates they sum to at most 1. */
  readonly score: number
  readonly relation: Relation
  /** What speaks for it, in words and numbers. */
  readonly evidence: readonly string[]
}

export interface BeatFindings {
  readonly tempo: {
    readonly bpm: number
    readonly confidence: number
    readonly candidates: readonly TempoCandidate[]
    /** One tempo throughout; else the beats are the map. */
    readonly steady: boolean
  }
  readonly meter: { readonly beatsPerBar: number; readonly beatUnit: number; readonly confidence: number }
  readonly beats: readonly Beat[]
  /** Seconds of the first beat 1 at or after the first sound, or null without beats. */
  readonly beatOne: number | null
}

/** Hypotheses are compared on at most this much of a recording, seconds. */
const EXCERPT = 120
/** Log-odds that a stated tempo adds to hypotheses that agree with it within 2 %. */
const STATED = 3.1
/** Log-odds by which one hypothesis must lead to be sure; evens out overconfident weights. */
const CALM = 0.7

/** Loops are counted in quarters no faster than this, BPM (common practice); log-odds taken for every octave above. */
const LOOP_FAST = 172
const HURRIED = 60
/** Log-odds that a file of whole bars begins with one of them. */
const BEGINS = 4

const NONE: BeatFindings = {
  tempo: { bpm: 0, confidence: 0, candidates: [], steady: false },
  meter: { beatsPerBar: 4, beatUnit: 4, confidence: 0 },
  beats: [],
  beatOne: null,
}

const near = (a: number, b: number, share: number): boolean => Math.abs(Math.log(a / b)) < Math.log(1 + share)

/** A part of a recording's rhythm and harmony, starting at 0. */
function excerpt(r: Rhythm, harmony: Chroma, from: number, to: number): [Rhythm, Chroma] {
  const a = Math.floor(from * RATE)
  const b = Math.min(r.frames, Math.ceil(to * RATE))
  const cut = (x: Float32Array): Float32Array => x.subarray(a, b)
  const h0 = Math.round(from / harmony.hop)
  const h1 = Math.min(harmony.frames, Math.round(to / harmony.hop))
  return [
    {
      frames: b - a,
      onset: cut(r.onset),
      regions: r.regions.map(cut),
      level: cut(r.level),
      brilliance: r.brilliance,
      events: r.events
        .filter((e) => e.time >= from && e.time < to)
        .map((e) => ({ ...e, time: e.time - from })),
      first: Math.max(0, r.first - from),
      last: Math.min(r.last, to) - from,
      length: to - from,
    },
    {
      ...harmony,
      frames: h1 - h0,
      values: harmony.values.subarray(h0 * 12, h1 * 12),
      bass: harmony.bass.subarray(h0 * 12, h1 * 12),
    },
  ]
}

interface Choice {
  readonly period: number
  readonly beatsPerBar: number
  readonly meterConfidence: number
  readonly levels: readonly {
    readonly period: number
    readonly weight: number
    readonly periodicity: number
  }[]
}

const [WHOLE_BARS, FIRST_ON_ONE] = (['file is whole bars', 'first note on beat 1'] as const).map((name) =>
  HYPOTHESIS_FEATURES.indexOf(name),
) as [number, number]

/** What is added to the score of a place of beat 1 where a file may have been cut to its bars. */
const beginsBar = ({ features }: Hypothesis): number =>
  BEGINS * features[WHOLE_BARS]! * features[FIRST_ON_ONE]!

/**
 * Weighs all hypotheses; null where there are none.
 *
 * @param loop the file may have been cut to its bars; @param placing its tempo and meter are known, not its beat 1
 */
function choose(
  h: Hypotheses,
  stated: readonly StatedTempo[],
  loop: boolean,
  placing = false,
): { best: number; choice: Choice } | null {
  if (!h.list.length) return null
  const z = h.list.map((x) => {
    const bpm = 60 / h.levels[x.level]!.period.seconds
    if (stated.some((s) => near(s.bpm, bpm, 0.02))) return CALM * score(x) + STATED
    if (placing) return CALM * (score(x) + beginsBar(x))
    const hurried = loop && x.beatsPerBar % 3 ? Math.max(0, Math.log2(bpm / LOOP_FAST)) : 0
    return CALM * (score(x) - HURRIED * hurried)
  })
  const p = softmax(z)
  const best = z.indexOf(Math.max(...z))
  const chosen = h.list[best]!
  // A tempo weighs what its likeliest way to count bars weighs, so that the one chosen is first among them.
  const likeliest = h.levels.map((_, i) =>
    p.reduce((most, v, k) => (h.list[k]!.level === i ? Math.max(most, v) : most), 0),
  )
  const all = likeliest.reduce((sum, v) => sum + v, 0)
  const levels = h.levels.map((l, i) => ({
    period: l.period.seconds,
    periodicity: l.period.periodicity,
    weight: likeliest[i]! / all,
  }))
  const same = p.reduce((sum, v, k) => sum + (h.list[k]!.level === chosen.level ? v : 0), 0)
  const meter = p.reduce(
    (sum, v, k) =>
      sum + (h.list[k]!.level === chosen.level && h.list[k]!.beatsPerBar === chosen.beatsPerBar ? v : 0),
    0,
  )
  return {
    best,
    choice: {
      period: levels[chosen.level]!.period,
      beatsPerBar: chosen.beatsPerBar,
      meterConfidence: same > 0 ? meter / same : 0,
      levels,
    },
  }
}

/** Beats moved to the notes they stand for: a line through the notes of the three beats on either side. */
function settled(r: Rhythm, beats: readonly number[]): number[] {
  let k = 0
  const offsets = beats.map((t, i) => {
    const gap = (beats[i + 1] ?? t + (t - (beats[i - 1] ?? t - 0.5))) - t
    const reach = Math.min(0.06, 0.12 * gap)
    while (k < r.events.length && r.events[k]!.time < t - 0.07) k++
    let best = 0
    let weight = 0
    for (let e = k; e < r.events.length && r.events[e]!.time <= t + reach; e++) {
      const w = r.events[e]!.strength * (1 - Math.abs(r.events[e]!.time - t) / (2 * reach))
      if (r.events[e]!.time >= t - reach && w > weight) [best, weight] = [r.events[e]!.time - t, w]
    }
    return { offset: best, weight }
  })
  return beats.map((t, i) => {
    let sum = 0
    let total = 0.05
    for (let j = Math.max(0, i - 3); j <= Math.min(beats.length - 1, i + 3); j++) {
      const w = offsets[j]!.weight * (j === i ? 2 : 1 / Math.abs(j - i))
      sum += w * offsets[j]!.offset
      total += w
    }
    return t + sum / total
  })
}

/** Every beat's confidence and whether it is carried on: how near and strong its notes are, and its neighbours'. */
function described(r: Rhythm, times: readonly number[], bar: number, phase: number, sure: number): Beat[] {
  let k = 0
  const support = times.map((t) => {
    while (k < r.events.length && r.events[k]!.time < t - 0.07) k++
    let best = 0
    for (let e = k; e < r.events.length && r.events[e]!.time <= t + 0.07; e++)
      best = Math.max(best, r.events[e]!.strength * (1 - Math.abs(r.events[e]!.time - t) / 0.1))
    return best
  })
  const firstNote = r.events.find((e) => e.strength > 0.25)?.time ?? Infinity
  return times.map((time, i) => {
    const around = Math.max(...support.slice(Math.max(0, i - 2), i + 3))
    // A note that only rings through an introduction starts no beats.
    const early =
      i + 1 < times.length && support.slice(0, i + 1).filter((s) => s > 0.2).length < 2 && support[i]! < 0.2
    const extrapolated = around < 0.15 || time < firstNote - 0.07 || early
    const confidence = (extrapolated ? 0.25 : 0.5 + 0.3 * support[i]! + 0.2 * around) * (0.5 + 0.5 * sure)
    return { time, beat: ((((i - phase) % bar) + bar) % bar) + 1, confidence, extrapolated }
  })
}

const RELATIONS: readonly (readonly [number, Relation])[] = [
  [0.5, 'half'],
  [2, 'double'],
  [1 / 3, 'third'],
  [3, 'triple'],
]

function evidenceFor(
  bpm: number,
  periodicity: number,
  r: Rhythm,
  stated: readonly StatedTempo[],
  fit: SteadyFit | null,
): string[] {
  const out: string[] = []
  if (periodicity > 0) out.push(`Notes repeat at this distance (${Math.round(100 * periodicity)} %).`)
  if (fit)
    out.push(`${Math.round(100 * fit.share)} % of its beats have a note within 30 ms of one steady tempo.`)
  const beats = (r.length * bpm) / 60
  if (r.length < 24 && Math.abs(beats - Math.round(beats)) < 0.04)
    out.push(`The file is ${Math.round(beats)} beats long.`)
  for (const s of stated)
    if (near(s.bpm, bpm, 0.02))
      out.push(s.from === 'name' ? `The file name says ${s.bpm}.` : `The tags say ${s.bpm} BPM.`)
  return out
}

/**
 * Tempo, meter and beats.
 *
 * @param r rhythm; @param harmony chroma; @param stated tempos that the file states
 * @param constraints what a person has said; a second pass with them is as good as instant
 */
export function findBeats(
  r: Rhythm,
  harmony: Chroma,
  stated: readonly StatedTempo[] = [],
  constraints: BeatConstraints = {},
  progress?: Progress,
): BeatFindings {
  if (r.events.length < 3) return NONE
  const long = r.last - r.first > 1.25 * EXCERPT
  const from = long ? (r.first + r.last - EXCERPT) / 2 : 0
  const [shorter, shorterHarmony] = long ? excerpt(r, harmony, from, from + EXCERPT) : [r, harmony]
  const { beats: _named, downbeat: _one, ...lasting } = constraints
  progress?.(0)
  const first = choose(
    hypotheses(shorter, shorterHarmony, long ? lasting : constraints, undefined, part(progress, 0, 0.8)),
    stated,
    mayLoop(r),
  )
  if (!first) return NONE
  const { choice } = first
  progress?.(0.8)
  // The whole recording at the chosen period and meter; its beat 1 is judged anew over all bars.
  const whole = hypotheses(r, harmony, { ...constraints, beatsPerBar: choice.beatsPerBar }, [choice.period])
  const placed = choose(whole, [], false, true)
  if (!placed) return NONE
  const { level: levelIndex, phase } = whole.list[placed.best]!
  const { beats } = whole.levels[levelIndex]!
  const fitted = fitSteady(r, beats)
  const line = steadyLine(r, beats, choice.beatsPerBar, fitted)
  const steady = line !== null
  const fit = line ?? fitted
  const times = (line ? onLine(line, beats) : settled(r, beats)).map((t) => Math.max(0, t))
  const period = line ? line.period : (times[times.length - 1]! - times[0]!) / Math.max(1, times.length - 1)
  const bpm = 60 / period
  const confidence = choice.levels.reduce(
    (sum, l) => sum + (near(l.period, choice.period, 0.03) ? l.weight : 0),
    0,
  )
  const candidates: TempoCandidate[] = [
    {
      bpm,
      score: confidence,
      relation: 'chosen',
      evidence: evidenceFor(
        bpm,
        choice.levels.find((l) => l.period === choice.period)?.periodicity ?? 0,
        r,
        stated,
        fit,
      ),
    },
  ]
  for (const [ratio, relation] of RELATIONS) {
    const like = choice.levels.filter((l) => near(60 / l.period, bpm * ratio, 0.04))
    // Its likeliest count alone, so that none comes before the one that was chosen for its likeliest count.
    const weight = Math.max(0, ...like.map((l) => l.weight))
    if (ratio === 0.5 || ratio === 2 || weight > 0.01)
      candidates.push({
        bpm: bpm * ratio,
        score: weight,
        relation,
        evidence: evidenceFor(bpm * ratio, like[0]?.periodicity ?? 0, r, stated, null),
      })
  }
  for (const l of choice.levels)
    if (l.weight > 0.005 && !candidates.some((c) => near(c.bpm, 60 / l.period, 0.04)))
      candidates.push({
        bpm: 60 / l.period,
        score: l.weight,
        relation: 'other',
        evidence: evidenceFor(60 / l.period, l.periodicity, r, stated, null),
      })
  const listed = [candidates[0]!, ...candidates.slice(1).sort((a, b) => b.score - a.score)]
  const counted = described(r, times, choice.beatsPerBar, phase, confidence)
  return {
    tempo: { bpm, confidence, candidates: listed, steady },
    meter: {
      beatsPerBar: choice.beatsPerBar,
      beatUnit: choice.beatsPerBar === 6 ? 8 : 4,
      confidence: choice.meterConfidence,
    },
    beats: counted,
    beatOne: counted.find((b) => b.beat === 1)?.time ?? null,
  }
}

/** The tracked beats, put on one line. */
const onLine = (fit: SteadyFit, beats: readonly number[]): number[] => {
  const first = Math.round((beats[0]! - fit.start) / fit.period)
  return beats.map((_, i) => fit.start + (first + i) * fit.period)
}

/** Beats at half or double the tempo: the same beats, thinned (keeping beats 1) or with the middles between. */
export function beatsAt(
  relation: 'half' | 'double',
  beats: readonly number[],
  firstDownbeat: number,
): number[] {
  if (relation === 'half') return beats.filter((_, i) => (i - firstDownbeat) % 2 === 0)
  return beats.flatMap((t, i) => (i + 1 < beats.length ? [t, (t + beats[i + 1]!) / 2] : [t]))
}
