// Where a pitched sound really begins and ends: the ends of voiced stretches, corrected by level.
import type { Pitch } from './track'

const NEPER = 10 / Math.LN10 // dB of a natural-log power
/** A frame needs a whole window of the tone; before it, the tone sounds already. Seconds. */
const BLIND = 0.045
/** Frames this far below the first voiced one are before the attack, dB. */
const BELOW_START = 22
/** A fall of this many dB within this many seconds that is not made good ends a note: what follows is the room. */
const FALL = 12
const FALL_SECONDS = 0.1
/** Slowest decay of what is taken for a room, dB a second (60 dB in 2 s); strings ring longer. */
const ROOM_DECAY = 30

/** Voiced stretches without a leap of more than a semitone: [from, to) in frames. */
export function steadyRuns(f0: Float32Array): [number, number][] {
  const runs: [number, number][] = []
  let from = -1
  for (let f = 0; f <= f0.length; f++) {
    const now = f0[f] ?? 0
    const before = f > 0 ? f0[f - 1]! : 0
    const joined = now > 0 && before > 0 && Math.abs(12 * Math.log2(now / before)) < 1
    if (from >= 0 && !joined) {
      runs.push([from, f])
      from = -1
    }
    if (now > 0 && from < 0) from = f
  }
  return runs
}

/** First frame of a run from which on the level has fallen for good, and goes on falling as rooms do. */
function endOf(level: Float32Array, from: number, to: number, reach: number, hop: number): number {
  // Loudest from each frame to the run's end, to see whether a fall is made good.
  let later = -Infinity
  let end = to
  const last = level[to - 1]!
  for (let f = to - 1; f > from; f--) {
    later = Math.max(later, level[f]!)
    let peak = -Infinity
    for (let k = Math.max(from, f - reach); k < f; k++) peak = Math.max(peak, level[k]!)
    const fading = (level[f]! - last) * NEPER >= ROOM_DECAY * (to - 1 - f) * hop - 3
    if ((peak - later) * NEPER > FALL && fading) end = f
  }
  return end
}

/**
 * Extends voiced stretches back to their attack, and cuts the room's answer after their end.
 *
 * @param level natural log of power of the same frames
 */
export function correctEdges(pitch: Pitch, level: Float32Array): Pitch {
  const f0 = Float32Array.from(pitch.f0)
  const blind = Math.round(BLIND / pitch.hop)
  const reach = Math.round(FALL_SECONDS / pitch.hop)
  for (const [from, to] of steadyRuns(pitch.f0)) {
    const settled = Math.min(to - 1, from + 2)
    const floor = level[settled]! - BELOW_START / NEPER
    for (let f = from - 1; f >= Math.max(0, from - blind); f--) {
      // Only down the rise of its own attack: before that, something else sounds.
      if (f0[f]! > 0 || level[f]! < floor || level[f]! > level[f + 1]! + 0.1) break
      f0[f] = pitch.f0[settled]!
    }
    const end = endOf(level, from, to, reach, pitch.hop)
    for (let f = end; f < to; f++) f0[f] = 0
  }
  return { ...pitch, f0 }
}

/** A note's first frames may be unvoiced for this long after its attack, seconds. */
const LONGEST_START = 0.07

/**
 * Fills the unvoiced frames between a note's attack and its first voiced frame: the attack's own noise hides its
 * pitch, which is that of the note.
 *
 * @param notes in rising order, begun at their attacks
 */
export function voicedFromAttacks(
  pitch: Pitch,
  notes: readonly { readonly start: number; readonly end: number }[],
): Pitch {
  const f0 = Float32Array.from(pitch.f0)
  const longest = Math.round(LONGEST_START / pitch.hop)
  for (const note of notes) {
    const from = Math.ceil(note.start / pitch.hop)
    let first = from
    while (first < f0.length && first * pitch.hop < note.end && f0[first] === 0) first++
    if (first === from || first - from > longest || f0[first] === 0) continue
    const settled = f0[first + 2]! > 0 ? f0[first + 2]! : f0[first]!
    f0.fill(settled, from, first)
  }
  return { ...pitch, f0 }
}
