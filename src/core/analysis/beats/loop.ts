// Files that may have been cut to their bars: their length says how fast they are.
import { explained, mayLoop } from './hypotheses'
import type { Rhythm } from './rhythm'
import { isSteady, middle, type SteadyFit } from './steady'

/** A file is cut to its beats when it ends this near to one, seconds; or within so many times the playing's looseness. */
const CUT = 0.008
const CUT_LOOSE = 4
/** And within this share in any case. */
const CUT_MOST = 0.012
/** Where no tempo is plain: within this share of a beat, if a grid as long as the file explains what is played. */
const CUT_BEAT = 0.08
const EXPLAINED = 0.85
/** Parts of a beat that notes are played on, and the strength of those that tell. */
const PARTS = [4, 3] as const
const TELLS = 0.3

/** A note belongs to a beat this near, and is on it when nearer than the second, seconds. */
const NEAR = 0.06
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
  return Math.max(...PARTS.map((parts) => explained(r, beats, parts)))
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
  return explainedBy(r, loop) >= EXPLAINED ? loop : null
}
