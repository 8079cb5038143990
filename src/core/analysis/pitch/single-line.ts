// How far a recording is one note at a time.
import type { Pitch } from './track'

/**
 * Share of the sounding time with one clear pitch, 0-1.
 *
 * @param level natural log of power of the pitch's frames
 */
export function singleLine(pitch: Pitch, level: Float32Array): number {
  const sorted = Float32Array.from(level).sort()
  const loud = sorted[Math.floor(0.95 * sorted.length)] ?? 0
  let sounding = 0
  let clear = 0
  for (let f = 0; f < level.length; f++) {
    // Within 25 dB of the loud parts.
    if (level[f]! < loud - 5.76) continue
    sounding++
    if (pitch.f0[f]! > 0) clear += pitch.voicing[f]!
  }
  return sounding ? clear / sounding : 0
}
