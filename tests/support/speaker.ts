// A speaking voice made by code as voices are: pulses that open and close, no two of them alike, breath, and a pitch that glides.
import { randomFrom } from '../../src/core/dsp/random'
import { rms } from './measure'

const RATE = 44100
/** Five vowels each, one after the other: seconds of each and of the silence after it. */
const LASTS = 0.7
const APART = 0.15
const BEGIN = 0.1
/** What is measured lies so far inside a vowel, seconds. */
const EDGE = 0.08
/**
 * Formants of an adult's vowels, Hz; the first three after G. Peterson & H. Barney, "Control methods used in a study of
 * the vowels", JASA 24(2), 1952 (from memory), the others common practice.
 */
const VOWELS = [
  [730, 1090, 2440, 3400, 4400],
  [530, 1840, 2480, 3500, 4500],
  [300, 2290, 3010, 3600, 4500],
  [570, 840, 2410, 3300, 4400],
  [300, 870, 2240, 3300, 4400],
] as const
const WIDTHS = [70, 90, 130, 180, 250] as const
/** Shares of a period in which the folds open and close; they are shut for the rest of it. */
const OPENS = 0.4
const CLOSES = 0.26
/** Share of the breath that passes where the folds are shut. */
const SHUT = 0.3

/** How a voice speaks. */
export interface Manner {
  readonly hz: number
  /** Spread of the periods' lengths and of the pulses' sizes, shares. */
  readonly jitter: number
  readonly shimmer: number
  /** Breath against the pulses' greatest slope. */
  readonly breath: number
  /** Glides to either side, semitones, 1.9 times a second. */
  readonly swing: number
}

export interface Speaker {
  readonly channels: Float32Array[]
  readonly vowels: readonly { readonly from: number; readonly to: number }[]
  /** Hz at a second inside a vowel. @param v its number */
  pitchAt(v: number, t: number): number
}

/**
 * A voice that says five vowels.
 *
 * Sources: A. E. Rosenberg, "Effect of glottal pulse shape on the quality of natural vowels", JASA 49(2B), 1971 (pulses;
 * their slope, as mouths radiate it); D. H. Klatt, "Software for a cascade/parallel formant synthesizer", JASA 67(3),
 * 1980 (resonators in a row, breath as loud as the folds are open).
 *
 * @param factor at this share of its pitch, with the same formants, and the same chances in every period
 */
export function speaker(manner: Manner, factor = 1): Speaker {
  const key = JSON.stringify([manner, factor])
  const known = made.get(key) ?? speak(manner, factor)
  made.set(key, known)
  return known
}

const made = new Map<string, Speaker>()

function speak({ hz, jitter, shimmer, breath, swing }: Manner, factor: number): Speaker {
  const length = Math.round(RATE * (2 * BEGIN + VOWELS.length * (LASTS + APART)))
  const sound = new Float32Array(length)
  const vowels = VOWELS.map((_, v) => {
    const from = BEGIN + v * (LASTS + APART)
    return { from, to: from + LASTS }
  })
  const pitchAt = (v: number, t: number): number =>
    hz *
    factor *
    2 ** ((swing / 12) * Math.sin(2 * Math.PI * ((1.3 * (t - vowels[v]!.from)) / LASTS + 0.37 * v)))
  VOWELS.forEach((formants, v) => {
    const { from } = vowels[v]!
    // It rings on for a while after its last pulse.
    const x = new Float64Array(Math.round((LASTS + 0.1) * RATE))
    const [chance, air] = [randomFrom(5 + v), randomFrom(55 + v)]
    const normal = (): number => Math.sqrt(-2 * Math.log(chance() + 1e-12)) * Math.cos(2 * Math.PI * chance())
    let low = 0
    for (let t = 0; t < LASTS;) {
      const period = (1 + jitter * normal()) / pitchAt(v, from + t)
      const size = (1 + shimmer * normal()) * Math.min(1, t / 0.04, (LASTS - t) / 0.06)
      const [opens, closes] = [OPENS * period, CLOSES * period]
      for (let i = Math.ceil(t * RATE); i <= (t + period) * RATE && i < x.length; i++) {
        const u = i / RATE - t
        const open = u < opens + closes
        let slope = 0
        if (u < opens) slope = (closes / opens) * Math.sin((Math.PI * u) / opens)
        else if (open) slope = -Math.sin((Math.PI * (u - opens)) / (2 * closes))
        const white = 2 * air() - 1
        low += 0.5 * (white - low)
        x[i]! += size * (slope + 1.4 * breath * (open ? 1 : SHUT) * (white - low))
      }
      t += period
    }
    formants.forEach((f, k) => {
      const r = Math.exp((-Math.PI * WIDTHS[k]!) / RATE)
      const turn = 2 * r * Math.cos((2 * Math.PI * f) / RATE)
      const gain = 1 - turn + r * r
      let [before, one] = [0, 0]
      for (let i = 0; i < x.length; i++) {
        const y = gain * x[i]! + turn * one - r * r * before
        before = one
        one = y
        x[i] = y
      }
    })
    const scale = 0.1 / rms(Float32Array.from(x.subarray(0, LASTS * RATE)))
    for (let i = 0; i < x.length; i++) sound[Math.round(from * RATE) + i]! += scale * x[i]!
  })
  return { channels: [sound], vowels, pitchAt }
}

/** How uneven the periods of a voice are, mean step from one to the next, %: of their lengths and of their levels. */
export interface Unevenness {
  readonly jitter: number
  readonly shimmer: number
}

/** Periods are told from what is left by a mean over so many samples to either side. */
const SMOOTH = 12

/**
 * Unevenness of every vowel of a speaker in a recording of it.
 *
 * Source: local jitter and shimmer, e.g. M. Farrús, J. Hernando & P. Ejarque, "Jitter and shimmer measurements for speaker
 * recognition", Interspeech 2007; periods as the lag at which the wave matches best (from memory: P. Boersma &
 * D. Weenink's cross-correlation).
 *
 * @param ratio of its length to the speaker's
 * @param said the speaker as it should sound
 */
export function unevenness(x: Float32Array, said: Speaker, ratio = 1): Unevenness[] {
  const sums = new Float64Array(x.length + 1)
  for (let i = 0; i < x.length; i++) sums[i + 1] = sums[i]! + x[i]!
  const smooth = x.map(
    (_, i) => (sums[Math.min(x.length, i + SMOOTH)]! - sums[Math.max(0, i - SMOOTH)]!) / (2 * SMOOTH),
  )
  const energies = new Float64Array(x.length + 1)
  for (let i = 0; i < x.length; i++) energies[i + 1] = energies[i]! + smooth[i]! ** 2
  /** Match of a period with what comes so many samples after it. */
  const match = (from: number, n: number, lag: number): number => {
    let product = 0
    for (let i = from; i < from + n; i++) product += smooth[i]! * smooth[i + lag]!
    const energy = (at: number): number => energies[at + n]! - energies[at]!
    return product / Math.sqrt(energy(from) * energy(from + lag) + 1e-20)
  }
  const step = (values: readonly number[]): number => {
    const mean = values.reduce((sum, v) => sum + v, 0) / values.length
    const all = values.slice(1).reduce((sum, v, i) => sum + Math.abs(v - values[i]!), 0)
    return (100 * all) / (values.length - 1) / mean
  }
  return said.vowels.map(({ from, to }, v) => {
    const [lengths, levels]: [number[], number[]] = [[], []]
    const end = (to - EDGE) * ratio * RATE
    for (let at = (from + EDGE) * ratio * RATE; at < end;) {
      const period = RATE / said.pitchAt(v, at / RATE / ratio)
      const [first, n] = [Math.round(at), Math.round(period)]
      let [best, most] = [n, -1]
      for (let lag = Math.round(0.8 * period); lag <= 1.25 * period; lag++) {
        const m = match(first, n, lag)
        if (m > most) [best, most] = [lag, m]
      }
      const [a, c] = [match(first, n, best - 1), match(first, n, best + 1)]
      const bend = a - 2 * most + c
      lengths.push(best + (bend < 0 ? Math.max(-1, Math.min(1, (0.5 * (a - c)) / bend)) : 0))
      levels.push(rms(x, first, first + best))
      at += lengths[lengths.length - 1]!
    }
    return { jitter: step(lengths), shimmer: step(levels) }
  })
}
