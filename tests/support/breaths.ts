// Breaths and consonants between vowels, and whether they hum once they last longer.
import { energy } from '../../src/core/dsp/energy'
import { joined } from '../../src/core/dsp/signal'
import { hiss } from './textures'
import { voice } from './voice'
import { products, rms } from './measure'

const RATE = 44100

/** Noise in a band, by a resonator (R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients"). */
function band(x: Float32Array, hz: number, q: number): Float32Array {
  const w = (2 * Math.PI * hz) / RATE
  const alpha = Math.sin(w) / (2 * q)
  let [x1, x2, y1, y2] = [0, 0, 0, 0]
  return x.map((v) => {
    const y = (alpha * (v - x2) + 2 * Math.cos(w) * y1 - (1 - alpha) * y2) / (1 + alpha)
    ;[x2, x1, y2, y1] = [x1, v, y1, y]
    return y
  })
}

/** Kinds: middle of the band, Hz; its Q; seconds; level against the vowels; how roundly it swells. */
const KINDS = {
  breath: [1500, 0.7, 0.4, 0.1, 1],
  'dark breath': [700, 1, 0.4, 0.05, 1],
  s: [6500, 2, 0.15, 0.3, 0.3],
  sh: [3000, 1.5, 0.15, 0.4, 0.3],
  f: [8000, 0.5, 0.15, 0.05, 0.3],
} as const

export interface Noise {
  readonly kind: string
  /** Samples. */
  readonly from: number
  readonly to: number
}

/** A voice whose vowels have breaths and consonants between them, four of each kind, at 44.1 kHz. */
export function breathing(): {
  readonly channels: readonly Float32Array[]
  readonly noises: readonly Noise[]
} {
  const sung = voice(180, 1, 30, 0.6).channels[0]!
  const level = rms(sung)
  const vowel = (seconds: number): Float32Array => {
    const n = Math.round(seconds * RATE)
    return sung.slice(5000, 5000 + n).map((v, i) => v * Math.min(1, i / 600, (n - i) / 600))
  }
  const parts: Float32Array[] = [vowel(0.5)]
  const noises: Noise[] = []
  let at = parts[0]!.length
  for (let k = 0; k < 4; k++)
    Object.entries(KINDS).forEach(([kind, [hz, q, seconds, loud, round]], i) => {
      const shaped = band(hiss(seconds, RATE, 100 * k + 10 * i), hz, q)
      const scale = (loud * level) / rms(shaped)
      const x = shaped.map((v, n) => scale * v * Math.sin((Math.PI * (n + 0.5)) / shaped.length) ** round)
      noises.push({ kind, from: at, to: at + x.length })
      parts.push(x, vowel(0.35))
      at += x.length + parts[parts.length - 1]!.length
    })
  return { channels: [joined(parts)], noises }
}

/** Pieces that are looked at, and times after which they might be heard again, seconds. */
const PIECE = 0.06
const [SHORTEST, LONGEST] = [0.002, 0.05]

/** How much a noise repeats itself: the mean over pieces of the largest autocorrelation at lags of 2 to 50 ms. */
export function hum(x: Float32Array, from: number, to: number): number {
  const size = Math.round(PIECE * RATE)
  const [first, last] = [Math.round(SHORTEST * RATE), Math.ceil(LONGEST * RATE) - 1]
  let [sum, count] = [0, 0]
  for (let at = from; at + size + LONGEST * RATE < to; at += size) {
    let most = 0
    const own = energy(x, at, at + size)
    const heard = x.subarray(at + first, at + last + size)
    let power = energy(heard, 0, size)
    products(x.subarray(at, at + size), heard).forEach((product, i) => {
      most = Math.max(most, product / Math.sqrt(own * power + 1e-20))
      power += (heard[i + size] ?? 0) ** 2 - heard[i]! ** 2
    })
    sum += most
    count++
  }
  return sum / count
}

/** What became of every kind of noise: how much it hums, and its level within its middle three fifths against the original's, dB. */
export function humming(
  original: Float32Array,
  output: Float32Array,
  noises: readonly Noise[],
  ratio: number,
): ReadonlyMap<string, { readonly hum: number; readonly level: number }> {
  return new Map(
    Object.keys(KINDS).map((kind) => {
      const mine = noises.filter((n) => n.kind === kind)
      let [hums, before, after] = [0, 0, 0]
      for (const { from, to } of mine) {
        const [a, b] = [Math.round(from * ratio), Math.round(to * ratio)]
        hums += hum(output, a, b) / mine.length
        const edge = (to - from) / 5
        before += energy(original, Math.round(from + edge), Math.round(to - edge)) * ratio
        after += energy(output, Math.round((from + edge) * ratio), Math.round((to - edge) * ratio))
      }
      return [kind, { hum: hums, level: 10 * Math.log10(after / before) }]
    }),
  )
}
