// "Slack Water": a canal-boat band's session at 92 BPM, sixteen bars of 4/4, with its faults put in on purpose.
import { randomFrom } from '../src/core/dsp/random'
import { drumStroke, type Stroke } from './instruments/drum'
import { addAt, addHiss, normalize, smallRoom } from './instruments/room'
import { pluckString, throughBody } from './instruments/string'

export const BPM = 92
export const BARS = 16
export const SAMPLE_RATE = 44100
/** Silence of the room before bar 1, seconds. */
export const PRE_ROLL = 0.5
const BEAT = 60 / BPM

/** What was really played: the truth that detection and correction are measured against. */
export interface TrueOnset {
  /** Start of the attack in the recording, seconds. */
  readonly time: number
  /** Where the player meant it, seconds of the recording. */
  readonly intended: number
  /** Where the player meant it, quarter notes from bar 1 beat 1. */
  readonly beat: number
  /** What sounds: a stroke, or MIDI notes. */
  readonly sound: Stroke | readonly number[]
}

export interface DemoTrack {
  readonly name: string
  /** The stretch method that suits it. */
  readonly method: 'hits' | 'line' | 'chords'
  readonly channels: readonly Float32Array[]
  readonly onsets: readonly TrueOnset[]
}

interface Event {
  readonly beat: number
  readonly level: number
}

type Jitter = () => number

/** Human looseness: a roughly normal deviation of the given spread, seconds. */
function looseness(seed: number, spread: number): Jitter {
  const random = randomFrom(seed)
  return () => spread * (random() + random() + random() + random() - 2) * Math.sqrt(3)
}

const intendedTime = (beat: number): number => PRE_ROLL + beat * BEAT
const LENGTH = Math.round((PRE_ROLL + BARS * 4 * BEAT + 1.2) * SAMPLE_RATE)
const barOf = (beat: number): number => Math.floor(beat / 4) + 1
const place = (onset: number): number => Math.round(onset * SAMPLE_RATE)

function drum(): DemoTrack {
  const jitter = looseness(11, 0.0032)
  const random = randomFrom(12)
  const figures: [number, Stroke, number][][] = [
    [
      [0, 'low', 1],
      [1, 'edge', 0.5],
      [1.5, 'edge', 0.62],
      [2, 'low', 0.8],
      [3, 'slap', 0.8],
      [3.5, 'edge', 0.45],
    ],
    [
      [0, 'low', 1],
      [0.5, 'edge', 0.4],
      [1, 'slap', 0.7],
      [2, 'low', 0.85],
      [2.5, 'edge', 0.55],
      [3, 'slap', 0.85],
    ],
    [
      [0, 'low', 0.95],
      [1, 'edge', 0.6],
      [1.5, 'low', 0.6],
      [2, 'low', 0.85],
      [3, 'slap', 0.85],
      [3.5, 'edge', 0.5],
      [3.75, 'edge', 0.6],
    ],
  ]
  const order = [0, 1, 0, 2, 0, 1, 0, 2, 1, 0, 1, 2, 0, 1, 0, 2]
  const dry = new Float32Array(LENGTH)
  const onsets: TrueOnset[] = []
  order.forEach((figure, bar) => {
    for (const [offset, sound, level] of figures[figure]!) {
      const beat = bar * 4 + offset
      // Fault: beat 3 late by 35 ms in bars 5-8.
      const late = offset === 2 && bar >= 4 && bar < 8 ? 0.035 : 0
      const time = place(intendedTime(beat) + jitter() + late) / SAMPLE_RATE
      const stroke = drumStroke(sound, SAMPLE_RATE, 1000 + onsets.length)
      addAt(dry, stroke, place(time), level * (0.92 + 0.16 * random()))
      onsets.push({ time, intended: intendedTime(beat), beat, sound })
    }
  })
  return { name: 'Frame drum', method: 'hits', channels: twoMicrophones(dry, 31, 0.06), onsets }
}

/** A near stereo pair: the right microphone hears everything 0.2 ms later, a little softer, in its own hiss. */
function twoMicrophones(dry: Float32Array, seed: number, room: number): Float32Array[] {
  const left = smallRoom(dry, SAMPLE_RATE, room)
  const delayed = new Float32Array(dry.length)
  addAt(delayed, dry, 9, 0.86)
  const right = smallRoom(delayed, SAMPLE_RATE, room, 0.011, 1.13)
  normalize([left, right], 0.7)
  addHiss(left, -78, seed)
  addHiss(right, -78, seed + 1)
  return [left, right]
}

/** Chords of the tune, one a bar: Dm, C, Gm, A and their company, as cittern voicings (MIDI). */
const CHORDS: Record<string, readonly number[]> = {
  Dm: [50, 57, 62, 65, 69],
  C: [48, 55, 60, 64, 67],
  F: [53, 57, 60, 65, 69],
  Gm: [55, 58, 62, 67, 70],
  Bb: [46, 53, 58, 62, 65],
  A: [45, 52, 57, 61, 64],
}
const TUNE = ['Dm', 'C', 'Dm', 'A', 'Dm', 'F', 'Gm', 'A', 'Bb', 'F', 'Gm', 'Dm', 'Bb', 'C', 'A', 'Dm']

const CITTERN_BODY = [
  [118, 9, 0.9],
  [236, 12, 0.7],
  [428, 10, 0.4],
  [1250, 5, 0.25],
] as const

/** Bars 9-10 rush progressively, to 70 ms early at the last chord; one chord of bar 13 is 95 ms late. */
function citternFault(beat: number): number {
  const bar = barOf(beat)
  if (bar === 9 || bar === 10) return -0.07 * Math.min(1, (beat - 32) / 7)
  return beat === 50 ? 0.095 : 0
}

function cittern(): DemoTrack {
  const jitter = looseness(21, 0.0035)
  const random = randomFrom(22)
  const patterns: Event[][] = [
    [
      { beat: 0, level: 1 },
      { beat: 1, level: 0.6 },
      { beat: 2, level: 0.85 },
      { beat: 3, level: 0.65 },
    ],
    [
      { beat: 0, level: 1 },
      { beat: 1.5, level: 0.7 },
      { beat: 2, level: 0.8 },
      { beat: 3, level: 0.7 },
      { beat: 3.5, level: 0.6 },
    ],
  ]
  const dry = new Float32Array(LENGTH)
  const onsets: TrueOnset[] = []
  const events = TUNE.flatMap((chord, bar) => {
    const last = bar === BARS - 1
    const pattern = last ? [{ beat: 0, level: 1 }] : patterns[bar % 2]!
    return pattern.map((e, i) => ({
      beat: bar * 4 + e.beat,
      level: e.level,
      notes: CHORDS[chord]!,
      next: pattern[i + 1]?.beat ?? 4,
      at: e.beat,
    }))
  })
  const starts = events.map((e) => intendedTime(e.beat) + jitter() + citternFault(e.beat))
  events.forEach((e, k) => {
    const time = place(starts[k]!) / SAMPLE_RATE
    const ends = starts[k + 1] ?? time + 3.4
    const downStroke = Number.isInteger(e.beat)
    const notes = downStroke ? e.notes : [...e.notes].reverse().slice(0, 3)
    notes.forEach((midi, string) => {
      const offset = string * (0.0035 + 0.0015 * random())
      const pluck = {
        midi,
        length: Math.max(0.05, ends - time - offset - 0.012),
        level: e.level * (0.85 + 0.3 * random()),
        bright: 0.75,
        position: 0.17,
        t60: 2.6,
      }
      addAt(dry, pluckString(pluck, SAMPLE_RATE, 2000 + 10 * k + string), place(time + offset))
    })
    onsets.push({ time, intended: intendedTime(e.beat), beat: e.beat, sound: e.notes })
  })
  return {
    name: 'Cittern',
    method: 'chords',
    channels: twoMicrophones(throughBody(dry, SAMPLE_RATE, CITTERN_BODY), 41, 0.04),
    onsets,
  }
}

const ROOTS: Record<string, number> = { Dm: 38, C: 36, F: 41, Gm: 43, Bb: 34, A: 33 }

function bass(): DemoTrack {
  const jitter = looseness(51, 0.003)
  const out = new Float32Array(LENGTH)
  const onsets: TrueOnset[] = []
  const events = TUNE.flatMap((chord, bar) => {
    const root = ROOTS[chord]!
    const next = ROOTS[TUNE[bar + 1] ?? 'Dm']!
    const line: [number, number][] =
      bar === BARS - 1
        ? [[0, root]]
        : [
            [0, root],
            [1.5, root + 7],
            [2, root + 12],
            [3, next > root ? next - 2 : next + 2],
          ]
    return line.map(([offset, midi]) => ({ beat: bar * 4 + offset, midi }))
  })
  // Fault: the whole bass drags by 20 ms.
  const starts = events.map((e) => intendedTime(e.beat) + jitter() + 0.02)
  events.forEach((e, k) => {
    const time = place(starts[k]!) / SAMPLE_RATE
    const ends = starts[k + 1] ?? time + 3
    const pluck = {
      midi: e.midi,
      length: ends - time - 0.03,
      level: 0.9,
      bright: 0.3,
      position: 0.2,
      t60: 3.5,
    }
    addAt(out, pluckString(pluck, SAMPLE_RATE, 5000 + k), place(time))
    onsets.push({ time, intended: intendedTime(e.beat), beat: e.beat, sound: [e.midi] })
  })
  const body = throughBody(out, SAMPLE_RATE, [
    [92, 6, 0.6],
    [180, 8, 0.4],
  ])
  normalize([body], 0.6)
  addHiss(body, -80, 61)
  return { name: 'Bass', method: 'line', channels: [body], onsets }
}

/** The three recordings with their truth; the same samples on every run. */
export const slackWater = (): DemoTrack[] => [drum(), cittern(), bass()]
