// Parts of a band on a clock: drums, bass, chords and tune, each as sound with its onsets and notes.
import { addAt } from '../../demo/instruments/room'
import { pluckString } from '../../demo/instruments/string'
import type { Chance } from './chance'
import type { ScoreNote } from './line'
import { melody, triad, voicing, type Clock, type Hit, type Key } from './score'
import { hammered, strike } from './strikes'
import { harmonics } from './tones'

export interface Part {
  readonly sound: Float32Array
  readonly onsets: readonly number[]
}

export interface Frame {
  readonly clock: Clock
  readonly bars: number
  readonly seconds: number
  readonly rate: number
  /** Human looseness, seconds (spread). */
  readonly loose: number
}

const blank = (f: Frame): Float32Array => new Float32Array(Math.round(f.seconds * f.rate))

/**
 * The pattern in every bar, with fills and left-out strokes, and now and then a flam.
 *
 * @param struck what a stroke sounds like
 */
export function drums(
  f: Frame,
  pattern: readonly Hit[],
  flams: number,
  random: Chance,
  struck: typeof strike = strike,
): Part {
  const sound = blank(f)
  const onsets: number[] = []
  const tune = random.between(0.85, 1.2)
  const bar = f.clock.meter.beatsPerBar
  for (let b = 0; b < f.bars; b++)
    for (const hit of pattern) {
      if (hit.level < 0.4 && random.often(0.05)) continue
      const time = f.clock.at(b * bar + hit.at) + random.loose(f.loose)
      const at = Math.round(time * f.rate)
      if (at < 0 || at > sound.length - 100) continue
      const level = hit.level * random.between(0.85, 1.1)
      const make = (seed: number): Float32Array => struck(hit.sound, f.rate, seed, tune)
      addAt(sound, make(1000 * b + at), at, 0.6 * level)
      if (hit.sound === 'snare' && random.often(flams))
        addAt(sound, make(at + 7), at + Math.round(random.between(0.018, 0.03) * f.rate), 0.6 * level)
      onsets.push(at / f.rate)
    }
  return { sound, onsets }
}

/** Chords from `degrees`, one a bar, struck at the given places of the bar; strummed over `strum` seconds. */
export function chords(
  f: Frame,
  key: Key,
  degrees: readonly number[],
  places: readonly number[],
  voice: 'guitar' | 'piano' | 'organ',
  strum: number,
  random: Chance,
): Part {
  const sound = blank(f)
  const onsets: number[] = []
  const bar = f.clock.meter.beatsPerBar
  const low = voice === 'guitar' ? 45 + random.whole(0, 6) : 48 + random.whole(0, 8)
  for (let b = 0; b < f.bars; b++) {
    const notes = voicing(triad(key, degrees[b % degrees.length]!), low, voice === 'guitar' ? 5 : 4)
    places.forEach((place, i) => {
      const time = Math.round((f.clock.at(b * bar + place) + random.loose(f.loose)) * f.rate) / f.rate
      const next = f.clock.at(b * bar + (places[i + 1] ?? bar))
      if (time < 0 || time > f.seconds - 0.1) return
      const level = (i === 0 ? 0.9 : 0.65) * random.between(0.9, 1.1)
      const order = voice === 'guitar' && i % 2 ? [...notes].reverse() : notes
      order.forEach((midi, s) => {
        const start = time + (s * strum) / order.length
        const held = Math.max(0.08, next - start - 0.01)
        const seed = 31 * b + 7 * i + s
        if (voice === 'organ') {
          const n = Math.round(held * f.rate)
          const fade = (k: number): number => Math.min(1, k / (0.012 * f.rate), (n - k) / (0.03 * f.rate))
          const tone = {
            pitch: new Float32Array(n).fill(440 * 2 ** ((midi - 69) / 12)),
            level: new Float32Array(n).map((_, k) => 0.14 * level * fade(k)),
          }
          const drawn = [0, 1, 0.7, 0.5, 0.3, 0, 0.2, 0, 0.15]
          addAt(
            sound,
            harmonics(tone, f.rate, (h) => drawn[h] ?? 0, 8000, s),
            Math.round(start * f.rate),
          )
        } else {
          const note =
            voice === 'guitar'
              ? pluckString(
                  { midi, length: held, level, bright: 0.7, position: 0.17, t60: 2.5 },
                  f.rate,
                  seed,
                )
              : hammered(midi, held, level, f.rate, seed)
          addAt(sound, note, Math.round(start * f.rate), 0.3)
        }
      })
      onsets.push(time)
    })
  }
  return { sound, onsets }
}

/** Roots and fifths. */
export function bassLine(
  f: Frame,
  key: Key,
  degrees: readonly number[],
  places: readonly number[],
  random: Chance,
): ScoreNote[] {
  const bar = f.clock.meter.beatsPerBar
  const out: ScoreNote[] = []
  for (let b = 0; b < f.bars; b++) {
    const [root, , fifth] = triad(key, degrees[b % degrees.length]!)
    places.forEach((place, i) => {
      const start = f.clock.at(b * bar + place) + random.loose(f.loose)
      const end = f.clock.at(b * bar + (places[i + 1] ?? bar)) - 0.02
      const octave = 36 + ((root! + 12 - 4) % 12) - ((36 + 8) % 12)
      const base = octave < 28 ? octave + 12 : octave
      const tone = base + ((root! - (base % 12) + 12) % 12)
      out.push({ start, end, midi: i % 2 ? tone + ((fifth! - root! + 12) % 12) : tone, level: 0.9 })
    })
  }
  return out.filter((n) => n.start > 0 && n.end < f.seconds)
}

/** A tune as notes in seconds. @param gap seconds of silence before the next note, 0 for joined notes */
export function tune(
  f: Frame,
  key: Key,
  degrees: readonly number[],
  low: number,
  high: number,
  steps: readonly number[],
  gap: number,
  random: Chance,
): ScoreNote[] {
  const bar = f.clock.meter.beatsPerBar
  const all = Array.from({ length: f.bars }, (_, b) => degrees[b % degrees.length]!)
  const notes = melody(key, all, bar, low, high, steps, random)
  const starts = notes.map((n) => f.clock.at(n.at) + random.loose(f.loose))
  return notes
    .map((n, i) => {
      const natural = f.clock.at(n.at + n.length) - gap
      const next = starts[i + 1]
      const touching = notes[i + 1] && Math.abs(notes[i + 1]!.at - n.at - n.length) < 1e-6
      const end =
        next !== undefined ? (touching && gap === 0 ? next : Math.min(natural, next - gap)) : natural
      return { start: starts[i]!, end, midi: n.midi, level: random.between(0.6, 0.95) }
    })
    .filter((n) => n.start > 0 && n.end < f.seconds && n.end - n.start > 0.06)
}
