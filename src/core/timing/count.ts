// How a recording is counted: which moments of it are beats, and which of them begin bars.
import { InputError } from '../errors'
import type { Samples } from '../units'

/** "This is bar 17 beat 1." Bars and beats count from 1. */
export interface CountPoint {
  readonly source: Samples
  readonly bar: number
  readonly beat: number
}

/** What a person has said about the beats of a recording; null where the analysis has its way. */
export interface Count {
  /** The tempo lies between these, beats a minute: found anew among such; null for the likeliest of all. */
  readonly range: { readonly low: number; readonly high: number } | null
  /** One tempo held throughout, beats a minute; null for the beats as found. */
  readonly held: number | null
  /** The found beats taken this many times as fast: 2, 3, 1/2 or 1/3. */
  readonly times: number
  /** Where bar 1 beat 1 is. */
  readonly one: Samples | null
  readonly beatsPerBar: number | null
  readonly beatUnit: number | null
  /** Further moments that are known, rising. */
  readonly points: readonly CountPoint[]
}

export const AS_FOUND: Count = {
  range: null,
  held: null,
  times: 1,
  one: null,
  beatsPerBar: null,
  beatUnit: null,
  points: [],
}

/** Beats as the analysis found them; times in seconds of the recording. */
export interface FoundBeats {
  readonly beats: readonly { readonly time: number; readonly beat: number; readonly confidence: number }[]
  readonly beatsPerBar: number
  readonly beatUnit: number
}

/** One beat of a recording. */
export interface CountedBeat {
  /** Recording samples, fractional. */
  readonly source: number
  /** Beats from bar 1 beat 1; below 0 before it. */
  readonly n: number
  /** 0-1; 1 where a person has said so. */
  readonly confidence: number
}

/** A counted recording: a beat a line, in order and without gaps. */
export interface Counted {
  readonly beats: readonly CountedBeat[]
  readonly beatsPerBar: number
  readonly beatUnit: number
}

/** Found beats nearer to a known moment than this share of a beat are that moment. */
const SAME = 0.4

/** Found beats, taken faster or slower. */
function paced(found: FoundBeats, times: number, rate: number): { source: number; confidence: number }[] {
  const all = found.beats.map((b) => ({ source: b.time * rate, confidence: b.confidence }))
  if (times > 1)
    return all.flatMap((b, i) => {
      const next = all[i + 1]
      if (!next) return [b]
      return Array.from({ length: Math.round(times) }, (_, k) => ({
        source: b.source + (k / times) * (next.source - b.source),
        confidence: k === 0 ? b.confidence : 0.6 * b.confidence,
      }))
    })
  if (times < 1) {
    const every = Math.round(1 / times)
    const first = Math.max(
      0,
      found.beats.findIndex((b) => b.beat === 1),
    )
    return all.filter((_, i) => (((i - first) % every) + every) % every === 0)
  }
  return all
}

interface Anchor {
  readonly source: number
  readonly n: number
}

/** Known moments in order. @throws InputError when two of them contradict each other */
function anchorsOf(count: Count, one: number, beatsPerBar: number): Anchor[] {
  const known = [
    { source: one, n: 0, name: 'bar 1 beat 1' },
    ...count.points.map((p) => ({
      source: p.source as number,
      n: (p.bar - 1) * beatsPerBar + p.beat - 1,
      name: `bar ${p.bar} beat ${p.beat}`,
    })),
  ].sort((a, b) => a.source - b.source)
  known.forEach((p, i) => {
    const before = known[i - 1]
    if (before && p.n <= before.n)
      throw new InputError(
        `${p.name[0]!.toUpperCase()}${p.name.slice(1)} comes after ${before.name} in the recording but not in the count; take one of the two points out.`,
      )
  })
  return known
}

/** Beats between two known moments: those found, where their number fits, else evenly spaced. */
function between(
  a: Anchor,
  b: Anchor,
  found: readonly { source: number; confidence: number }[],
): CountedBeat[] {
  const inner = b.n - a.n - 1
  const gap = (b.source - a.source) / (b.n - a.n)
  const inside = found.filter((f) => f.source > a.source + SAME * gap && f.source < b.source - SAME * gap)
  const fits = inside.length === inner
  return Array.from({ length: inner }, (_, k) => ({
    source: fits ? inside[k]!.source : a.source + (k + 1) * gap,
    n: a.n + k + 1,
    confidence: fits ? inside[k]!.confidence : 0.5,
  }))
}

/** Beats outside the known moments on one side: those found, then at the last interval up to the edge. */
function outside(
  anchor: Anchor,
  way: 1 | -1,
  found: readonly { source: number; confidence: number }[],
  period: number,
  edge: number,
): CountedBeat[] {
  const beyond = found.filter((f) => way * (f.source - anchor.source) > SAME * period)
  if (way < 0) beyond.reverse()
  const out: CountedBeat[] = beyond.map((f, k) => ({
    source: f.source,
    n: anchor.n + way * (k + 1),
    confidence: f.confidence,
  }))
  const last = out[out.length - 1] ?? { source: anchor.source, n: anchor.n }
  const before = out[out.length - 2] ?? anchor
  const step = out.length > 1 ? Math.abs(last.source - before.source) : period
  for (let k = 1; way * (edge - (last.source + way * k * step)) >= 0; k++)
    out.push({ source: last.source + way * k * step, n: last.n + way * k, confidence: 0.3 })
  return way < 0 ? out.reverse() : out
}

/**
 * Counts a recording.
 *
 * With a held tempo beats are even: between two known moments as their distance says, after the last as before it, and
 * with one known moment at the held tempo. Otherwise they are the found ones, bent to the known moments.
 *
 * @param range recording samples to cover
 * @param rate  Hz
 * @returns no beats where none were found and none are held
 * @throws InputError when known moments contradict each other
 */
export function countBeats(
  found: FoundBeats,
  count: Count,
  range: { readonly from: number; readonly to: number },
  rate: number,
): Counted {
  const beatsPerBar = count.beatsPerBar ?? found.beatsPerBar
  const beatUnit = count.beatUnit ?? found.beatUnit
  const first = found.beats.find((b) => b.beat === 1) ?? found.beats[0]
  const one = count.one ?? (first ? first.time * rate : range.from)
  const anchors = anchorsOf(count, one, beatsPerBar)
  const all = count.held === null ? paced(found, count.times, rate) : []
  if (count.held === null && all.length < 2 && anchors.length < 2) return { beats: [], beatsPerBar, beatUnit }
  const gaps = anchors.slice(1).map((b, i) => (b.source - anchors[i]!.source) / (b.n - anchors[i]!.n))
  const near = (place: number): number => {
    const i = Math.max(
      1,
      all.findIndex((f) => f.source >= place),
    )
    return all[i] ? all[i]!.source - all[i - 1]!.source : rate / 2
  }
  const held = count.held === null ? undefined : (60 / count.held) * rate
  const firstGap = gaps[0] ?? held ?? near(one)
  const lastGap = gaps[gaps.length - 1] ?? held ?? near(one)
  const last = anchors[anchors.length - 1]!
  const beats = [
    ...outside(anchors[0]!, -1, all, firstGap, range.from),
    ...anchors.flatMap((a, i) => [
      { source: a.source, n: a.n, confidence: 1 },
      ...(anchors[i + 1] ? between(a, anchors[i + 1]!, all) : []),
    ]),
    ...outside(last, 1, all, lastGap, range.to),
  ]
  return {
    beats: held === undefined ? beats : beats.map((b) => ({ ...b, confidence: Math.max(b.confidence, 0.6) })),
    beatsPerBar,
    beatUnit,
  }
}

/** Recording place of a beat number, between beats too; beyond the ends the nearest interval goes on. */
export function sourceOfBeat(c: Counted, n: number): number {
  const i = Math.min(c.beats.length - 2, Math.max(0, Math.floor(n - c.beats[0]!.n)))
  const [a, b] = [c.beats[i]!, c.beats[i + 1]!]
  return a.source + (n - a.n) * (b.source - a.source)
}

/** Mean tempo of a count, beats a minute; 0 without beats. */
export function countTempo(c: Counted, rate: number): number {
  const [a, b] = [c.beats[0], c.beats[c.beats.length - 1]]
  return a && b && b.n > a.n ? (60 * rate * (b.n - a.n)) / (b.source - a.source) : 0
}

/**
 * One tempo for everything from a place on: the line through the found beats after it, by the median of all slopes.
 *
 * @returns beats a minute
 * @throws InputError when there are too few beats
 * Source: P. K. Sen, "Estimates of the regression coefficient based on Kendall's tau", JASA 63, 1968.
 */
export function tempoFrom(c: Counted, source: number, rate: number): number {
  const after = c.beats.filter((b) => b.source >= source - 1 && b.confidence > 0.3)
  if (after.length < 4)
    throw new InputError('There are fewer than four beats after this place; choose an earlier one.')
  // Slopes over half the stretch are enough, and the steadiest.
  const half = after.length >> 1
  const slopes = after
    .slice(0, after.length - half)
    .map((a, i) => (after[i + half]!.source - a.source) / half)
    .sort((x, y) => x - y)
  return (60 * rate) / slopes[slopes.length >> 1]!
}

/**
 * Tempo of taps: the median of their intervals, without those that a missed or doubled tap made.
 *
 * @param times seconds, rising
 * @returns beats a minute, or null with fewer than three taps
 */
export function tapTempo(times: readonly number[]): number | null {
  const gaps = times.slice(1).map((t, i) => t - times[i]!)
  if (gaps.length < 2) return null
  const middle = (x: readonly number[]): number => {
    const s = [...x].sort((a, b) => a - b)
    const h = s.length >> 1
    return s.length % 2 ? s[h]! : (s[h - 1]! + s[h]!) / 2
  }
  const usual = middle(gaps)
  return 60 / middle(gaps.filter((g) => g > 0.75 * usual && g < 1.33 * usual))
}

/** The count with a moment known: near an earlier one it takes its place. */
export function withPoint(count: Count, point: CountPoint, near: number): Count {
  const others = count.points.filter(
    (p) => Math.abs(p.source - point.source) > near && (p.bar !== point.bar || p.beat !== point.beat),
  )
  return { ...count, points: [...others, point].sort((a, b) => a.source - b.source) }
}
