// A spoken-sung voice made by code with known pitch and formants, and what of it survives stretching and transposition.
import { noise } from './signals'
import { resonancesOf } from './resonances'
import { percentile, rms, db } from './measure'
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
/** Levels of the source fall with this power of frequency. */
const TILT = -0.7
/** Ends of vowels that are not judged, seconds. */
const EDGE = 0.06
/** Gains of harmonics are worked out every so many samples. */
const STEP = 64

export interface Voiced {
  readonly channels: readonly Float32Array[]
  /** Vowels: from, to in seconds, formants in Hz. */
  readonly vowels: readonly { from: number; to: number; formants: readonly number[] }[]
  /** Onsets of consonants, seconds. */
  readonly consonants: readonly number[]
  /** Pitch so many seconds after a vowel begins, Hz. */
  readonly pitchAt: (t: number) => number
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

const made = new Map<string, Voiced>()

/**
 * A voice that says vowel, consonant, vowel … at a pitch; made once, so what is given is not to be written to.
 *
 * @param hz       pitch; @param factor the same voice with its pitch this much higher, its formants where they were
 * @param vibrato  depth, cents, at 5.5 Hz
 * @param seconds  of each vowel
 */
export function voice(hz: number, factor: number, vibrato: number, seconds: number): Voiced {
  const key = [hz, factor, vibrato, seconds].join(' ')
  const one = made.get(key) ?? makeVoice(hz, factor, vibrato, seconds)
  made.set(key, one)
  return one
}

function makeVoice(hz: number, factor: number, vibrato: number, seconds: number): Voiced {
  const gap = 0.12
  const total = Math.round(RATE * (VOWELS.length * (seconds + gap) + 0.3))
  const x = new Float32Array(total)
  const vowels: { from: number; to: number; formants: readonly number[] }[] = []
  const consonants: number[] = []
  const pitchAt = (t: number): number =>
    hz * factor * 2 ** ((vibrato / 1200) * Math.sin(2 * Math.PI * 5.5 * t))
  VOWELS.forEach((formants, v) => {
    const from = 0.1 + v * (seconds + gap)
    vowels.push({ from, to: from + seconds, formants })
    const n = Math.round(seconds * RATE)
    const most = Math.floor(9000 / (hz * factor))
    // The tract stays while the pitch wavers under it: every harmonic's gain follows, between steps on a line.
    const gainsAt = (i: number, re: Float64Array, im: Float64Array): void => {
      const f0 = pitchAt(i / RATE)
      for (let k = 1; k <= most; k++) {
        const [a, b] = tract(k * f0, formants)
        const tilt = (k * factor) ** TILT
        re[k - 1] = a * tilt
        im[k - 1] = b * tilt
      }
    }
    const parts = (): Float64Array => new Float64Array(most)
    const [re, im, nextRe, nextIm, stepRe, stepIm] = [parts(), parts(), parts(), parts(), parts(), parts()]
    let phase = 0
    gainsAt(0, nextRe, nextIm)
    for (let i = 0; i < n;) {
      re.set(nextRe)
      im.set(nextIm)
      if (vibrato !== 0) gainsAt(i + STEP, nextRe, nextIm)
      for (let k = 0; k < most; k++) {
        stepRe[k] = (nextRe[k]! - re[k]!) / STEP
        stepIm[k] = (nextIm[k]! - im[k]!) / STEP
      }
      for (const end = Math.min(n, i + STEP); i < end; i++) {
        const t = i / RATE
        phase += (2 * Math.PI * pitchAt(t)) / RATE
        const [turn, across] = [Math.cos(phase), Math.sin(phase)]
        const after = i % STEP
        // A polynomial in the fundamental's turn, from the highest harmonic down.
        let [sum, other] = [0, 0]
        for (let k = most - 1; k >= 0; k--) {
          const a = sum + re[k]! + after * stepRe[k]!
          const b = other + im[k]! + after * stepIm[k]!
          sum = a * turn - b * across
          other = a * across + b * turn
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
  return { channels: [x], vowels, consonants, pitchAt }
}

/** Linear prediction by the autocorrelation method (J. Makhoul, "Linear prediction", Proc. IEEE 63(4), 1975). */
export function predictor(x: Float32Array, order: number): Float64Array {
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
export function lowered(x: Float32Array): Float32Array {
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

/**
 * The first three formants of a vowel as it sounds, Hz.
 *
 * @param of a voice with this vowel and the pitch that it sounds at
 * @param ratio of its length to that of the voice
 * @param near formants to begin with
 */
export function formantsOf(
  x: Float32Array,
  of: Pick<Voiced, 'pitchAt'>,
  vowel: Voiced['vowels'][number],
  ratio = 1,
  near: readonly number[] = vowel.formants,
): number[] {
  const inside = [(vowel.from + EDGE) * ratio, (vowel.to - EDGE) * ratio] as const
  const pitchAt = (t: number): number => of.pitchAt(t / ratio - vowel.from)
  return resonancesOf(x, RATE, inside, pitchAt, near, WIDTHS, TILT).slice(0, 3)
}

/**
 * Crest factor of the prediction residual, mean over 30 ms frames.
 *
 * Frames overlap by three quarters: side by side, what they say of the same voice differs by 11 % with where they begin.
 */
function sharpness(x: Float32Array, from: number, to: number): number {
  const low = lowered(x.subarray(Math.round(from * RATE), Math.round(to * RATE)))
  const size = Math.round((0.03 * RATE) / 4)
  let [sum, frames] = [0, 0]
  for (let at = 12; at + size < low.length; at += size >> 2) {
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
  /** Farthest of the first three of each vowel, %. */
  readonly formants: readonly number[]
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
  let [sharp, added, level] = [1, 0, 0]
  const formants: number[] = []
  for (const v of wanted.vowels) {
    const [from, to] = [v.from + EDGE, v.to - EDGE]
    for (let t = from * ratio; t < to * ratio; t += b.hop) {
      const k = Math.round(t / b.hop)
      const [x, y] = [between(a, (k * b.hop) / ratio), b.f0[k]!]
      if (x > 0 && y > 0) errors.push(Math.abs(1200 * Math.log2(y / x)))
      else errors.push(1200)
    }
    const off = formantsOf(output, wanted, v, ratio).map((hz, i) => Math.abs(hz / v.formants[i]! - 1))
    formants.push(100 * Math.max(...off))
    const s = sharpness(output, from * ratio, to * ratio) / sharpness(ideal, from, to)
    if (Math.abs(Math.log(s)) > Math.abs(Math.log(sharp))) sharp = s
    added = Math.max(added, wavering(output, from * ratio, to * ratio) - wavering(ideal, from, to))
    const d = db(
      rms(output, Math.round(from * ratio * RATE), Math.round(to * ratio * RATE)) /
        rms(ideal, Math.round(from * RATE), Math.round(to * RATE)),
    )
    if (Math.abs(d) > Math.abs(level)) level = d
  }
  const late = wanted.consonants.map(
    (t) => 1000 * Math.abs(onsetOf(output, t * ratio) - onsetOf(ideal, t) - t * (ratio - 1)),
  )
  return {
    f0: percentile(errors, 0.95),
    formants,
    sharpness: sharp,
    wavering: added,
    consonants: Math.max(...late),
    level,
  }
}
