// A frame drum played by hand: a membrane's modes struck with a short contact noise.
import { randomFrom } from '../../src/core/dsp/random'

export type Stroke = 'low' | 'edge' | 'slap'

/** Mode frequencies of an ideal circular membrane over its lowest (Fletcher & Rossing, "The Physics of Musical Instruments", table 3.1). */
const MODES = [1, 1.594, 2.136, 2.296, 2.653, 2.918, 3.156, 3.501]

const STROKES: Record<
  Stroke,
  { f0: number; decay: number; modes: number[]; noise: number; noiseDecay: number; bright: number }
> = {
  low: {
    f0: 78,
    decay: 0.34,
    modes: [1, 0.35, 0.18, 0.1, 0.06, 0.04, 0.02, 0.02],
    noise: 0.22,
    noiseDecay: 0.006,
    bright: 0.35,
  },
  edge: {
    f0: 168,
    decay: 0.11,
    modes: [0.25, 0.5, 0.45, 0.5, 0.4, 0.35, 0.3, 0.3],
    noise: 0.5,
    noiseDecay: 0.009,
    bright: 0.8,
  },
  slap: {
    f0: 120,
    decay: 0.07,
    modes: [0.4, 0.6, 0.6, 0.55, 0.5, 0.4, 0.4, 0.35],
    noise: 1.1,
    noiseDecay: 0.018,
    bright: 0.95,
  },
}

/** One stroke, from the first sample of its attack. */
export function drumStroke(kind: Stroke, rate: number, seed: number): Float32Array {
  const s = STROKES[kind]
  const random = randomFrom(seed)
  const length = Math.round(rate * 5 * s.decay)
  const out = new Float32Array(length)
  // The struck skin is tighter at first: the pitch falls by a few per cent over some 20 ms.
  const bend = new Float64Array(length)
  for (let i = 0; i < length; i++) bend[i] = 1 + 0.06 * Math.exp(-i / rate / 0.02)
  MODES.forEach((ratio, m) => {
    const detune = 1 + 0.004 * (random() - 0.5)
    const step = (2 * Math.PI * s.f0 * ratio * detune) / rate
    const falls = Math.exp(-(1 + 0.55 * m) / s.decay / rate)
    let phase = 0
    let level = s.modes[m]!
    for (let i = 0; i < length; i++) {
      phase += step * bend[i]!
      out[i]! += level * Math.sin(phase)
      level *= falls
    }
  })
  let low = 0
  const fall = Math.exp(-1 / rate / s.noiseDecay)
  for (let i = 0, level = s.noise; i < length; i++, level *= fall) {
    const white = 2 * random() - 1
    low += (1 - s.bright) * (white - low)
    const hiss = s.bright * white + (1 - s.bright) * low
    out[i]! += level * hiss
    // The hand takes about a third of a millisecond to meet the skin.
    out[i]! *= Math.min(1, (i + 1) / (0.00035 * rate))
  }
  return out
}
