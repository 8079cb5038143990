// One tempo or a changing one: a straight line through the beats, and how far the playing strays from it.
import { lastAtOrBelow } from '../../search'
import { explainedByParts, PARTS } from './explained'
import { mayLoop } from './loop'
import type { Rhythm } from './rhythm'

/** A straight line through beats: beat k is at start + k * period, seconds. */
export interface SteadyFit {
  readonly start: number
  readonly period: number
  /** Spread of single notes about the line, seconds. */
  readonly scatter: number
  /** Farthest that the playing as a whole strays from the line, seconds. */
  readonly stray: number
  /** Share of beats with a note near the line. */
  readonly share: number
  /** Beats over which notes bear witness. */
  readonly span: number
}

/** Notes farther than this share of a beat, or these seconds, from a beat say nothing about it. */
const NEAR_SHARE = 0.12
const NEAR = 0.06
/** Notes averaged to see the playing as a whole. */
const CROWD = 6
/** Width of the robust weights, seconds. */
const ROBUST = 0.012

interface Witness {
  readonly k: number
  readonly time: number
  readonly weight: number
}

/** The note nearest to each beat. */
function witnesses(
  r: Rhythm,
  beats: readonly number[],
  numbers: readonly number[],
  period: number,
): Witness[] {
  const near = Math.min(NEAR, NEAR_SHARE * period)
  const { events } = r
  return beats.flatMap((beat, i) => {
    let best: Witness | null = null
    for (
      let e = lastAtOrBelow(events.length, (j) => events[j]!.time, beat - near) + 1;
      e < events.length && events[e]!.time <= beat + near;
      e++
    ) {
      const { time, strength } = events[e]!
      // Strength and nearness both count; a loud early ornament must not lead.
      const weight = strength * (1 - Math.abs(time - beat) / (2 * near))
      if (strength > 0.2 && (!best || weight > best.weight)) best = { k: numbers[i]!, time, weight }
    }
    return best ? [best] : []
  })
}

function line(w: readonly Witness[], weights: readonly number[]): { start: number; period: number } {
  let [n, sk, st, skk, skt] = [1e-12, 0, 0, 0, 0]
  w.forEach((p, i) => {
    const a = weights[i]!
    n += a
    sk += a * p.k
    st += a * p.time
    skk += a * p.k * p.k
    skt += a * p.k * p.time
  })
  const d = n * skk - sk * sk
  const period = d > 1e-9 ? (n * skt - sk * st) / d : 0
  return { start: (st - period * sk) / n, period }
}

const middle = (x: readonly number[]): number => [...x].sort((a, b) => a - b)[x.length >> 1] ?? 0

/**
 * Fits one tempo to beats.
 *
 * Weighted least squares, reweighted by Cauchy's function so that ornaments and stray notes do not count.
 * Source: P. Holland & R. Welsch, "Robust regression using iteratively reweighted least-squares", Communications in
 * Statistics 6(9), 1977.
 *
 * @param beats in rising order, one a beat; @returns null when too few notes fall on beats
 */
export function fitSteady(r: Rhythm, beats: readonly number[]): SteadyFit | null {
  if (beats.length < 4) return null
  const period = (beats[beats.length - 1]! - beats[0]!) / (beats.length - 1)
  let numbers = beats.map((_, i) => i)
  let found = witnesses(r, beats, numbers, period)
  if (found.length < 4) return null
  let fit = line(
    found,
    found.map((w) => w.weight),
  )
  for (let round = 0; round < 12; round++) {
    const width = round < 4 ? 3 * ROBUST : ROBUST
    const residuals = found.map((w) => w.time - fit.start - w.k * fit.period)
    fit = line(
      found,
      found.map((w, i) => w.weight / (1 + (residuals[i]! / width) ** 2)),
    )
    if (round === 5) {
      // Notes nearest to the line now, not to the tracked beats.
      numbers = beats.map((b) => Math.round((b - fit.start) / fit.period))
      const onLine = numbers.map((k) => fit.start + k * fit.period)
      const again = witnesses(r, onLine, numbers, fit.period)
      if (again.length >= 4) found = again
    }
  }
  // How far the tracked beats, and crowds of notes around them, are from the line.
  const tracked = witnesses(
    r,
    beats,
    beats.map((b) => Math.round((b - fit.start) / fit.period)),
    period,
  )
  const off = tracked.map((w) => w.time - fit.start - w.k * fit.period)
  let stray = 0
  for (let i = 0; i + CROWD <= off.length; i++)
    stray = Math.max(stray, Math.abs(middle(off.slice(i, i + CROWD))))
  const close = off.filter((d) => Math.abs(d) < 0.03).length
  return {
    ...fit,
    scatter: 1.4826 * middle(off.map(Math.abs)),
    stray,
    share: close / Math.max(1, off.length),
    span: tracked.length ? tracked[tracked.length - 1]!.k - tracked[0]!.k : 0,
  }
}

/** Playing to one tempo strays less than this, and playing without a click soon more, seconds. */
const STEADY_STRAY = 0.021

/** True where one tempo explains the recording. */
const isSteady = (f: SteadyFit): boolean => f.share > 0.7 && f.stray < STEADY_STRAY

/** A file is cut to its beats when it ends this near to one, seconds; or within so many times the playing's looseness. */
const CUT = 0.008
const CUT_LOOSE = 4
/** And within this share in any case. */
const CUT_MOST = 0.012
/** Where no tempo is plain: within this share of a beat, if a grid as long as the file explains what is played. */
const CUT_BEAT = 0.08
const EXPLAINED = 0.85
/** With notes on too few beats for a tempo of their own, a bar or two, the length says more: it must explain this much. */
const EXPLAINED_FEW = 0.75
/** Strength of the notes that tell. */
const TELLS = 0.3

/** A note is on a beat this near to it, seconds. */
const ON = 0.03

/** A line as long as the file, where its notes lie around it. */
function loopLine(r: Rhythm, count: number): SteadyFit {
  const period = r.length / count
  const step = period / PARTS[0]
  const sounding = r.events.filter((e) => e.strength > TELLS).map((e) => e.time)
  const start = middle(sounding.map((t) => t - step * Math.round(t / step)))
  const off = Array.from({ length: count }, (_, k) =>
    sounding.reduce((least, t) => Math.min(least, Math.abs(t - start - k * period)), Infinity),
  ).filter((d) => d < NEAR)
  const scatter = 1.4826 * middle(off)
  const share = off.filter((d) => d < ON).length / Math.max(1, off.length)
  return { start, period, scatter, stray: middle(off), share, span: count - 1 }
}

/** Share of the notes that a line explains. */
const explainedBy = (r: Rhythm, fit: SteadyFit): number => {
  const from = Math.floor((r.first - fit.start) / fit.period) - 1
  const count = Math.ceil(r.length / fit.period) + 3
  const beats = Array.from({ length: count }, (_, i) => fit.start + (from + i) * fit.period)
  return explainedByParts(r, beats)
}

/**
 * One tempo of a recording, or null where it changes. A loop is exactly as long as its beats: where the file's length
 * agrees, it is the better measure, and where whole bars of it explain what is played, it is steady.
 */
export function steadyLine(
  r: Rhythm,
  beats: readonly number[],
  beatsPerBar: number,
  fit: SteadyFit | null,
): SteadyFit | null {
  const steady = fit && isSteady(fit) ? fit : null
  const period = fit?.period ?? (beats[beats.length - 1]! - beats[0]!) / (beats.length - 1)
  const count = Math.round(r.length / period)
  if (!mayLoop(r) || count < 2) return steady
  const away = Math.abs(r.length - count * period)
  // Without a fit the period is known to the frames of the beats only.
  if (fit && away > CUT_MOST * r.length) return steady
  // Played to one tempo and cut elsewhere, it is as fast as it is played.
  if (steady)
    return away <= Math.max(CUT, CUT_LOOSE * steady.scatter)
      ? { ...steady, period: r.length / count }
      : steady
  if (away > CUT_BEAT * period || count % beatsPerBar) return null
  const loop = loopLine(r, count)
  return explainedBy(r, loop) >= (fit ? EXPLAINED : EXPLAINED_FEW) ? loop : null
}
