// What every demo instrument shares: mixing events into a take, a small room, and the hiss of a microphone.
import { randomFrom } from '../../src/core/dsp/random'

/** Adds `sound` into `target` from sample `at` on. */
export function addAt(target: Float32Array, sound: Float32Array, at: number, gain = 1): void {
  const n = Math.min(sound.length, target.length - at)
  for (let i = Math.max(0, -at); i < n; i++) target[at + i]! += gain * sound[i]!
}

/** Second-order resonance (two poles), unit gain at its centre. */
export function resonate(x: Float32Array, hz: number, q: number, rate: number): Float32Array {
  const w = (2 * Math.PI * hz) / rate
  const alpha = Math.sin(w) / (2 * q)
  const a0 = 1 + alpha
  const b = alpha / a0
  const a1 = (-2 * Math.cos(w)) / a0
  const a2 = (1 - alpha) / a0
  const y = new Float32Array(x.length)
  let [x1, x2, y1, y2] = [0, 0, 0, 0]
  for (let i = 0; i < x.length; i++) {
    const out = b * (x[i]! - x2) - a1 * y1 - a2 * y2
    ;[x2, x1, y2, y1] = [x1, x[i]!, y1, out]
    y[i] = out
  }
  return y
}

/**
 * A small wooden room: four damped feedback delays after M. R. Schroeder, "Natural sounding artificial
 * reverberation" (JAES 1962), the wet sound starting `preDelay` seconds after the dry one.
 */
export function smallRoom(
  x: Float32Array,
  rate: number,
  level: number,
  preDelay = 0.009,
  spread = 1,
): Float32Array {
  const out = Float32Array.from(x)
  const pre = Math.round(preDelay * rate)
  const delays = [0.0297, 0.0371, 0.0411, 0.0437].map((seconds) => Math.round(seconds * spread * rate))
  const longest = delays[3]!
  // What a delay holds at sample n lies at n + longest: nothing sounds before the recording.
  const made = (): Float32Array => new Float32Array(longest + x.length)
  const [held1, held2, held3, held4] = [made(), made(), made(), made()]
  const [back1, back2, back3, back4] = delays.map((d) => longest - d) as [number, number, number, number]
  // Damped, side by side, so that none waits for another.
  const damped = new Float64Array(4)
  let damped1 = damped[0]!
  let damped2 = damped[1]!
  let damped3 = damped[2]!
  let damped4 = damped[3]!
  for (let n = 0; n < x.length; n++) {
    const dry = n < pre ? 0 : x[n - pre]!
    const late1 = held1[n + back1]!
    const late2 = held2[n + back2]!
    const late3 = held3[n + back3]!
    const late4 = held4[n + back4]!
    damped1 += 0.45 * (late1 - damped1)
    damped2 += 0.45 * (late2 - damped2)
    damped3 += 0.45 * (late3 - damped3)
    damped4 += 0.45 * (late4 - damped4)
    held1[n + longest] = dry + 0.72 * damped1
    held2[n + longest] = dry + 0.72 * damped2
    held3[n + longest] = dry + 0.72 * damped3
    held4[n + longest] = dry + 0.72 * damped4
    out[n]! += level * (late1 - late2 + late3 - late4)
  }
  return out
}

/** Adds white noise of an RMS level in dB of full scale. */
export function addHiss(x: Float32Array, db: number, seed: number): void {
  const random = randomFrom(seed)
  const scale = 10 ** (db / 20) * Math.sqrt(3)
  for (let i = 0; i < x.length; i++) x[i]! += scale * (2 * random() - 1)
}

/** Scales all channels together so that the largest sample is `peak`. */
export function normalize(channels: readonly Float32Array[], peak: number): void {
  let top = 0
  for (const c of channels) for (let i = 0; i < c.length; i++) top = Math.max(top, Math.abs(c[i]!))
  for (const c of channels) for (let i = 0; i < c.length; i++) c[i]! *= peak / top
}
