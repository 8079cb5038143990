// Files that may have been cut to their bars, and the even beats that they may have.
import type { Rhythm } from './rhythm'

/** Files longer than this are no loops, and none begin with more silence, seconds. */
const LONGEST = 24
const SILENCE = 0.06
/** Beats that a loop is taken to have: bars of two, three or four beats, doubled any number of times. */
const COUNTS = [4, 6, 8, 12, 16, 24, 32, 48, 64]
/** Tempos that are looked for, BPM. */
const TEMPOS = [60, 200] as const

/** True where a file may have been cut to its bars. */
export const mayLoop = (r: Rhythm): boolean => r.length <= LONGEST && r.first <= SILENCE

/** Even beats from a file's first sound on, as many as it may have been cut to; none where it is no loop. */
export function evenCounts(r: Rhythm): { readonly seconds: number; readonly beats: readonly number[] }[] {
  if (!mayLoop(r)) return []
  const first = r.events[0] && r.events[0].time < SILENCE ? r.events[0].time : r.first
  return COUNTS.map((count) => ({ count, seconds: r.length / count }))
    .filter(({ seconds }) => 60 / seconds >= TEMPOS[0] && 60 / seconds <= TEMPOS[1])
    .map(({ count, seconds }) => ({
      seconds,
      beats: Array.from({ length: count }, (_, k) => first + k * seconds),
    }))
}
