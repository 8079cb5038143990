// The course of a sound's level, so that what is filled or shortened rises and falls as the map says.
import { energy } from '../dsp/energy'
import type { Source } from './types'

/** Level is measured in steps of this, and smoothed over so many on either side, seconds. */
const STEP = 0.005
const SMOOTH = 4
/** A raised cosine that sums to 1. */
const WEIGHTS = Float64Array.from(
  { length: 2 * SMOOTH + 1 },
  (_, i) => (0.5 - 0.5 * Math.cos((Math.PI * (i + 1)) / (SMOOTH + 1))) / (SMOOTH + 1),
)
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
    const at = from + k * step
    for (const c of source.channels) power += energy(c, Math.max(0, at), Math.min(c.length, at + step))
    raw[k] = 0.5 * Math.log(power / step + SILENCE)
  }
  const level = raw.map((_, k) => {
    let sum = 0
    for (let i = 0; i < WEIGHTS.length; i++)
      sum += WEIGHTS[i]! * raw[Math.min(count - 1, Math.max(0, k + i - SMOOTH))]!
    return sum
  })
  return (place) => {
    const x = Math.min(count - 1, Math.max(0, (place - from) / step - 0.5))
    const k = Math.min(count - 2, Math.floor(x))
    return k < 0 ? level[0]! : level[k]! + (x - k) * (level[k + 1]! - level[k]!)
  }
}
