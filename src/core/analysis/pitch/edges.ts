// Where a pitched sound really begins and ends: the ends of voiced stretches, corrected by level.
import type { Pitch } from './track'

const NEPER = 10 / Math.LN10 // dB of a natural-log power
/** A frame needs a whole window of the tone; before it, the tone sounds already. Seconds. */
const BLIND = 0.045
/** Frames this far below the first voiced one are before the attack, dB. */
const BELOW_START = 22
/** A fall of this many dB within this many seconds that is not made good ends a note: what follows is the room. */
const FALL = 12
const FALL_SECONDS = 0.13
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

/** A struck note fades at least this fast before it is damped, dB a second, and this long, seconds. */
const FADE = 12
/** And by this much, dB. */
const FADED = 1.5
const FADE_SECONDS = 0.1
const FADE_LOOK = 0.4
/** It does not swell again by more than this on the way, dB. */
const SWELL = 1
/** A window of 30 ms rounds the bend and puts it early by this, seconds. */
const ROUNDED = 0.008

/**
 * Where a fading note is damped: the bend from its own slow fade into the fast one that ends at a frame, farthest
 * above the straight line between the two ends.
 *
 * @returns undefined for notes that were held at their level and then let go
 */
function damped(level: Float32Array, from: number, end: number, hop: number): number | undefined {
  let start = end
  for (let k = end; k >= Math.max(from, end - Math.round(FADE_LOOK / hop)); k--)
    if (level[k]! > level[start]!) start = k
  const slope = (level[end]! - level[start]!) / (end - start)
  let knee = start
  let bend = 0
  for (let k = start; k < end; k++) {
    const above = level[k]! - level[start]! - slope * (k - start)
    if (above >= bend) [knee, bend] = [k, above]
  }
  let swell = 0
  let least = Infinity
  for (let k = start; k <= knee; k++) {
    least = Math.min(least, level[k]!)
    swell = Math.max(swell, level[k]! - least)
  }
  const seconds = (knee - start) * hop
  const faded = (level[start]! - level[knee]!) * NEPER
  const struck = seconds >= FADE_SECONDS && faded >= Math.max(FADED, FADE * seconds)
  return struck && swell * NEPER <= SWELL ? knee + Math.round(ROUNDED / hop) : undefined
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
    const fallen = endOf(level, from, to, reach, pitch.hop)
    const end = fallen < to ? (damped(level, from, fallen, pitch.hop) ?? fallen) : to
    for (let f = end; f < to; f++) f0[f] = 0
  }
  return { ...pitch, f0 }
}

/** A note's first frames may be unvoiced for this long after its attack, seconds. */
const LONGEST_START = 0.07
/** Voiced frames this long before an attack out of silence are its own, smeared by the window; seconds. */
const SMEAR = 0.02

/** Whether what begins at a frame is at its full level as soon as a window lies inside it. */
function sharp(level: Float32Array, from: number, hop: number): boolean {
  const at = (seconds: number): number => level[from + Math.round(seconds / hop)] ?? -Infinity
  return (at(0.05) - at(0.02)) * NEPER < 0.5
}

/**
 * Fills the unvoiced frames between a note's attack and its first voiced frame: the attack's own noise hides its
 * pitch, which is that of the note.
 *
 * @param notes in rising order, begun at their attacks
 */
export function voicedFromAttacks(
  pitch: Pitch,
  notes: readonly { readonly start: number; readonly end: number }[],
  level: Float32Array,
): Pitch {
  const f0 = Float32Array.from(pitch.f0)
  const longest = Math.round(LONGEST_START / pitch.hop)
  for (const note of notes) {
    const from = Math.ceil(note.start / pitch.hop)
    let first = from
    while (first < f0.length && first * pitch.hop < note.end && f0[first] === 0) first++
    let begun = from
    while (begun > 0 && f0[begun - 1]! > 0) begun--
    if (from - begun <= SMEAR / pitch.hop && sharp(level, from, pitch.hop)) f0.fill(0, begun, from)
    if (first === from || first - from > longest || f0[first] === 0) continue
    const settled = f0[first + 2]! > 0 ? f0[first + 2]! : f0[first]!
    f0.fill(settled, from, first)
  }
  return { ...pitch, f0 }
}

/** A tone goes on for this long after the last frame that is sure of it: half a window sees too little. Seconds. */
const UNSURE = 0.012
/** Unless it has fallen by this much, dB. */
const GONE = 20

/** Lets voiced stretches that end in nothing go on for as long as a frame cannot be sure of their end. */
export function heldToTheEnd(pitch: Pitch, level: Float32Array): Pitch {
  const f0 = Float32Array.from(pitch.f0)
  const frames = Math.round(UNSURE / pitch.hop)
  for (let f = 1; f < f0.length; f++) {
    const hz = pitch.f0[f - 1]!
    if (hz === 0 || pitch.f0[f]! > 0) continue
    const floor = level[f - 1]! - GONE / NEPER
    for (let k = f; k < Math.min(f0.length, f + frames) && pitch.f0[k] === 0 && level[k]! >= floor; k++)
      f0[k] = hz
  }
  return { ...pitch, f0 }
}
