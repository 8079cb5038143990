// Corners of a time map that fall into a beginning attack wait until it has sounded.
import type { Knot, TimeMap } from '../timing/time-map'

/** An attack keeps one slope for this long in the recording and in the output, seconds. */
export const STRUCK = 0.02

/** An attack this near to a corner is what the corner was put there for, seconds. */
const MEANT = 0.0005

/**
 * Attacks, those next to a corner of the map moved onto it: whoever puts a corner on an attack and whoever finds the
 * attack seldom name the same sample.
 *
 * @param attacks rising; @returns rising, none twice
 */
export function attacksOnCorners(map: TimeMap, attacks: readonly number[], rate: number): number[] {
  const near = MEANT * rate
  const out: number[] = []
  let k = 0
  for (const a of attacks) {
    while (k + 1 < map.length && Math.abs(map[k + 1]!.source - a) <= Math.abs(map[k]!.source - a)) k++
    const corner = map[k]!.source
    const place = Math.abs(corner - a) <= near ? corner : a
    if (out.length === 0 || place > out[out.length - 1]!) out.push(place)
  }
  return out
}

const isSteady = (a: Knot, b: Knot): boolean => b.source - a.source === b.target - a.target

/**
 * A map whose corners lie no nearer after an attack than its waveform needs. Where the slope changes while a sound is
 * just beginning, its first milliseconds would be from before the corner and the next from after it. Such a corner
 * moves along the map until the attack has sounded, or until the next attack or corner; the attack stays where the map
 * puts it. Corners on an attack, and those beside a part that is the recording itself, stay.
 *
 * @param map     session samples on both sides
 * @param attacks starts of attacks in the recording, rising, in the map's source samples
 * @param rate    samples per second
 * @param exact   recording samples of corners that stay whatever lies before them
 */
export function cornersAfterAttacks(
  map: TimeMap,
  attacks: readonly number[],
  rate: number,
  exact?: ReadonlySet<number>,
): TimeMap {
  const least = Math.round(STRUCK * rate)
  const out: Knot[] = [map[0]!]
  /** Adds a knot, but where the corner before has moved as far already. */
  const rise = (k: Knot): void => {
    const last = out[out.length - 1]!
    if (k.source > last.source && k.target > last.target) out.push(k)
  }
  // Index of the last attack at or before the corner.
  let i = -1
  for (let k = 1; k < map.length; k++) {
    const [before, corner, after] = [map[k - 1]!, map[k]!, map[k + 1]]
    while (attacks[i + 1] !== undefined && attacks[i + 1]! <= corner.source) i++
    const attack = attacks[i] ?? -Infinity
    const slope = (corner.target - before.target) / (corner.source - before.source)
    const start = corner.target - Math.round((corner.source - attack) * slope)
    const near = corner.source - attack < least || corner.target - start < least
    if (
      !after ||
      !near ||
      attack < before.source ||
      attack === corner.source ||
      start >= corner.target ||
      exact?.has(corner.source) ||
      isSteady(before, corner) ||
      isSteady(corner, after)
    ) {
      out.push(corner)
      continue
    }
    // What lies before the attack keeps its slope.
    if (attack > before.source && start > before.target) rise({ source: attack, target: start })
    const next = (after.target - corner.target) / (after.source - corner.source)
    const heard = corner.source + Math.max(0, start + least - corner.target) / next
    const source = Math.min(attacks[i + 1] ?? Infinity, Math.round(Math.max(attack + least, heard)))
    const target = corner.target + Math.round((source - corner.source) * next)
    // With too little left before the next corner, both are one.
    if (source < after.source && target > start && target < after.target) rise({ source, target })
  }
  return out
}
