// The rhythm of a recording as curves at 100 frames a second: where notes start, and how heavy each is.
import type { OnsetStrength } from '../onset-strength'
import type { Transient } from '../transients'

/** Frames a second of everything about beats. */
export const RATE = 100

export interface Rhythm {
  readonly frames: number
  /** Note starts, each a bell of its strength; mean square 1 over the recording. */
  readonly onset: Float32Array
  /** Flux of the low, middle and high regions, each with mean square 1. */
  readonly regions: readonly Float32Array[]
  /** Level, dB. */
  readonly level: Float32Array
  /** Note starts: seconds and strength. */
  readonly events: readonly { readonly time: number; readonly strength: number }[]
  /** How bright notes begin: power above 11 kHz over that of all, natural log, mean over notes; -10 to about 0. */
  readonly brilliance: number
  /** Seconds of the first and last sound. */
  readonly first: number
  readonly last: number
  /** Length of the recording, seconds. */
  readonly length: number
}

/** Half width of a bell, frames: what players and ears call together. */
const WIDTH = 1.4

function scaled(x: Float32Array): Float32Array {
  let sum = 1e-9
  for (let i = 0; i < x.length; i++) sum += x[i]! * x[i]!
  const k = 1 / Math.sqrt(sum / x.length)
  return x.map((v) => v * k)
}

/** Takes the largest value of every 10 ms. */
function atRate(x: Float32Array, seconds: number, offset: number, frames: number): Float32Array {
  const out = new Float32Array(frames)
  for (let i = 0; i < x.length; i++) {
    const f = Math.round((i * seconds + offset) * RATE)
    if (f >= 0 && f < frames && x[i]! > out[f]!) out[f] = x[i]!
  }
  return out
}

/** Frames after a note's start in which it is brightest. */
const BRIGHT_FRAMES = 6
/** No note counts as duller than this. */
const DULL = -10
/** Between drums and the rest: of recordings that reach no higher than 16 kHz, or have no notes. */
const UNKNOWN = -4

/** How bright the notes of a recording begin, each weighing its strength: drums and plectra do, most else does not. */
function brillianceOf(curve: OnsetStrength, transients: readonly Transient[], sampleRate: number): number {
  if (sampleRate < 32000) return UNKNOWN
  const most = (x: Float32Array, from: number): number => {
    let m = -Infinity
    for (let f = Math.max(0, from); f <= Math.min(x.length - 1, from + BRIGHT_FRAMES); f++)
      if (x[f]! > m) m = x[f]!
    return m
  }
  let [sum, weight] = [0, 0]
  for (const t of transients) {
    const f = Math.round((t.at - curve.start) / curve.hop)
    sum += t.strength * Math.max(DULL, most(curve.top, f) - most(curve.level, f))
    weight += t.strength
  }
  return weight > 0 ? sum / weight : UNKNOWN
}

/** @param curve of the recording; @param transients in rising order, all that are kept */
export function rhythmOf(
  curve: OnsetStrength,
  transients: readonly Transient[],
  sampleRate: number,
  /** Samples. */
  length: number,
): Rhythm {
  const step = curve.hop / sampleRate
  const offset = curve.offset / sampleRate
  const start = curve.start / sampleRate
  const frames = Math.ceil((curve.values.length * step + start) * RATE) + 1
  const events = transients.map((t) => ({ time: t.at / sampleRate, strength: t.strength }))
  const bells = new Float32Array(frames)
  for (const e of events) {
    const centre = e.time * RATE
    const weight = e.strength * e.strength
    for (let f = Math.max(0, Math.floor(centre - 5)); f <= Math.min(frames - 1, centre + 5); f++)
      bells[f]! += weight * Math.exp(-0.5 * ((f - centre) / WIDTH) ** 2)
  }
  const flux = atRate(curve.values, step, offset, frames)
  const smooth = scaled(flux)
  const onset = scaled(scaled(bells).map((v, i) => v + 0.25 * smooth[i]!))
  const [low, lowMid, mid, high] = curve.regions.map((r) => atRate(r, step, offset, frames))
  const middle = lowMid!.map((v, i) => v + mid![i]!)
  const level = new Float32Array(frames)
  for (let f = 0; f < frames; f++)
    level[f] = 4.343 * curve.level[Math.min(curve.level.length - 1, Math.round((f / RATE - start) / step))]!
  const loud = [...level].sort((a, b) => a - b)[Math.floor(0.9 * frames)] ?? 0
  let first = 0
  while (first < frames - 1 && level[first]! < loud - 40) first++
  let last = frames - 1
  while (last > first && level[last]! < loud - 30) last--
  return {
    frames,
    onset,
    regions: [low!, middle, high!].map(scaled),
    level,
    events,
    brilliance: brillianceOf(curve, transients, sampleRate),
    first: first / RATE,
    last: last / RATE,
    length: length / sampleRate,
  }
}
