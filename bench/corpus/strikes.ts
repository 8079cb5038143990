// Struck sounds: a drum kit and a hammered string, each starting at its first sample.
import { randomFrom } from '../../src/core/dsp/random'
import { addPartials, type DampedSine } from './partials'

export type Strike = 'kick' | 'snare' | 'hat' | 'open' | 'tom' | 'clap' | 'shaker' | 'ride'

/** Decaying noise, high-passed by a first difference of the given order. */
function noiseBurst(
  n: number,
  rate: number,
  decay: number,
  order: number,
  seed: number,
  attack = 0.0003,
): Float32Array {
  const random = randomFrom(seed)
  const x = new Float32Array(n)
  const fall = Math.exp(-1 / rate / decay)
  for (let i = 0, level = 1; i < n; i++, level *= fall)
    x[i] = (2 * random() - 1) * level * Math.min(1, (i + 1) / (attack * rate))
  for (let k = 0; k < order; k++) for (let i = n - 1; i > 0; i--) x[i] = 0.6 * (x[i]! - x[i - 1]!)
  return x
}

function falling(
  n: number,
  rate: number,
  from: number,
  to: number,
  fall: number,
  decay: number,
): Float32Array {
  const x = new Float32Array(n)
  let phase = 0
  for (let i = 0; i < n; i++) {
    const t = i / rate
    phase += (2 * Math.PI * (to + (from - to) * Math.exp(-t / fall))) / rate
    x[i] = Math.sin(phase) * Math.exp(-t / decay) * Math.min(1, (i + 1) / (0.0006 * rate))
  }
  return x
}

const mixOf = (...parts: readonly (readonly [Float32Array, number])[]): Float32Array => {
  const out = new Float32Array(Math.max(...parts.map(([x]) => x.length)))
  for (const [x, g] of parts) for (let i = 0; i < x.length; i++) out[i]! += g * x[i]!
  return out
}

/** One stroke. @param tune 0.8-1.2, the size of the instrument */
export function strike(kind: Strike, rate: number, seed: number, tune = 1): Float32Array {
  const s = (seconds: number): number => Math.round(seconds * rate)
  switch (kind) {
    case 'kick':
      return mixOf(
        [falling(s(0.4), rate, 170 * tune, 52 * tune, 0.018, 0.12), 0.9],
        [noiseBurst(s(0.03), rate, 0.004, 0, seed), 0.25],
      )
    case 'snare':
      return mixOf(
        [falling(s(0.25), rate, 260 * tune, 185 * tune, 0.01, 0.06), 0.45],
        [noiseBurst(s(0.35), rate, 0.07, 1, seed), 0.7],
      )
    case 'tom':
      return mixOf(
        [falling(s(0.5), rate, 190 * tune, 120 * tune, 0.04, 0.15), 0.8],
        [noiseBurst(s(0.05), rate, 0.008, 0, seed), 0.2],
      )
    case 'hat':
      return noiseBurst(s(0.12), rate, 0.02, 2, seed).map((v) => 0.7 * v)
    case 'open':
      return noiseBurst(s(0.6), rate, 0.16, 2, seed).map((v) => 0.6 * v)
    case 'ride':
      return mixOf(
        [noiseBurst(s(0.7), rate, 0.25, 3, seed), 0.35],
        [falling(s(0.5), rate, 3900 * tune, 3900 * tune, 1, 0.18), 0.12],
        [falling(s(0.5), rate, 5230 * tune, 5230 * tune, 1, 0.15), 0.1],
      )
    case 'shaker':
      return noiseBurst(s(0.1), rate, 0.03, 2, seed, 0.012).map((v) => 0.5 * v)
    case 'clap': {
      const out = new Float32Array(s(0.3))
      for (const [k, d] of [0, 0.011, 0.023].entries()) {
        const b = noiseBurst(s(0.25), rate, k === 2 ? 0.06 : 0.006, 1, seed + k)
        for (let i = 0; i < b.length && i + s(d) < out.length; i++) out[i + s(d)]! += 0.6 * b[i]!
      }
      return out
    }
  }
}

/**
 * A hammered string: stiff partials f_k = k f sqrt(1 + B k^2), each decaying faster the higher it is.
 * Source: N. Fletcher & T. Rossing, "The Physics of Musical Instruments", section 12.3 (stiff strings).
 */
export function hammered(
  midi: number,
  seconds: number,
  level: number,
  rate: number,
  seed: number,
): Float32Array {
  const random = randomFrom(seed)
  const f = 440 * 2 ** ((midi - 69) / 12)
  const release = 0.06
  const n = Math.round((seconds + 4 * release) * rate)
  const out = new Float32Array(n)
  const count = Math.min(24, Math.floor(7000 / f))
  const stiffness = 0.00025 * 2 ** ((midi - 60) / 18)
  const partials = Array.from({ length: count }, (_, i): DampedSine => {
    const k = i + 1
    return {
      hz: k * f * Math.sqrt(1 + stiffness * k * k),
      amplitude: (level ** (0.7 + 0.05 * k) * Math.abs(Math.sin(k * Math.PI * 0.12)) * 1.4) / k ** 1.1,
      decay: (2.2 * 2 ** ((60 - midi) / 20)) / (1 + 0.25 * k),
      phase: 2 * Math.PI * random(),
    }
  })
  addPartials(out, 0, n, partials, rate)
  const knock = noiseBurst(Math.round(0.04 * rate), rate, 0.006, 0, seed)
  for (let i = 0; i < knock.length; i++) out[i]! += 0.12 * level * knock[i]!
  for (let i = 0; i < n; i++) {
    const over = i / rate - seconds
    out[i]! *= Math.min(1, (i + 1) / (0.0015 * rate)) * (over > 0 ? Math.exp(-over / release) : 1)
  }
  return out
}
