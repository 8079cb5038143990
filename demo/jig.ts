// "Reedcutters": a jig in 6/8 for frame drum and concertina, played without a click; its tempo wanders.
import { randomFrom } from '../src/core/dsp/random'
import { drumStroke, type Stroke } from './instruments/drum'
import { reedNote } from './instruments/reed'
import { addAt, addHiss, normalize, smallRoom } from './instruments/room'
import type { DemoTrack, TrueOnset } from './slack-water'

export const JIG_RATE = 44100
export const JIG_BARS = 32
/** Slowest and fastest, dotted quarters a minute. */
export const JIG_TEMPO = { low: 104, high: 118 } as const
/** Before beat 1, seconds: the concertina takes breath. */
const LEAD = 1.3

/** Tempo at a bar, dotted quarters a minute: it settles, runs ahead in the second part, and broadens at the end. */
function tempoAt(bar: number): number {
  const middle = (JIG_TEMPO.low + JIG_TEMPO.high) / 2
  const half = (JIG_TEMPO.high - JIG_TEMPO.low) / 2
  const swing =
    0.62 * Math.sin((2 * Math.PI * bar) / 21 - 0.9) + 0.38 * Math.sin((2 * Math.PI * bar) / 8.3 + 0.4)
  return middle + half * Math.max(-1, Math.min(1, swing))
}

/** Times of all eighths, seconds, one more than there are. */
function eighths(): number[] {
  const out = [LEAD]
  for (let k = 0; k < 6 * JIG_BARS; k++) out.push(out[k]! + 60 / tempoAt(k / 6) / 3)
  return out
}

export interface Jig {
  readonly name: string
  readonly tracks: readonly DemoTrack[]
  /** Truth: every eighth; beat counts 1-6 in the bar. */
  readonly beats: readonly { readonly time: number; readonly bar: number; readonly beat: number }[]
}

/** Two eight-bar strains in D, eighths as MIDI notes; 0 holds the note before. */
const STRAINS: readonly (readonly number[])[] = [
  [74, 78, 81, 81, 78, 74, 76, 79, 83, 83, 79, 76, 74, 78, 81, 86, 85, 83, 81, 79, 78, 76, 0, 73],
  [74, 78, 81, 81, 78, 74, 76, 79, 83, 83, 85, 86, 85, 83, 81, 79, 76, 73, 74, 0, 0, 74, 0, 0],
  [86, 0, 85, 86, 83, 81, 79, 83, 79, 78, 81, 78, 76, 79, 76, 74, 78, 74, 73, 76, 79, 81, 0, 0],
  [86, 0, 85, 86, 83, 81, 79, 83, 79, 78, 81, 78, 76, 78, 79, 81, 79, 76, 74, 0, 0, 74, 0, 0],
]
const ORDER = [0, 1, 0, 1, 2, 3, 2, 3]

export function jig(): Jig {
  const grid = eighths()
  const random = randomFrom(71)
  const loose = (spread: number): number =>
    spread * (random() + random() + random() + random() - 2) * Math.sqrt(3)
  const length = Math.round((grid[grid.length - 1]! + 1.5) * JIG_RATE)
  const place = (t: number): number => Math.round(t * JIG_RATE)

  const drum = new Float32Array(length)
  const drumOnsets: TrueOnset[] = []
  const hit = (k: number, sound: Stroke, level: number): void => {
    const time = place(grid[k]! + loose(0.0028)) / JIG_RATE
    addAt(
      drum,
      drumStroke(sound, JIG_RATE, 3000 + drumOnsets.length),
      place(time),
      level * (0.9 + 0.2 * random()),
    )
    drumOnsets.push({ time, intended: grid[k]!, beat: k / 2, sound })
  }
  for (let bar = 0; bar < JIG_BARS; bar++) {
    const k = 6 * bar
    hit(k, 'low', 1)
    hit(k + 1, 'edge', 0.22)
    hit(k + 2, 'edge', 0.36)
    hit(k + 3, bar % 2 ? 'slap' : 'low', bar % 2 ? 0.6 : 0.72)
    // Every fourth bar leaves a stroke out.
    if (bar % 4 !== 3) hit(k + 4, 'edge', 0.22)
    hit(k + 5, 'edge', 0.4)
  }

  const reed = new Float32Array(length)
  const reedOnsets: TrueOnset[] = []
  const tune = ORDER.flatMap((s) => STRAINS[s]!)
  tune.forEach((midi, k) => {
    if (midi === 0) return
    let end = k + 1
    while (end < tune.length && tune[end] === 0) end++
    const time = place(grid[k]! + loose(0.004)) / JIG_RATE
    const sounding = grid[end]! - time - 0.012
    addAt(reed, reedNote({ midi, length: sounding, level: k % 3 === 0 ? 1 : 0.78 }, JIG_RATE), place(time))
    reedOnsets.push({ time, intended: grid[k]!, beat: k / 2, sound: [midi] })
  })

  const rooms = [smallRoom(drum, JIG_RATE, 0.05), smallRoom(reed, JIG_RATE, 0.05, 0.012, 1.1)]
  rooms.forEach((x, i) => {
    normalize([x], i ? 0.5 : 0.7)
    addHiss(x, -78, 81 + i)
  })
  return {
    name: 'Reedcutters',
    tracks: [
      { name: 'Frame drum', method: 'hits', channels: [rooms[0]!], onsets: drumOnsets },
      { name: 'Concertina', method: 'line', channels: [rooms[1]!], onsets: reedOnsets },
    ],
    beats: grid.slice(0, -1).map((time, k) => ({ time, bar: Math.floor(k / 6) + 1, beat: (k % 6) + 1 })),
  }
}
