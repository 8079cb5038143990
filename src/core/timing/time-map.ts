// The time map: a strictly rising, piecewise linear map from recording samples to output samples, exact at its knots.
import { InputError } from '../errors'
import { lastAtOrBelow } from '../search'

/** One exact correspondence, in whole samples. */
export interface Knot {
  readonly source: number
  readonly target: number
}

/** Two or more knots, strictly rising in both. The map ends at its first and last knot. */
export type TimeMap = readonly Knot[]

/**
 * Checks and fixes a list of knots as a time map.
 *
 * @throws InputError when there are fewer than two knots, one is not a whole number, or they do not rise
 */
export function timeMap(knots: readonly Knot[]): TimeMap {
  if (knots.length < 2) throw new InputError('A time map needs at least two points; add a start and an end.')
  knots.forEach((k, i) => {
    if (!Number.isInteger(k.source) || !Number.isInteger(k.target))
      throw new InputError(`Point ${i + 1} of the time map does not lie on a whole sample.`)
    const before = knots[i - 1]
    if (before && (k.source <= before.source || k.target <= before.target))
      throw new InputError(
        `Point ${i + 1} of the time map does not come after point ${i}; times must rise in both columns.`,
      )
  })
  return knots
}

/** Samples the map's output has. */
export const targetLength = (map: TimeMap): number => map[map.length - 1]!.target - map[0]!.target

type Side = 'source' | 'target'

/** Where the line through two knots is at a place. */
const between = (a: Knot, b: Knot, x: number, from: Side, to: Side): number =>
  a[to] + ((x - a[from]) * (b[to] - a[to])) / (b[from] - a[from])

function through(map: TimeMap, x: number, from: Side, to: Side): number {
  const i = Math.min(
    map.length - 2,
    Math.max(
      0,
      lastAtOrBelow(map.length, (k) => map[k]![from], x),
    ),
  )
  return between(map[i]!, map[i + 1]!, x, from, to)
}

/** Output place of a recording place; beyond the ends the first or last slope goes on. */
export const toTarget = (map: TimeMap, source: number): number => through(map, source, 'source', 'target')

/** Recording place heard at an output place; the inverse of `toTarget`. */
export const toSource = (map: TimeMap, target: number): number => through(map, target, 'target', 'source')

/**
 * The map with further knots at given recording places, each on the line it already lies on, to the nearest
 * sample. Places at or outside the ends, or that would not rise, are passed over.
 *
 * @param places recording samples, rising
 */
export function withKnotsAt(map: TimeMap, places: readonly number[]): TimeMap {
  const out: Knot[] = [map[0]!]
  let p = 0
  for (let i = 1; i < map.length; i++) {
    const [start, end] = [map[i - 1]!, map[i]!]
    for (; p < places.length && places[p]! <= end.source; p++) {
      const source = places[p]!
      const last = out[out.length - 1]!
      const target = Math.round(between(start, end, source, 'source', 'target'))
      if (source > last.source && source < end.source && target > last.target && target < end.target)
        out.push({ source, target })
    }
    out.push(end)
  }
  return out
}
