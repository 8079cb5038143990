// A pitch that changes over time: its points, its part inside a span, and the course of reading that gives it.
import { lastAtOrBelow } from '../search'
import type { PitchCurve, Span } from './types'

/** Ratio of a curve at a place of the recording: linear between points, constant outside. */
export function ratioAt(curve: PitchCurve, place: number): number {
  const i = lastAtOrBelow(curve.length, (k) => curve[k]!.source, place)
  const [a, b] = [curve[i], curve[i + 1]]
  if (!a) return b?.ratio ?? 1
  if (!b) return a.ratio
  return a.ratio + ((b.ratio - a.ratio) * (place - a.source)) / (b.source - a.source)
}

/** The points that say what a curve is in [from, to]; none where it changes nothing. */
export function curveInside(curve: PitchCurve, from: number, to: number): PitchCurve | undefined {
  if (curve.length === 0) return undefined
  const inside = [
    { source: from, ratio: ratioAt(curve, from) },
    ...curve.filter((p) => p.source > from && p.source < to),
    { source: to, ratio: ratioAt(curve, to) },
  ]
  return inside.every((p) => p.ratio === 1) ? undefined : inside
}

/** How a longer rendering of a span is read so that its pitch follows a ratio. */
export interface Course {
  /** Samples of the longer rendering. */
  readonly length: number
  /** Largest step of reading. */
  readonly steepest: number
  /** Place in the longer rendering of output sample n, 0 to the span's length. */
  readAt(n: number): number
  /** Share of the span's recording, 0-1, that lies at a place of the longer rendering. */
  shareAt(place: number): number
}

/**
 * The course of reading for a span.
 *
 * @param pitch frequency ratio of the whole, multiplied by the span's own curve
 */
export function courseOf(span: Span, pitch: number): Course {
  const points = span.curve ?? [
    { source: span.from, ratio: 1 },
    { source: span.to, ratio: 1 },
  ]
  const scale = span.length / (span.to - span.from)
  const at = points.map((p) => (p.source - span.from) * scale)
  const ratios = points.map((p) => p.ratio * pitch)
  const sums = [0]
  for (let k = 1; k < at.length; k++)
    sums.push(sums[k - 1]! + ((ratios[k - 1]! + ratios[k]!) / 2) * (at[k]! - at[k - 1]!))
  const total = sums[sums.length - 1]!
  const length = Math.max(1, Math.round(total))
  // The longer rendering has whole samples; the pitch gives way by less than one of them over the span.
  const fit = length / total
  const last = at.length - 2
  return {
    length,
    steepest: fit * Math.max(...ratios),
    readAt(n) {
      const k = Math.min(
        last,
        Math.max(
          0,
          lastAtOrBelow(at.length, (i) => at[i]!, n),
        ),
      )
      const x = n - at[k]!
      const slope = (ratios[k + 1]! - ratios[k]!) / (at[k + 1]! - at[k]!)
      return fit * (sums[k]! + x * (ratios[k]! + (slope * x) / 2))
    },
    shareAt(place) {
      const sum = place / fit
      const k = Math.min(
        last,
        Math.max(
          0,
          lastAtOrBelow(sums.length, (i) => sums[i]!, sum),
        ),
      )
      const slope = (ratios[k + 1]! - ratios[k]!) / (at[k + 1]! - at[k]!)
      const [r, y] = [ratios[k]!, sum - sums[k]!]
      // The root of slope/2 x² + r x = y that is y / r when the slope is 0.
      const x = (2 * y) / (r + Math.sqrt(Math.max(0, r * r + 2 * slope * y)))
      return (at[k]! + x) / span.length
    },
  }
}
