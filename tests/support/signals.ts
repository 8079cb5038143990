// Test signals, made by code and repeatable.
import { addPartials } from '../../bench/corpus/partials'
import { randomFrom } from '../../src/core/dsp/random'

/** A sine. @param hz frequency; @param seconds length; @param gain peak; @param phase radians */
export function sine(hz: number, seconds: number, rate: number, gain = 0.5, phase = 0): Float32Array {
  const out = new Float32Array(Math.round(seconds * rate))
  for (let i = 0; i < out.length; i++) out[i] = gain * Math.sin((2 * Math.PI * hz * i) / rate + phase)
  return out
}

/** A periodic tone, every harmonic softer by its number; they do not begin together. @param period whole samples */
export function periodic(period: number, seconds: number, rate: number, harmonics = 40): Float32Array {
  const once = Float32Array.from({ length: period }, (_, i) => {
    let sum = 0
    for (let k = 1; k <= harmonics; k++) sum += Math.sin((2 * Math.PI * k * i) / period + k * k) / k
    return 0.2 * sum
  })
  return Float32Array.from({ length: Math.round(seconds * rate) }, (_, i) => once[i % period]!)
}

/** Uniform white noise in ±gain. */
export function noise(seconds: number, rate: number, gain = 0.5, seed = 1): Float32Array {
  const random = randomFrom(seed)
  const out = new Float32Array(Math.round(seconds * rate))
  for (let i = 0; i < out.length; i++) out[i] = gain * (2 * random() - 1)
  return out
}

/** A tone whose pitch swings by ±depth semitones, hz times a second. */
export function vibrato(
  midHz: number,
  seconds: number,
  rate: number,
  depth = 0.5,
  speed = 5.5,
): Float32Array {
  const out = new Float32Array(Math.round(seconds * rate))
  let phase = 0
  for (let i = 0; i < out.length; i++) {
    const t = i / rate
    phase += (2 * Math.PI * midHz * 2 ** ((depth * Math.sin(2 * Math.PI * speed * t)) / 12)) / rate
    const fade = Math.min(1, t / 0.3, (seconds - t) / 0.3)
    for (let h = 1; h <= 6; h++) out[i]! += (0.25 * fade * Math.sin(h * phase)) / h
  }
  return out
}

export interface Played {
  readonly channels: Float32Array[]
  readonly sampleRate: number
  /** First samples of the attacks. */
  readonly attacks: number[]
}

/** Struck decaying tones with a noisy attack over quiet hiss: enough of everything to upset a stretch method. */
export function struck(
  seed: number,
  seconds: number,
  rate: number,
  channelCount: number,
  perSecond = 4,
): Played {
  const random = randomFrom(seed)
  const length = Math.round(seconds * rate)
  const channels = Array.from({ length: channelCount }, (_, c) => noise(seconds, rate, 0.0005, seed + c))
  const attacks: number[] = []
  for (
    let at = Math.round(0.05 * rate);
    at < length;
    at += Math.round((rate / perSecond) * (0.6 + 0.8 * random()))
  ) {
    attacks.push(at)
    const hz = 110 * 2 ** (3 * random())
    const pan = 0.3 + 0.7 * random()
    const level = 0.15 + 0.3 * random()
    // After four seconds nothing is left of it.
    const x = new Float64Array(Math.min(length - at, 4 * rate))
    for (let i = 0; i < Math.min(x.length, 0.02 * rate); i++)
      x[i] = level * (2 * random() - 1) * Math.exp(-i / rate / 0.004)
    const tones = [
      { hz, amplitude: level, phase: 0, decay: 0.25 },
      { hz: 2.01 * hz, amplitude: 0.5 * level, phase: 1, decay: 0.25 },
    ]
    addPartials(x, 0, x.length, tones, rate)
    channels.forEach((ch, c) => {
      const gain = c === 0 ? 1 : pan
      for (let i = 0; i < x.length; i++) ch[at + i]! += gain * x[i]!
    })
  }
  return { channels, sampleRate: rate, attacks }
}

/** Strokes of noise that die away in 40 ms, each at a time in seconds and at a level. */
export function strokes(
  seconds: number,
  rate: number,
  ...at: readonly (readonly [time: number, level: number])[]
): Float32Array {
  const out = new Float32Array(Math.round(seconds * rate))
  at.forEach(([time, level], s) => {
    const from = Math.round(time * rate)
    const hit = noise(0.3, rate, level, 11 + s)
    for (let i = 0; i < hit.length && from + i < out.length; i++)
      out[from + i]! += hit[i]! * Math.exp(-i / (0.04 * rate))
  })
  return out
}
