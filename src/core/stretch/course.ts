// The course of a sound's level, so that what is filled or shortened rises and falls as the map says.
import type { Source } from './types'

/** Level is measured in steps of this, and smoothed over so many on either side, seconds. */
const STEP = 0.005
const SMOOTH = 4
/** Power below which nothing sounds. */
const SILENCE = 1e-11

/**
 * Level by place: natural log of amplitude, all channels together, smooth over some 40 ms.
 *
 * @param from, to samples of the recording that it is made of; outside, it goes on as at its ends
 */
export function levelCourse(source: Source, from: number, to: number): (place: number) => number {
  const step = Math.max(1, Math.round(STEP * source.sampleRate))
  const count = Math.max(1, Math.floor((to - from) / step))
  const raw = new Float32Array(count)
  for (let k = 0; k < count; k++) {
    let power = 0
    for (const c of source.channels)
      for (let i = from + k * step; i < from + (k + 1) * step; i++) power += (c[i] ?? 0) ** 2
    raw[k] = 0.5 * Math.log(power / step + SILENCE)
  }
  const weights = Array.from(
    { length: 2 * SMOOTH + 1 },
    (_, i) => 0.5 - 0.5 * Math.cos((Math.PI * (i + 1)) / (SMOOTH + 1)),
  )
  const level = raw.map((_, k) => {
    let [sum, all] = [0, 0]
    weights.forEach((w, i) => {
      const j = Math.min(count - 1, Math.max(0, k + i - SMOOTH))
      sum += w * raw[j]!
      all += w
    })
    return sum / all
  })
  return (place) => {
    const x = Math.min(count - 1, Math.max(0, (place - from) / step - 0.5))
    const k = Math.min(count - 2, Math.floor(x))
    return k < 0 ? level[0]! : level[k]! + (x - k) * (level[k + 1]! - level[k]!)
  }
}
