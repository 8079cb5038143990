// A spoken-sung voice made by code with known pitch and formants, and what of it survives stretching and transposition.
import { noise } from './signals'
import { median, percentile, rms, db } from './measure'
import { pitchLine } from '../../src/core/analysis/pitch/find'
import { mainSource } from '../../src/core/analysis/source'

const RATE = 44100
/** Vowels with four formants and bandwidths, Hz (first three: Peterson & Barney 1952, from memory). */
const VOWELS = [
  [730, 1090, 2440, 3400],
  [530, 1840, 2480, 3500],
  [300, 870, 2240, 3300],
] as const
const WIDTHS = [80, 90, 120, 175] as const
/** Gains of harmonics are worked out every so many samples. */
const STEP = 64

export interface Voiced {
  readonly channels: readonly Float32Array[]
  /** Vowels: from, to in seconds, formants in Hz. */
  readonly vowels: readonly { from: number; to: number; formants: readonly number[] }[]
  /** Onsets of consonants, seconds. */
  readonly consonants: readonly number[]
}

/** Response of the vocal tract at a frequency: a chain of resonators, each 1 at 0 Hz. */
function tract(hz: number, formants: readonly number[]): [number, number] {
  let [re, im] = [1, 0]
  formants.forEach((f, i) => {
    // 1 / (1 - (hz/f)^2 + j hz bw / f^2)
    const [a, b] = [1 - (hz / f) ** 2, (hz * WIDTHS[i]!) / f ** 2]
    const d = a * a + b * b
    ;[re, im] = [(re * a + im * b) / d, (im * a - re * b) / d]
  })
  return [re, im]
}

/**
 * A voice that says vowel, consonant, vowel … at a pitch.
 *
 * @param hz       pitch; @param factor the same voice with its pitch this much higher, its formants where they were
 * @param vibrato  depth, cents, at 5.5 Hz
 * @param seconds  of each vowel
 */
export function voice(hz: number, factor: number, vibrato: number, seconds: number): Voiced {
  const gap = 0.12
  const total = Math.round(RATE * (VOWELS.length * (seconds + gap) + 0.3))
  const x = new Float32Array(total)
  const vowels: { from: number; to: number; formants: readonly number[] }[] = []
  const consonants: number[] = []
  VOWELS.forEach((formants, v) => {
    const from = 0.1 + v * (seconds + gap)
    vowels.push({ from, to: from + seconds, formants })
    const n = Math.round(seconds * RATE)
    const most = Math.floor(9000 / (hz * factor))
    const spoken = (k: number, f0: number): [number, number] => {
      const [re, im] = tract(k * f0, formants)
      const tilt = (k * factor) ** 0.7
      return [re / tilt, im / tilt]
    }
    const pitchAt = (t: number): number =>
      hz * factor * 2 ** ((vibrato / 1200) * Math.sin(2 * Math.PI * 5.5 * t))
    // The tract stays while the pitch wavers under it: every harmonic's gain follows, between steps on a line.
    const gainsAt = (i: number): [number, number][] =>
      Array.from({ length: most }, (_, k) => spoken(k + 1, pitchAt(i / RATE)))
    let phase = 0
    let next = gainsAt(0)
    for (let i = 0; i < n;) {
      const gains = next
      next = gainsAt(i + STEP)
      for (const end = Math.min(n, i + STEP); i < end; i++) {
        const t = i / RATE
        const share = (i % STEP) / STEP
        phase += (2 * Math.PI * pitchAt(t)) / RATE
        let sum = 0
        for (let k = 0; k < most; k++) {
          const [re, im] = gains[k]!
          const [re2, im2] = next[k]!
          sum +=
            (re + share * (re2 - re)) * Math.cos((k + 1) * phase) -
            (im + share * (im2 - im)) * Math.sin((k + 1) * phase)
        }
        x[Math.round(from * RATE) + i]! += Math.min(1, t / 0.03, (seconds - t) / 0.03) * sum
      }
    }
    const [first, end] = [Math.round(from * RATE), Math.round(from * RATE) + n]
    const scale = 0.1 / rms(x, first, end)
    for (let i = first; i < end; i++) x[i]! *= scale
    const at = from + seconds + 0.02
    consonants.push(at)
    const hiss = noise(0.08, RATE, 0.1, 7 + v)
    const start = Math.round(at * RATE)
    for (let i = 1; i < hiss.length; i++)
      x[start + i]! += (hiss[i]! - hiss[i - 1]!) * Math.min(1, i / 40, (hiss.length - i) / 2000)
  })
  return { channels: [x], vowels, consonants }
}

/** Linear prediction by the autocorrelation method (J. Makhoul, "Linear prediction", Proc. IEEE 63(4), 1975). */
function predictor(x: Float32Array, order: number): Float64Array {
  const r = new Float64Array(order + 1)
  const n = x.length
  const w = x.map((v, i) => v * (0.54 - 0.46 * Math.cos((2 * Math.PI * i) / (n - 1))))
  for (let k = 0; k <= order; k++) for (let i = k; i < n; i++) r[k]! += w[i]! * w[i - k]!
  r[0]! *= 1 + 1e-6
  let a = new Float64Array(order + 1)
  a[0] = 1
  let error = r[0]!
  for (let m = 1; m <= order; m++) {
    let acc = 0
    for (let k = 0; k < m; k++) acc += a[k]! * r[m - k]!
    const ref = -acc / error
    const b = Float64Array.from(a)
    for (let k = 1; k <= m; k++) b[k]! += ref * a[m - k]!
    a = b
    error *= 1 - ref * ref
  }
  return a
}

/** A quarter of the rate, after a plain low-pass filter. */
function lowered(x: Float32Array): Float32Array {
  const taps = Array.from({ length: 63 }, (_, i) => {
    const t = i - 31
    const s = t === 0 ? 0.225 : Math.sin(0.225 * Math.PI * t) / (Math.PI * t)
    return s * (0.5 + 0.5 * Math.cos((Math.PI * t) / 32))
  })
  const out = new Float32Array(Math.floor(x.length / 4))
  for (let i = 0; i < out.length; i++)
    for (let k = 0; k < 63; k++) out[i]! += taps[k]! * (x[4 * i + k - 31] ?? 0)
  return out
}

/** Formants of a stretch of voice: peaks of the prediction spectrum nearest to where they should be, medians over frames. */
export function formantsOf(x: Float32Array, from: number, to: number, near: readonly number[]): number[] {
  const low = lowered(x.subarray(Math.round(from * RATE), Math.round(to * RATE)))
  const rate = RATE / 4
  for (let i = low.length - 1; i > 0; i--) low[i]! -= 0.9 * low[i - 1]!
  const size = Math.round(0.04 * rate)
  const found: number[][] = near.slice(0, 3).map(() => [])
  for (let at = 0; at + size < low.length; at += size >> 1) {
    const a = predictor(low.subarray(at, at + size), 12)
    const level = (hz: number): number => {
      let [re, im] = [0, 0]
      a.forEach((v, k) => {
        re += v * Math.cos((2 * Math.PI * hz * k) / rate)
        im -= v * Math.sin((2 * Math.PI * hz * k) / rate)
      })
      return -(re * re + im * im)
    }
    const peaks: number[] = []
    for (let hz = 160; hz < 4600; hz += 10) {
      const [before, here, after] = [level(hz - 10), level(hz), level(hz + 10)]
      // The top of the parabola through three steps: a step is 3 % of the lowest formant.
      if (here > before && here >= after)
        peaks.push(hz + (5 * (after - before)) / (2 * here - before - after))
    }
    found.forEach((list, i) => {
      const best = peaks.reduce((b, p) => (Math.abs(p - near[i]!) < Math.abs(b - near[i]!) ? p : b), Infinity)
      if (Number.isFinite(best)) list.push(best)
    })
  }
  return found.map((l) => median(l))
}

/** Crest factor of the prediction residual, mean over 30 ms frames. */
function sharpness(x: Float32Array, from: number, to: number): number {
  const low = lowered(x.subarray(Math.round(from * RATE), Math.round(to * RATE)))
  const size = Math.round((0.03 * RATE) / 4)
  let [sum, frames] = [0, 0]
  for (let at = 12; at + size < low.length; at += size) {
    const a = predictor(low.subarray(at, at + size), 12)
    let [top, power] = [0, 0]
    for (let i = at; i < at + size; i++) {
      let e = 0
      a.forEach((v, k) => (e += v * low[i - k]!))
      top = Math.max(top, Math.abs(e))
      power += e * e
    }
    sum += top / Math.sqrt(power / size + 1e-20)
    frames++
  }
  return sum / frames
}

/** How far the level of a steady stretch wavers, dB between its 5th and 95th percentile over 40 ms. */
function wavering(x: Float32Array, from: number, to: number): number {
  const levels: number[] = []
  for (let t = from; t + 0.04 <= to; t += 0.01)
    levels.push(db(rms(x, Math.round(t * RATE), Math.round((t + 0.04) * RATE))))
  return percentile(levels, 0.95) - percentile(levels, 0.05)
}

/** First moment near a place at which the sound above 5 kHz or so passes half its later level, seconds. */
function onsetOf(x: Float32Array, near: number): number {
  const from = Math.round((near - 0.018) * RATE)
  const n = Math.round(0.09 * RATE)
  const level = new Float32Array(n)
  let held = 0
  for (let i = 0; i < n; i++) {
    const at = from + i
    const d = Math.abs((x[at] ?? 0) - 3 * (x[at - 1] ?? 0) + 3 * (x[at - 2] ?? 0) - (x[at - 3] ?? 0))
    held = Math.max(d, held * 0.99)
    level[i] = held
  }
  const top = Math.max(...level)
  return (from + level.findIndex((v) => v > top / 2)) / RATE
}

/** A pitch line between two of its frames, Hz; 0 where either has none. */
function between({ f0, hop }: { readonly f0: ArrayLike<number>; readonly hop: number }, t: number): number {
  const k = Math.floor(t / hop)
  const [x, y] = [f0[k] ?? 0, f0[k + 1] ?? 0]
  return x > 0 && y > 0 ? x * (y / x) ** (t / hop - k) : 0
}

export interface VoiceReport {
  /** 95th percentile, cents. */
  readonly f0: number
  /** Worst of the first three of all vowels, %. */
  readonly formants: number
  /** Ratio of the residual's crest factor to the wanted voice's, farthest from 1. */
  readonly sharpness: number
  /** Added wavering of steady vowels, dB. */
  readonly wavering: number
  /** Worst, ms. */
  readonly consonants: number
  /** Level of the vowels against the wanted voice's, dB. */
  readonly level: number
}

/**
 * Compares an output with the voice it should be: `wanted` has the pitch asked for at the original's speed.
 *
 * @param ratio output length by input length
 */
export function voiceReport(wanted: Voiced, output: Float32Array, ratio: number): VoiceReport {
  const ideal = wanted.channels[0]!
  const line = (x: Float32Array) => pitchLine(mainSource([x], RATE))
  const [a, b] = [line(ideal), line(output)]
  const errors: number[] = []
  let [formants, sharp, added, level] = [0, 1, 0, 0]
  for (const v of wanted.vowels) {
    const [from, to] = [v.from + 0.06, v.to - 0.06]
    for (let t = from * ratio; t < to * ratio; t += b.hop) {
      const k = Math.round(t / b.hop)
      const [x, y] = [between(a, (k * b.hop) / ratio), b.f0[k]!]
      if (x > 0 && y > 0) errors.push(Math.abs(1200 * Math.log2(y / x)))
      else errors.push(1200)
    }
    const [p, q] = [
      formantsOf(ideal, from, to, v.formants),
      formantsOf(output, from * ratio, to * ratio, v.formants),
    ]
    p.forEach((hz, i) => (formants = Math.max(formants, 100 * Math.abs(q[i]! / hz - 1))))
    const s = sharpness(output, from * ratio, to * ratio) / sharpness(ideal, from, to)
    if (Math.abs(Math.log(s)) > Math.abs(Math.log(sharp))) sharp = s
    added = Math.max(added, wavering(output, from * ratio, to * ratio) - wavering(ideal, from, to))
    const d = db(
      rms(output, Math.round(from * ratio * RATE), Math.round(to * ratio * RATE)) /
        rms(ideal, Math.round(from * RATE), Math.round(to * RATE)),
    )
    if (Math.abs(d) > Math.abs(level)) level = d
  }
  const off = wanted.consonants.map(
    (t) => 1000 * Math.abs(onsetOf(output, t * ratio) - onsetOf(ideal, t) - t * (ratio - 1)),
  )
  return {
    f0: percentile(errors, 0.95),
    formants,
    sharpness: sharp,
    wavering: added,
    consonants: Math.max(...off),
    level,
  }
}
