// Notes struck while others still ring: their pitch told from what the attack adds to the spectrum.
import { realFft } from '../../dsp/fft'
import { workspace } from '../../dsp/kernels/kernels'
import { magnitudes } from '../../dsp/magnitudes'
import { hann } from '../../dsp/windows'
import { semitonesOver } from '../../units'
import type { Source } from '../source'
import { MOST, type PitchCandidates } from './candidates'
import type { Pitch } from './track'

/** Length of the spectra before and after an attack, seconds. */
const WINDOW_SECONDS = 0.09
/** The one before ends, and the one after begins, this far from it, seconds. */
const APART = 0.004
/** Pitches tried: from this up to the other, in steps, Hz and semitones. */
const LOW = 75
const HIGH = 1400
const STEP = 1 / 8
const HARMONICS = 8
/** Magnitudes that ring on count this much against what is new. */
const RINGING = 1.3
/** The pitch line is looked at so long after an attack, seconds. */
const LOOK_FROM = 0.015
const LOOK_TO = 0.11
/** It is in doubt where less of it than this is voiced, or where it lies this far below the struck note, semitones. */
const VOICED = 0.6
const BELOW = 11.5
/** And stands worse than that by this factor. */
const BETTER = 1.4
/** Candidates this near the struck pitch are believed, semitones; for so long after the attack, seconds. */
const ABOUT = 0.6
const BELIEVED_FOR = 0.6
/** A struck note may be hidden by those that ring for so long, seconds. */
const HIDDEN = 0.15
/** And this much of their frame's probability is theirs. */
const SHARE = 0.7
/** Least share of what is new that the struck note must explain. */
const EXPLAINS = 0.4

// A struck note is sure
/** when it explains so much of what is new, */
const SURELY = 0.7
/** so much of what sounded before does so still (strings ring on, a voice goes to its next note), */
const RINGS = 0.65
/** and it is high enough for its partials to be told from those of another, Hz. */
const CLEAR = 110
/** Then a line at least so far beside it and at most so far, semitones, is that of two notes that beat, */
const NEAR = 0.35
const BESIDE = 2
/** if it stands worse by this factor; */
const SOMEWHAT = 1.25
/** and for so long, seconds, the note needs no candidates. */
const ALONE = 0.3
/** Partials whose places are measured. */
const MEASURED = 6

/** How well a pitch stands for what an attack adds to the spectrum. */
interface Standing {
  readonly hz: number
  readonly score: number
  /** Share of what is new that its partials are. */
  readonly explains: number
}

/**
 * A pitch from where its partials stand in a spectrum: their mean by strength, each between bins.
 *
 * Source: parabola through the logarithms of a peak's bins, J. O. Smith & X. Serra, "PARSHL", ICMC 1987.
 */
function measured(spectrum: Float32Array, hz: number, rate: number, size: number): number {
  let sum = 0
  let weights = 0
  for (let h = 1; h <= MEASURED; h++) {
    const at = Math.round((h * hz * size) / rate)
    if (at > size / 2 - 4) break
    let k = at
    for (const j of [at - 1, at + 1]) if (spectrum[j]! > spectrum[k]!) k = j
    const [a, b, c] = [spectrum[k - 1]!, spectrum[k]!, spectrum[k + 1]!].map((v) => Math.log(v + 1e-12))
    if (!(b! > a! && b! > c!)) continue
    const place = k + (0.5 * (a! - c!)) / (a! - 2 * b! + c!)
    const found = (place * rate) / size / h
    if (Math.abs(semitonesOver(found, hz)) > ABOUT) continue
    // A place between bins is known as well on a high partial, whose pitch it tells as many times better.
    const weight = spectrum[k]! * h
    sum += weight * found
    weights += weight
  }
  return weights > 0 ? sum / weights : hz
}

/** What an attack is heard to add. */
interface Heard {
  readonly best: Standing
  /** Share of what sounded before that still does. */
  readonly rings: number
  of(hz: number): Standing
  /** The best's pitch between the steps that were tried, Hz. */
  pitch(): number
}

/** Weights of the partials. */
const WEIGHT = Float64Array.from({ length: HARMONICS }, (_, h) => 1 / Math.sqrt(h + 1))

/**
 * Leaves in `added` what an attack adds to each bin, and in `heights` the same compressed.
 *
 * @returns all that is new below bin `top`, all that was there, and how much of that still is
 */
function news(
  before: Float32Array,
  added: Float32Array,
  heights: Float32Array,
  top: number,
): { readonly total: number; readonly was: number; readonly is: number } {
  let total = 1e-12
  let was = 1e-12
  let is = 0
  for (let k = 0; k < added.length - 1; k++) {
    const [b, a] = [before[k]!, added[k]!]
    was += b
    is += b < a ? b : a
    const more = a - RINGING * b
    added[k] = more > 0 ? more : 0
    heights[k] = more > 0 ? Math.sqrt(more) : 0
    if (k > 0 && k < top) total += added[k]!
  }
  return { total, was, is }
}

/** The greatest of three heights, and the sum of five bins. */
function spread(
  added: Float32Array,
  heights: Float32Array,
  greatest: Float32Array,
  sums: Float32Array,
): void {
  for (let k = 1; k <= added.length - 4; k++) {
    const [a, b, c] = [heights[k - 1]!, heights[k]!, heights[k + 1]!]
    const two = a > b ? a : b
    greatest[k] = two > c ? two : c
    sums[k] = (k > 1 ? added[k - 2]! : 0) + added[k - 1]! + added[k]! + added[k + 1]! + added[k + 2]!
  }
}

/** Scores of pitches, HARMONICS bins each, and the shares of what is new that they explain. */
function rate(
  bins: Int32Array,
  count: number,
  greatest: Float32Array,
  sums: Float32Array,
  total: number,
  scores: Float64Array,
  shares: Float64Array,
): void {
  for (let i = 0, at = 0; i < count; i++, at += HARMONICS) {
    let sum = 0
    let weights = 0
    let share = 0
    for (let h = 0; h < HARMONICS; h++) {
      const k = bins[at + h]!
      if (k === 0) break
      sum += WEIGHT[h]! * greatest[k]!
      weights += WEIGHT[h]!
      share += sums[k]!
    }
    const explains = share / total
    shares[i] = explains
    scores[i] = weights ? (sum / weights) * Math.sqrt(explains < 1 ? explains : 1) : 0
  }
}

/** Gives the standing of pitches at a place, and the best of all. */
function listener(source: Source): (seconds: number) => Heard {
  const size = 2 ** Math.round(Math.log2(WINDOW_SECONDS * source.rate))
  const fft = realFft(size)
  const { run, floats } = workspace(2 * size)
  const [window, frame] = [floats(size), floats(size)]
  window.set(hann(size))
  const packed = new Float32Array(size)
  const half = size / 2
  const apart = Math.round(APART * source.rate)
  const top = Math.min(half - 2, Math.ceil((HARMONICS * HIGH * size) / source.rate))
  const spectrum = (from: number, into: Float32Array): void => {
    source.copy(0, from, frame)
    run.multiply(frame.byteOffset, window.byteOffset, frame.byteOffset, size)
    fft.forward(frame, packed)
    magnitudes(packed, into)[0] = 0
  }
  // The bins of every pitch's partials, HARMONICS a pitch, as many as there are; 0 stands for none.
  const tried: number[] = []
  for (let hz = LOW; hz <= HIGH; hz *= 2 ** (STEP / 12)) tried.push(hz)
  const binOf = (hz: number, h: number): number => {
    const k = Math.round(((h + 1) * hz * size) / source.rate)
    return k <= half - 3 ? k : 0
  }
  const bins = Int32Array.from({ length: tried.length * HARMONICS }, (_, i) =>
    binOf(tried[Math.floor(i / HARMONICS)]!, i % HARMONICS),
  )
  const own = new Int32Array(HARMONICS)
  const [scores, shares] = [new Float64Array(tried.length), new Float64Array(tried.length)]
  // What an attack adds to each bin, and the same compressed, so that one strong partial does not decide alone; then
  // the greatest of three compressed bins and the sum of five.
  const bare = (): Float32Array => new Float32Array(half + 1)
  const [before, added, heights, greatest, sums] = [bare(), bare(), bare(), bare(), bare()]
  return (seconds) => {
    const at = Math.round(seconds * source.rate)
    spectrum(at - apart - size, before)
    spectrum(at + apart, added)
    const { total, was, is } = news(before, added, heights, top)
    spread(added, heights, greatest, sums)
    const standing = (hz: number): Standing => {
      for (let h = 0; h < HARMONICS; h++) own[h] = binOf(hz, h)
      rate(own, 1, greatest, sums, total, scores, shares)
      return { hz, score: scores[0]!, explains: shares[0]! }
    }
    rate(bins, tried.length, greatest, sums, total, scores, shares)
    let first = 0
    for (let i = 1; i < tried.length; i++) if (scores[i]! > scores[first]!) first = i
    const best = { hz: tried[first]!, score: scores[first]!, explains: shares[first]! }
    return {
      best,
      rings: is / was,
      of: standing,
      pitch: () => measured(added, best.hz, source.rate, size),
    }
  }
}

const isBeside = (semitones: number): boolean => Math.abs(semitones) > NEAR && Math.abs(semitones) < BESIDE

/** Whether the pitch line after an attack is lost, or far below what was struck: a common period of two notes. */
function inDoubt(pitch: Pitch, attack: number, until: number, { best, of }: Heard, sure: boolean): boolean {
  let frames = 0
  let voiced = 0
  let wrong = 0
  const to = Math.min(pitch.f0.length, Math.floor(Math.min(until, attack + LOOK_TO) / pitch.hop))
  for (let f = Math.ceil((attack + LOOK_FROM) / pitch.hop); f < to; f++) {
    frames++
    const line = pitch.f0[f]!
    if (line === 0) continue
    voiced++
    const up = semitonesOver(best.hz, line)
    // A low note's own overtones stand well, but hardly better than itself.
    if (up > BELOW && of(line).score * BETTER < best.score) wrong++
    else if (sure && isBeside(up) && of(line).score * SOMEWHAT < best.score) wrong++
  }
  return voiced < VOICED * frames || wrong > 0.5 * frames
}

/** False where the pitch line goes on after an attack as before it: a note that is struck again. */
function isNew({ f0, hop }: Pitch, attack: number): boolean {
  const voiced = (from: number, to: number): number[] =>
    Array.from(f0.subarray(Math.max(0, Math.round(from / hop)), Math.round(to / hop))).filter((v) => v > 0)
  const [before, after] = [voiced(attack - LOOK_TO, attack), voiced(attack + LOOK_FROM, attack + LOOK_TO)]
  if (!before.length || !after.length) return true
  const middle = (x: number[]): number => x.sort((a, b) => a - b)[x.length >> 1]!
  return Math.abs(semitonesOver(middle(after), middle(before))) > NEAR
}

/** Candidates that can be changed. */
interface Open {
  readonly count: Uint8Array
  readonly hz: Float32Array
  readonly probability: Float32Array
}

/** Gives a candidate most of its frame's probability. */
function believe({ count, probability }: Open, frame: number, slot: number): void {
  const base = frame * MOST
  for (let k = 0; k < count[frame]!; k++) probability[base + k]! *= 1 - SHARE
  probability[base + slot]! += SHARE
}

/** Gives a frame another candidate. */
function put({ count, hz, probability }: Open, frame: number, pitch: number): number {
  const slot = Math.min(count[frame]!, MOST - 1)
  count[frame] = slot + 1
  hz[frame * MOST + slot] = pitch
  probability[frame * MOST + slot] = 0
  return slot
}

/** The candidate of a frame that is nearest to a pitch and near it; -1 where there is none. */
function nearest({ count, hz }: Open, frame: number, pitch: number, within: number): number {
  let near = -1
  let least = within
  for (let k = 0; k < count[frame]!; k++) {
    const away = Math.abs(semitonesOver(hz[frame * MOST + k]!, pitch))
    if (away < least) [near, least] = [k, away]
  }
  return near
}

/**
 * Candidates that believe in the notes that were struck where the pitch line is in doubt.
 *
 * A frame that hears a new string over one that rings sees the common period of both, or none. What the attack adds
 * to the spectrum tells the new pitch (rise of magnitude, then a sum over harmonics after D. J. Hermes, "Measurement
 * of pitch by subharmonic summation", JASA 83(1), 1988); its own candidates are then preferred. Where strings ring on,
 * the pitch of what was added becomes a candidate itself.
 *
 * @param pitch the line without them; @param attacks seconds, rising
 * @returns the same object where nothing was in doubt
 */
export function believeStruck(
  c: PitchCandidates,
  pitch: Pitch,
  attacks: readonly number[],
  source: Source,
): PitchCandidates {
  const listen = listener(source)
  const open = {
    count: Uint8Array.from(c.count),
    hz: Float32Array.from(c.hz),
    probability: Float32Array.from(c.probability),
  }
  let changed = false
  attacks.forEach((attack, i) => {
    const until = Math.min(attacks[i + 1] ?? Infinity, attack + BELIEVED_FOR)
    const heard = listen(attack)
    const sure = heard.best.explains >= SURELY && heard.best.hz >= CLEAR && heard.rings >= RINGS
    if (heard.best.explains < EXPLAINS || !inDoubt(pitch, attack, until, heard, sure)) return
    const struck = sure ? heard.pitch() : heard.best.hz
    const from = Math.ceil(attack / c.hop)
    const to = Math.min(c.frames, until / c.hop)
    const within = sure ? NEAR : ABOUT
    const alone = Math.min(to, (attack + ALONE) / c.hop)
    let first = -1
    let there = struck
    for (let f = from; f < to; f++) {
      const near = nearest(open, f, struck, within)
      if (near < 0) continue
      if (first < 0) [first, there] = [f, open.hz[f * MOST + near]!]
      believe(open, f, near)
      changed = true
    }
    // Until the others have faded enough for its period to be seen, the note sounds at the pitch it has then, or at
    // that of the partials it began with: the candidates that beats leave waver.
    if (sure && isNew(pitch, attack)) [first, there] = [alone, struck]
    else if (first < 0 || (first - from) * c.hop > HIDDEN) return
    for (let f = from; f < first; f++)
      if (sure || nearest(open, f, struck, within) < 0) believe(open, f, put(open, f, there))
    changed ||= first > from
  })
  return changed ? { ...c, ...open } : c
}
