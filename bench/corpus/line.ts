// Single-note lines: plays a list of notes on a sustained or plucked instrument, with the pitch truth.
import { addAt } from '../../demo/instruments/room'
import { pluckString } from '../../demo/instruments/string'
import { chance, type Chance } from './chance'
import { hammered } from './strikes'
import { blown, bowed, consonant, sung } from './tones'
import type { TrueNote, TruePitch } from './types'

export type Voice = 'string' | 'bass' | 'keys' | 'bowed' | 'flute' | 'reed' | 'sung'
export type Sustained = 'bowed' | 'flute' | 'reed' | 'sung'

export interface ScoreNote {
  readonly start: number
  readonly end: number
  readonly midi: number
  readonly level: number
}

export interface LinePlay {
  readonly sound: Float32Array
  readonly notes: readonly TrueNote[]
  readonly pitch: TruePitch
}

export interface Manner {
  /** Share of notes joined to the one before without a new attack. */
  readonly legato: number
  /** Vibrato: cents each way and cycles a second. */
  readonly vibrato: number
  readonly speed: number
  /** How far notes are out of tune, cents (spread). */
  readonly intonation: number
  /** Tremolo: share of the level. */
  readonly tremolo: number
}

export const PITCH_HOP = 0.005
const hz = (midi: number): number => 440 * 2 ** ((midi - 69) / 12)
const smooth = (x: number): number => (x <= 0 ? 0 : x >= 1 ? 1 : x * x * (3 - 2 * x))

/** After a note's end it still sounds, and softly; whether that is voiced is nobody's truth. */
const RELEASE = { struck: 0.15, sustained: 0.08 } as const

/** Writes a note's pitch, and NaN over its release. */
function fill(
  f0: number[],
  start: number,
  end: number,
  release: number,
  pitchAt: (seconds: number) => number,
): void {
  const last = Math.min(f0.length, Math.ceil((end + release) / PITCH_HOP))
  for (let k = Math.ceil(start / PITCH_HOP); k < last; k++)
    f0[k] = k * PITCH_HOP < end ? pitchAt(k * PITCH_HOP) : NaN
}

/** Plucked or hammered notes; a note is damped where the next begins. */
export function struckLine(
  score: readonly ScoreNote[],
  voice: 'string' | 'bass' | 'keys',
  seconds: number,
  rate: number,
  seed: number,
): LinePlay {
  const random = chance(seed)
  const sound = new Float32Array(Math.round(seconds * rate))
  const f0 = new Array<number>(Math.ceil(seconds / PITCH_HOP)).fill(0)
  const bright = voice === 'bass' ? random.between(0.2, 0.5) : random.between(0.35, 0.9)
  score.forEach((n, i) => {
    const at = Math.round(n.start * rate)
    const held = n.end - at / rate
    const note =
      voice === 'keys'
        ? hammered(n.midi, held, n.level, rate, seed + i)
        : pluckString(
            {
              midi: n.midi,
              length: held,
              level: n.level,
              bright,
              position: 0.18,
              t60: voice === 'bass' ? 4 : 2.5,
            },
            rate,
            seed + i,
          )
    addAt(sound, note, at, 0.5)
    fill(f0, n.start, n.end, RELEASE.struck, () => hz(n.midi))
  })
  return {
    sound,
    notes: score.map(({ start, end, midi }) => ({ start, end, midi })),
    pitch: { hop: PITCH_HOP, f0 },
  }
}

interface Phrase {
  readonly notes: readonly (ScoreNote & { readonly tuned: number })[]
}

/** Groups of notes that follow each other without a break. */
function phrases(score: readonly ScoreNote[], manner: Manner, random: Chance): Phrase[] {
  const out: (ScoreNote & { tuned: number })[][] = []
  score.forEach((n, i) => {
    const tuned = n.midi + random.loose(manner.intonation) / 100
    const last = out[out.length - 1]
    const before = score[i - 1]
    const joined =
      last && before && n.start - before.end < 0.03 && n.midi !== before.midi && random.often(manner.legato)
    if (joined) {
      last[last.length - 1] = { ...last[last.length - 1]!, end: n.start }
      last.push({ ...n, tuned })
    } else out.push([{ ...n, tuned }])
  })
  return out.map((notes) => ({ notes }))
}

const ATTACK: Record<Sustained, readonly [number, number]> = {
  bowed: [0.03, 0.09],
  flute: [0.03, 0.07],
  reed: [0.015, 0.04],
  sung: [0.025, 0.07],
}

/** Bowed, blown or sung notes: soft attacks, glides between joined notes, vibrato that sets in late. */
export function sustainedLine(
  score: readonly ScoreNote[],
  voice: Sustained,
  manner: Manner,
  seconds: number,
  rate: number,
  seed: number,
): LinePlay {
  const random = chance(seed)
  const sound = new Float32Array(Math.round(seconds * rate))
  const f0 = new Array<number>(Math.ceil(seconds / PITCH_HOP)).fill(0)
  const notes: TrueNote[] = []
  let vowel = 0
  for (const [p, phrase] of phrases(score, manner, random).entries()) {
    const first = phrase.notes[0]!
    const last = phrase.notes[phrase.notes.length - 1]!
    const from = Math.round(first.start * rate)
    const n = Math.round(last.end * rate) - from
    if (n < 0.04 * rate) continue
    const pitch = new Float32Array(n)
    const level = new Float32Array(n)
    const attack = random.between(...ATTACK[voice])
    const release = Math.min(0.06, (n / rate) * 0.25)
    const scoop = voice === 'sung' && random.often(0.4) ? random.between(0.3, 1) : 0
    const glide = voice === 'sung' ? random.between(0.04, 0.09) : random.between(0.012, 0.035)
    let k = 0
    let swing = random.between(0, 2 * Math.PI)
    for (let i = 0; i < n; i++) {
      const t = first.start + i / rate
      while (k + 1 < phrase.notes.length && t >= phrase.notes[k + 1]!.start + glide / 2) k++
      const note = phrase.notes[k]!
      const next = phrase.notes[k + 1]
      let midi = note.tuned
      const before = phrase.notes[k - 1]
      if (before && t < note.start + glide / 2)
        midi = before.tuned + (midi - before.tuned) * smooth((t - note.start + glide / 2) / glide)
      if (next && t > next.start - glide / 2)
        midi += (next.tuned - midi) * smooth((t - next.start + glide / 2) / glide)
      if (scoop && k === 0) midi -= scoop * (1 - smooth((t - first.start) / 0.09))
      const settled = smooth((t - note.start - 0.15) / 0.25)
      swing += (2 * Math.PI * manner.speed) / rate
      midi += (manner.vibrato / 100) * settled * Math.sin(swing)
      pitch[i] = hz(midi)
      // Seven time constants away nothing is left of it.
      const dip =
        before && Math.abs(t - note.start) < 0.14 ? 1 - 0.25 * Math.exp(-(((t - note.start) / 0.02) ** 2)) : 1
      level[i] =
        note.level *
        dip *
        smooth((t - first.start) / attack) *
        smooth((last.end - t) / release) *
        (1 + manner.tremolo * Math.sin(2 * swing + 1))
    }
    const tone = { pitch, level }
    if (voice === 'sung') vowel = (vowel + random.whole(1, 4)) % 5
    const made =
      voice === 'bowed'
        ? bowed(tone, rate, seed + p)
        : voice === 'sung'
          ? sung(tone, rate, vowel, seed + p)
          : blown(tone, rate, voice === 'reed', seed + p)
    addAt(sound, made, from, 0.6)
    if (voice === 'sung' && random.often(0.35)) {
      const hiss = consonant(random.between(0.03, 0.06), rate, seed + p)
      addAt(sound, hiss, from - Math.round(hiss.length * 0.7), 0.15 * first.level)
    }
    fill(
      f0,
      first.start,
      last.end,
      RELEASE.sustained,
      (t) => pitch[Math.min(n - 1, Math.max(0, Math.round(t * rate) - from))]!,
    )
    for (const [j, note] of phrase.notes.entries())
      notes.push({ start: note.start, end: phrase.notes[j + 1]?.start ?? last.end, midi: note.tuned })
  }
  return { sound, notes, pitch: { hop: PITCH_HOP, f0 } }
}
