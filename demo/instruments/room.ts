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
  for (const [i, seconds] of [0.0297, 0.0371, 0.0411, 0.0437].entries()) {
    const d = Math.round(seconds * spread * rate)
    const gain = i % 2 ? -level : level
    const y = new Float32Array(x.length)
    let damped = 0
    for (let n = pre; n < Math.min(d, x.length); n++) {
      damped += 0.45 * (0 - damped)
      y[n] = x[n - pre]! + 0.72 * damped
    }
    for (let n = Math.max(pre, d); n < x.length; n++) {
      damped += 0.45 * (y[n - d]! - damped)
      y[n] = x[n - pre]! + 0.72 * damped
    }
    for (let n = d; n < x.length; n++) out[n]! += gain * y[n - d]!
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
  for (const c of channels) for (const s of c) top = Math.max(top, Math.abs(s))
  for (const c of channels) for (let i = 0; i < c.length; i++) c[i]! *= peak / top
}
