// How much of what is played lies on a grid of beats.
import type { Rhythm } from './rhythm'

/** Share of the strength of all events that lies within a tolerance of a grid of `parts` a beat. */
export function explained(r: Rhythm, beats: readonly number[], parts: number): number {
  let inside = 0
  let total = 1e-9
  let k = 0
  for (const e of r.events) {
    while (k + 2 < beats.length && beats[k + 1]! <= e.time) k++
    const gap = beats[k + 1]! - beats[k]!
    const place = ((e.time - beats[k]!) / gap) * parts
    const off = Math.abs(place - Math.round(place)) * (gap / parts)
    total += e.strength
    if (off < Math.min(0.032, 0.2 * (gap / parts))) inside += e.strength
  }
  return inside / total
}

/** Parts of a beat that notes are looked for on: quarters and thirds. */
export const PARTS = [4, 3] as const

/** The same on quarters or on thirds of beats, whichever explain more. */
export const explainedByParts = (r: Rhythm, beats: readonly number[]): number =>
  Math.max(...PARTS.map((parts) => explained(r, beats, parts)))
