// Notes that begin softly while the one before them still sounds: their start, told from what is left without it.
import { samples, semitonesOver } from '../../units'
import type { Source } from '../source'
import type { Transient } from '../transients'
import type { Pitch } from './track'

/** The pitch before and after an onset is taken from so far to so far away, seconds. */
const NEAR_BY = 0.03
const FAR_BY = 0.1
/** Two notes are at least this far apart, semitones; a line this near to one of them is on it. */
const APART = 0.6
const ON = 0.35
/** What is heard around an onset, and how far back its start may lie, seconds. */
const BEFORE = 0.3
const AFTER = 0.12
const BACK = 0.13
/** Envelope of what is left: window and step, seconds. */
const WINDOW = 0.008
const STEP = 0.002
/** What is left must grow by this factor; the note starts where it passes this share of its peak. */
const GROWS = 4
const SHARE = 0.1
/** Of what is left this much of the power may remain without the new period: more is a glide, or noise. */
const REMAINS = 0.5
/** The line stays on the two notes for this share of the time between start and onset. */
const STAYS = 0.85
/** A start less far from the onset is the onset, whose own attack tells better; seconds. */
const LEAST_MOVE = 0.006
/** Starts keep this distance from the onset before, seconds. */
const LEAST_GAP = 0.036

const apart = (a: number, b: number): number => Math.abs(semitonesOver(a, b))

/** Median pitch of [from, to), seconds; 0 where less than 60 % is voiced. */
function pitchIn({ f0, hop }: Pitch, from: number, to: number): number {
  const frames = f0.subarray(Math.max(0, Math.round(from / hop)), Math.round(to / hop))
  const voiced = frames.filter((v) => v > 0).sort()
  return voiced.length > 0.6 * frames.length ? voiced[voiced.length >> 1]! : 0
}

/** x[i] - x[i - period], period in samples, fractional; zero before there is as much. */
function without(x: Float32Array, period: number): Float32Array {
  const whole = Math.ceil(period)
  const part = whole - period
  return x.map((v, i) => (i < whole ? 0 : v - ((1 - part) * x[i - whole]! + part * x[i - whole + 1]!)))
}

/** Root mean square of windows, a step apart; value k is of the window around (k * step + window / 2). */
function envelope(x: Float32Array, window: number, step: number): Float32Array {
  const out = new Float32Array(Math.max(0, Math.floor((x.length - window) / step) + 1))
  for (let k = 0; k < out.length; k++) {
    let sum = 0
    for (let i = k * step; i < k * step + window; i++) sum += x[i]! * x[i]!
    out[k] = Math.sqrt(sum / window)
  }
  return out
}

const power = (x: Float32Array, from: number, to: number): number =>
  x.subarray(Math.max(0, from), to).reduce((sum, v) => sum + v * v, 0)

/** Start of the note whose pitch takes over at an onset, seconds; the onset itself where nothing tells of an earlier one. */
function startOf(onset: number, pitch: Pitch, source: Source): number {
  const old = pitchIn(pitch, onset - FAR_BY, onset - NEAR_BY)
  const now = pitchIn(pitch, onset + NEAR_BY, onset + FAR_BY)
  if (!old || !now || apart(old, now) < APART || onset < BEFORE) return onset
  const { rate } = source
  const from = Math.round((onset - BEFORE) * rate)
  const x = new Float32Array(Math.round((BEFORE + AFTER) * rate))
  source.copy(0, from, x)
  const left = without(x, rate / old)
  const step = Math.round(STEP * rate)
  const window = Math.round(WINDOW * rate)
  const loud = envelope(left, window, step)
  const at = (k: number): number => (from + k * step + window / 2) / rate
  const frame = (seconds: number): number => Math.round((seconds * rate - from - window / 2) / step)
  const silent = loud.slice(frame(onset - 0.22), frame(onset - BACK)).sort()
  const floor = silent[silent.length >> 1] ?? Infinity
  const peak = Math.max(...loud.subarray(frame(onset - 0.03), frame(onset + 0.08)))
  if (peak < GROWS * floor) return onset
  let k = frame(onset)
  while (k > 0 && loud[k]! > Math.max(2 * floor, SHARE * peak) && at(k) > onset - BACK) k--
  // The window sees what begins at its end.
  const start = at(k) + WINDOW / 2
  if (start > onset - LEAST_MOVE) return onset
  // Between the two the line is on either note, and both periods together explain what sounds; a glide is neither.
  const frames = pitch.f0.subarray(Math.round(start / pitch.hop), Math.round((onset - 0.012) / pitch.hop))
  const staying = frames.filter((hz) => hz === 0 || apart(hz, old) < ON || apart(hz, now) < ON)
  if (staying.length < STAYS * frames.length) return onset
  const [a, b] = [start - 0.005, onset + 0.01].map((s) => Math.round(s * rate) - from) as [number, number]
  return power(without(left, rate / now), a, b) > REMAINS * power(left, a, b) ? onset : start
}

/**
 * Moves the transients of a line to where notes begin under the one before them. A slow bow or breath starts up to a
 * tenth of a second before it is the louder of the two, which is when pitch and level tell of it.
 *
 * What is left after taking the old period away (a comb filter, as A. de Cheveigné, "Separation of concurrent
 * harmonic sounds: fundamental frequency estimation and a time-domain cancellation model of auditory processing",
 * JASA 93(6), 1993) is the new note alone.
 *
 * @param transients in rising order; @param pitch the line; @param source one channel
 */
export function startsUnderneath(
  transients: readonly Transient[],
  pitch: Pitch,
  source: Source,
): readonly Transient[] {
  let last = -Infinity
  return transients.map((t) => {
    const onset = t.at / source.factor / source.rate
    const start = startOf(onset, pitch, source)
    const moved = start < onset && start - last >= LEAST_GAP
    last = moved ? start : onset
    return moved ? { ...t, at: samples(Math.round(start * source.rate * source.factor)) } : t
  })
}
