// The time axis: which second lies under which pixel.

/** Second at the left edge, and seconds a pixel. */
export interface Axis {
  readonly start: number
  readonly perPixel: number
}

/** A stretch of time, seconds. */
export interface Extent {
  readonly from: number
  readonly to: number
}

export const toX = (a: Axis, second: number): number => (second - a.start) / a.perPixel
export const toSecond = (a: Axis, x: number): number => a.start + x * a.perPixel

/** Closest zoom: two pixels a sample at 44.1 kHz. */
const CLOSEST = 1 / 44100 / 2
/** Empty margin beside the music, as a share of the width. */
const MARGIN = 0.03

/** Zooms by a factor (below 1 is closer) so that the second under `x` stays there. */
export const zoomAxis = (a: Axis, factor: number, x: number): Axis => {
  const perPixel = Math.max(CLOSEST, a.perPixel * factor)
  return { start: toSecond(a, x) - x * perPixel, perPixel }
}

/** The axis that shows an extent with a small margin. */
export const fitAxis = (e: Extent, width: number): Axis => {
  const perPixel = Math.max(CLOSEST, (e.to - e.from) / (width * (1 - 2 * MARGIN)))
  return { start: e.from - MARGIN * width * perPixel, perPixel }
}

/** Keeps an axis over the music: never wider than the fit, never scrolled past either end. */
export function clampAxis(a: Axis, width: number, e: Extent): Axis {
  const widest = fitAxis(e, width)
  if (a.perPixel >= widest.perPixel) return widest
  const margin = MARGIN * width * a.perPixel
  const last = e.to + margin - width * a.perPixel
  return { perPixel: a.perPixel, start: Math.max(e.from - margin, Math.min(last, a.start)) }
}
