// Scores: bars under a tempo curve, chords in a key, drum patterns and melodies for each meter.
import type { Chance } from './chance'
import type { Strike } from './strikes'
import type { Meter } from './types'

export interface Key {
  readonly tonic: number
  readonly mode: 'major' | 'minor'
}

export const SCALES = { major: [0, 2, 4, 5, 7, 9, 11], minor: [0, 2, 3, 5, 7, 8, 10] } as const

/** A score's time: beat number (from 0 at the first downbeat) to seconds. */
export interface Clock {
  readonly meter: Meter
  readonly bpm: number
  readonly steady: boolean
  at(beat: number): number
}

export type Feel = 'steady' | 'drift' | 'rubato' | 'accelerando' | 'loose'

/**
 * A clock that follows a tempo curve, by integrating it in sixteenths of a beat.
 *
 * @param start time of beat 0, seconds; @param beats how far it must reach
 */
export function clock(
  meter: Meter,
  bpm: number,
  feel: Feel,
  start: number,
  beats: number,
  random: Chance,
): Clock {
  if (feel === 'steady') return { meter, bpm, steady: true, at: (b) => start + (b * 60) / bpm }
  const steps = 16
  const first = -8
  const count = (beats + 16) * steps
  const times = new Float64Array(count)
  const phase = random.between(0, 6)
  const length = random.between(12, 24)
  let walk = 0
  let t = 0
  for (let i = 0; i < count; i++) {
    times[i] = t
    const b = first + i / steps
    if (i % (steps * 2) === 0) walk = Math.max(-0.05, Math.min(0.05, walk + random.loose(0.01)))
    const share = Math.max(0, Math.min(1, b / beats))
    const factor =
      feel === 'drift'
        ? 1 + 0.04 * Math.sin((2 * Math.PI * b) / beats + phase)
        : feel === 'accelerando'
          ? 1 + 0.14 * share
          : feel === 'loose'
            ? 1 + walk
            : 1 + 0.08 * Math.sin((2 * Math.PI * b) / length + phase)
    t += 60 / (bpm * factor * steps)
  }
  const zero = times[-first * steps]!
  const at = (b: number): number => {
    const x = Math.max(0, Math.min(count - 1.001, (b - first) * steps))
    const i = Math.floor(x)
    return start + times[i]! + (x - i) * (times[i + 1]! - times[i]!) - zero
  }
  return { meter, bpm: 60 / ((at(beats) - at(0)) / beats), steady: false, at }
}

export interface Hit {
  /** Beats from the bar's start. */
  readonly at: number
  readonly sound: Strike
  readonly level: number
}

const hits = (sound: Strike, level: number, ...at: number[]): Hit[] =>
  at.map((a) => ({ at: a, sound, level }))
const every = (sound: Strike, step: number, bar: number, level: number, soft = 0.6): Hit[] =>
  Array.from({ length: Math.round(bar / step) }, (_, i) => ({
    at: i * step,
    sound,
    level: i % 2 ? level * soft : level,
  }))

/** One-bar patterns by meter; beats of 6/8 are eighths. */
export const GROOVES: Record<string, Record<string, readonly Hit[]>> = {
  '4/4': {
    backbeat: [...hits('kick', 1, 0, 2), ...hits('snare', 0.8, 1, 3), ...every('hat', 0.5, 4, 0.45)],
    busy: [
      ...hits('kick', 1, 0, 1.5, 2.5),
      ...hits('snare', 0.8, 1, 3),
      ...hits('snare', 0.25, 1.75, 2.25),
      ...every('hat', 0.25, 4, 0.4),
    ],
    floor: [
      ...hits('kick', 1, 0, 1, 2, 3),
      ...hits('open', 0.4, 0.5, 1.5, 2.5, 3.5),
      ...hits('clap', 0.6, 1, 3),
    ],
    syncopated: [
      ...hits('kick', 1, 0, 0.75, 2.5),
      ...hits('snare', 0.8, 1, 3),
      ...hits('tom', 0.5, 3.5),
      ...every('hat', 0.5, 4, 0.35),
    ],
    half: [...hits('kick', 1, 0, 2.75), ...hits('snare', 0.9, 2), ...every('hat', 0.5, 4, 0.4)],
    swing: [
      ...hits('ride', 0.7, 0, 1, 1.667, 2, 3, 3.667),
      ...hits('hat', 0.5, 1, 3),
      ...hits('kick', 0.5, 0, 2),
      ...hits('snare', 0.25, 2.667),
    ],
    shuffle: [
      ...hits('kick', 1, 0, 2, 2.667),
      ...hits('snare', 0.8, 1, 3),
      ...hits('hat', 0.45, 0, 0.667, 1, 1.667, 2, 2.667, 3, 3.667),
    ],
    shaker: [...every('shaker', 0.25, 4, 0.5), ...hits('kick', 0.8, 0, 1.5, 2), ...hits('tom', 0.5, 3)],
  },
  '3/4': {
    waltz: [...hits('kick', 1, 0), ...hits('snare', 0.45, 1, 2), ...hits('hat', 0.3, 0.5, 1.5, 2.5)],
    slow: [...hits('kick', 1, 0), ...hits('snare', 0.7, 2), ...every('hat', 0.5, 3, 0.4)],
    ride: [...hits('ride', 0.6, 0, 1, 1.667, 2), ...hits('kick', 0.7, 0), ...hits('hat', 0.5, 1, 2)],
  },
  '2/4': {
    polka: [...hits('kick', 1, 0), ...hits('snare', 0.6, 1), ...hits('hat', 0.4, 0.5, 1.5)],
    march: [...hits('kick', 1, 0), ...hits('snare', 0.6, 1, 1.5, 1.75)],
  },
  '6/8': {
    ballad: [...hits('kick', 1, 0), ...hits('snare', 0.8, 3), ...every('hat', 1, 6, 0.4, 0.9)],
    jig: [...hits('tom', 1, 0), ...hits('tom', 0.65, 3), ...hits('shaker', 0.45, 0, 1, 2, 3, 4, 5)],
    rolling: [...hits('kick', 1, 0, 5), ...hits('snare', 0.8, 3), ...every('ride', 1, 6, 0.4, 0.8)],
  },
}

/** One-bar patterns of a frame drum under quick dances, every part of the beat struck or nearly. */
export const DANCES: Record<string, Record<string, readonly Hit[]>> = {
  '6/8': {
    lilt: [
      ...hits('tom', 1, 0),
      ...hits('tom', 0.7, 3),
      ...hits('shaker', 0.3, 1, 4),
      ...hits('shaker', 0.5, 2, 5),
    ],
    gallop: [...hits('tom', 1, 0), ...hits('tom', 0.8, 3), ...hits('shaker', 0.5, 2, 5)],
  },
  '4/4': {
    reel: [
      ...hits('tom', 1, 0),
      ...hits('tom', 0.7, 2),
      ...hits('tom', 0.4, 1, 3),
      ...every('shaker', 0.5, 4, 0.4),
    ],
  },
  '3/4': {
    mazurka: [
      ...hits('tom', 1, 0),
      ...hits('tom', 0.5, 1),
      ...hits('tom', 0.7, 2),
      ...every('shaker', 0.5, 3, 0.4),
    ],
    turning: [...hits('tom', 1, 0), ...hits('tom', 0.45, 1, 2), ...hits('shaker', 0.3, 0.5, 1.5, 2.5)],
  },
}

/** A diatonic triad as pitch classes over the tonic, by degree 0-6. */
export function triad(key: Key, degree: number): number[] {
  const scale = SCALES[key.mode]
  return [0, 2, 4].map((i) => (key.tonic + scale[(degree + i) % 7]!) % 12)
}

/** Progressions by degree; each bar has one chord. */
export const PROGRESSIONS: Record<Key['mode'], readonly (readonly number[])[]> = {
  major: [
    [0, 4, 5, 3],
    [0, 5, 3, 4],
    [0, 3, 4, 0],
    [0, 3, 0, 4],
    [0, 1, 4, 0],
  ],
  minor: [
    [0, 5, 2, 6],
    [0, 3, 4, 0],
    [0, 6, 5, 6],
    [0, 3, 0, 4],
  ],
}

/** Pitch classes placed as a chord in a range, lowest first. */
export function voicing(classes: readonly number[], low: number, count: number): number[] {
  const out: number[] = []
  for (let m = low; out.length < count; m++) if (classes.includes(m % 12)) out.push(m)
  return out
}

export interface MelodyNote {
  readonly at: number
  readonly length: number
  readonly midi: number
}

/** A stepwise tune over a progression: durations on the grid, chord notes on strong places. */
export function melody(
  key: Key,
  degrees: readonly number[],
  bar: number,
  low: number,
  high: number,
  steps: readonly number[],
  random: Chance,
): MelodyNote[] {
  const scale: number[] = []
  for (let m = low; m <= high; m++)
    if ((SCALES[key.mode] as readonly number[]).includes((m - key.tonic + 120) % 12)) scale.push(m)
  let place = Math.floor(scale.length / 2)
  const notes: MelodyNote[] = []
  degrees.forEach((degree, b) => {
    const chord = triad(key, degree)
    let at = 0
    while (at < bar - 1e-6) {
      const length = Math.min(bar - at, random.pick(steps))
      const step = random.pick([-2, -1, -1, 1, 1, 2, 0, random.often(0.3) ? 4 : -3])
      place = Math.max(0, Math.min(scale.length - 1, place + step))
      if (at === 0) {
        const near = scale.map((m, i) => ({ i, d: Math.abs(i - place) + (chord.includes(m % 12) ? 0 : 100) }))
        place = near.sort((x, y) => x.d - y.d)[0]!.i
      }
      if (!random.often(0.18)) notes.push({ at: b * bar + at, length, midi: scale[place]! })
      at += length
    }
  })
  return notes
}
