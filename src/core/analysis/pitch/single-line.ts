// How far a recording is one note at a time.
import type { Pitch } from './track'

/** Frames within this of the loud ones sound, natural log of power (25 dB). */
const HEARD = 5.76

/** Level from which on a frame sounds. @param level natural log of power of all frames */
export const heardFrom = (level: Float32Array): number =>
  (Float32Array.from(level).sort()[Math.floor(0.95 * level.length)] ?? 0) - HEARD

export interface Clear {
  /** Share of the time in which something sounds, 0-1. */
  readonly sounding: number
  /** Share of that with one clear pitch, 0-1. */
  readonly share: number
}

/** How much of frames [from, to) sounds, and has one clear pitch. @param heard level from which on a frame sounds */
export function clearBetween(
  pitch: Pitch,
  level: Float32Array,
  heard: number,
  from: number,
  to: number,
): Clear {
  const end = Math.min(level.length, to)
  let sounding = 0
  let clear = 0
  for (let f = from; f < end; f++) {
    if (level[f]! < heard) continue
    sounding++
    if (pitch.f0[f]! > 0) clear += pitch.voicing[f]!
  }
  return { sounding: sounding / Math.max(1, end - from), share: sounding ? clear / sounding : 0 }
}

/**
 * Share of the sounding time with one clear pitch, 0-1.
 *
 * @param level natural log of power of the pitch's frames
 */
export const singleLine = (pitch: Pitch, level: Float32Array): number =>
  clearBetween(pitch, level, heardFrom(level), 0, level.length).share
