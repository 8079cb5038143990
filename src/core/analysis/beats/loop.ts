// Files that may have been cut to their bars, and the even beats that they may have.
import { explainedByParts } from './explained'
import type { Rhythm } from './rhythm'

/** Files longer than this are no loops, and none that begin with a longer silence, seconds. */
const LONGEST = 24
const SILENCE = 0.06
/** Unless they are at most so long, and even beats from their first sample on explain so much of what is played. */
const LONGEST_RESTING = 12
const RESTING_EXPLAINED = 0.9
/** By so many notes at least. */
const TELLING = 6
/** Beats that a loop is taken to have: bars of two, three or four beats, doubled any number of times. */
const COUNTS = [4, 6, 8, 12, 16, 24, 32, 48, 64]
/** Tempos that are looked for, BPM. */
const TEMPOS = [60, 200] as const

/** Periods that divide a file into as many beats as loops have, with their numbers. */
const divisions = ({ length }: Rhythm): { readonly count: number; readonly seconds: number }[] =>
  COUNTS.map((count) => ({ count, seconds: length / count })).filter(
    ({ seconds }) => 60 / seconds >= TEMPOS[0] && 60 / seconds <= TEMPOS[1],
  )

const even = (from: number, count: number, seconds: number): number[] =>
  Array.from({ length: count }, (_, k) => from + k * seconds)

function looksRested(r: Rhythm): boolean {
  if (r.first <= SILENCE || r.length > LONGEST_RESTING || r.events.length < TELLING) return false
  return divisions(r).some(
    ({ count, seconds }) => explainedByParts(r, even(0, count + 1, seconds)) >= RESTING_EXPLAINED,
  )
}

/** Every way to count a file asks anew. */
const known = new WeakMap<Rhythm, boolean>()

/** True for a loop that begins with a rest: its length divides into the beats that it goes on by. */
export function restsFirst(r: Rhythm): boolean {
  const rests = known.get(r) ?? looksRested(r)
  known.set(r, rests)
  return rests
}

/** True where a file may have been cut to its bars. */
export const mayLoop = (r: Rhythm): boolean => r.length <= LONGEST && (r.first <= SILENCE || restsFirst(r))

/**
 * Even beats from a file's first sound on, or from its first sample where it begins with a rest: as many as it may have
 * been cut to; none where it is no loop.
 */
export function evenCounts(r: Rhythm): { readonly seconds: number; readonly beats: readonly number[] }[] {
  if (!mayLoop(r)) return []
  const first = r.events[0] && r.events[0].time < SILENCE ? r.events[0].time : r.first
  const from = restsFirst(r) ? 0 : first
  return divisions(r).map(({ count, seconds }) => ({ seconds, beats: even(from, count, seconds) }))
}
