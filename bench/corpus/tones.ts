// Sustained tones by additive synthesis along a pitch curve: bowed, blown, sung and choir.
import { randomFrom } from '../../src/core/dsp/random'

/** A tone to make. `pitch` is the frequency at each sample, Hz. */
export interface Tone {
  readonly pitch: Float32Array
  /** Level at each sample, 0-1. */
  readonly level: Float32Array
}

type Spectrum = (harmonic: number, hz: number) => number

/** Sum of harmonics along the curve; the spectrum is looked up every 64 samples and faded between. */
export function harmonics(
  tone: Tone,
  rate: number,
  spectrum: Spectrum,
  top: number,
  phase0 = 0,
): Float32Array {
  const n = tone.pitch.length
  const out = new Float32Array(n)
  const turn = (i: number): number => (2 * Math.PI * tone.pitch[i]!) / rate
  let phase = phase0
  let now: Float64Array
  let next: Float64Array = new Float64Array()
  for (let from = 0; from < n; from += 64) {
    const hz = tone.pitch[from]!
    const count = Math.max(1, Math.floor(Math.min(top, 0.45 * rate) / hz))
    const gains = (base: number): Float64Array =>
      Float64Array.from({ length: count }, (_, k) => spectrum(k + 1, (k + 1) * base))
    now = from ? ofLength(next, count) : gains(hz)
    next = gains(tone.pitch[Math.min(n - 1, from + 64)]!)
    // Four samples at once: no sine waits for another's.
    for (let i = from; i < Math.min(n, from + 64); i += 4) {
      const phase1 = phase + turn(i)
      const phase2 = phase1 + turn(i + 1)
      const phase3 = phase2 + turn(i + 2)
      phase = phase3 + turn(i + 3)
      const mix = i - from
      const [mix1, mix2, mix3, mix4] = [mix / 64, (mix + 1) / 64, (mix + 2) / 64, (mix + 3) / 64]
      const [twice1, twice2] = [2 * Math.cos(phase1), 2 * Math.cos(phase2)]
      const [twice3, twice4] = [2 * Math.cos(phase3), 2 * Math.cos(phase)]
      let [s1, s2, s3, s4] = [Math.sin(phase1), Math.sin(phase2), Math.sin(phase3), Math.sin(phase)]
      let [before1, before2, before3, before4] = [0, 0, 0, 0]
      let [sum1, sum2, sum3, sum4] = [0, 0, 0, 0]
      for (let k = 0; k < count; k++) {
        const a = now[k]!
        const d = next[k]! - a
        sum1 += (a + mix1 * d) * s1
        sum2 += (a + mix2 * d) * s2
        sum3 += (a + mix3 * d) * s3
        sum4 += (a + mix4 * d) * s4
        let following = twice1 * s1 - before1
        before1 = s1
        s1 = following
        following = twice2 * s2 - before2
        before2 = s2
        s2 = following
        following = twice3 * s3 - before3
        before3 = s3
        s3 = following
        following = twice4 * s4 - before4
        before4 = s4
        s4 = following
      }
      out[i] = tone.level[i]! * sum1
      // What lies after the end is not kept.
      out[i + 1] = tone.level[i + 1]! * sum2
      out[i + 2] = tone.level[i + 2]! * sum3
      out[i + 3] = tone.level[i + 3]! * sum4
    }
  }
  return out
}

/** The same values, zeros after them. */
function ofLength(x: Float64Array, n: number): Float64Array {
  const out = new Float64Array(n)
  out.set(x.subarray(0, n))
  return out
}

/** White noise through a one-pole band shape, at a level curve. */
function breath(level: Float32Array, rate: number, low: number, high: number, seed: number): Float32Array {
  const random = randomFrom(seed)
  const out = new Float32Array(level.length)
  const a = 1 - Math.exp((-2 * Math.PI * high) / rate)
  const b = 1 - Math.exp((-2 * Math.PI * low) / rate)
  let x = 0
  let y = 0
  for (let i = 0; i < out.length; i++) {
    x += a * (2 * random() - 1 - x)
    y += b * (x - y)
    out[i] = level[i]! * (x - y)
  }
  return out
}

const add = (a: Float32Array, b: Float32Array, gain: number): Float32Array =>
  a.map((v, i) => v + gain * b[i]!)

/** Resonances of a violin-like body over a sawtooth (peaks near 280, 460, 1100 and 2700 Hz; common practice). */
export function bowed(tone: Tone, rate: number, seed: number): Float32Array {
  const bumps = [
    [280, 60, 1],
    [460, 90, 1.2],
    [1100, 300, 0.9],
    [2700, 800, 0.8],
  ] as const
  const shape: Spectrum = (k, hz) => {
    let g = 0.15
    for (const [f, w, a] of bumps) g += a / (1 + ((hz - f) / w) ** 2)
    return (0.35 * g) / k
  }
  return add(harmonics(tone, rate, shape, 9000), breath(tone.level, rate, 800, 6000, seed), 0.03)
}

/** Few harmonics and breath: a flute (dark) or a reed (odd harmonics). */
export function blown(tone: Tone, rate: number, reed: boolean, seed: number): Float32Array {
  const shape: Spectrum = reed ? (k) => (k % 2 ? 0.5 / k : 0.06 / k) : (k) => 0.6 * Math.exp(-0.9 * (k - 1))
  return add(
    harmonics(tone, rate, shape, 8000),
    breath(tone.level, rate, 500, 5000, seed),
    reed ? 0.02 : 0.12,
  )
}

/** Formants of sung vowels, Hz (G. Peterson & H. Barney, "Control methods used in a study of the vowels", JASA 1952, adult means; from memory). */
export const VOWELS: readonly (readonly [number, number, number])[] = [
  [730, 1090, 2440],
  [530, 1840, 2480],
  [270, 2290, 3010],
  [570, 840, 2410],
  [300, 870, 2240],
]

/** A sung tone on one vowel. */
export function sung(tone: Tone, rate: number, vowel: number, seed: number): Float32Array {
  const shape: Spectrum = (k, hz) => {
    let g = 0.03
    for (let f = 0; f < 3; f++) {
      const centre = VOWELS[vowel]![f]!
      g += [1, 0.6, 0.35][f]! / (1 + ((hz - centre) / (50 + 0.05 * centre)) ** 2)
    }
    return (0.8 * g) / k ** 0.7
  }
  return add(harmonics(tone, rate, shape, 7000), breath(tone.level, rate, 1000, 7000, seed), 0.015)
}

/** An s-like consonant. */
export function consonant(seconds: number, rate: number, seed: number): Float32Array {
  const n = Math.round(seconds * rate)
  const level = new Float32Array(n).map((_, i) => Math.sin((Math.PI * (i + 0.5)) / n))
  return breath(level, rate, 3500, 9000, seed)
}
