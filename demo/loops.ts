// A shelf of five short loops in odd tempos, with what is wrong with them put in on purpose.
import { randomFrom } from '../src/core/dsp/random'
import { drumStroke, type Stroke } from './instruments/drum'
import { addAt, addHiss, normalize } from './instruments/room'
import { pluckString, throughBody } from './instruments/string'
import type { MethodName } from '../src/core/stretch/types'

export const LOOP_RATE = 44100

export interface Loop {
  readonly name: string
  readonly method: MethodName
  readonly samples: Float32Array
  /** Truth: beats a minute, and beats of the music (the file may be longer). */
  readonly bpm: number
  readonly beats: number
  readonly onsets: readonly LoopOnset[]
  readonly fault: string
}

/** A stroke or chord of the first round. */
export interface LoopOnset {
  /** Seconds. */
  readonly time: number
  /** What was plucked, MIDI numbers; nothing for strokes. */
  readonly midi?: readonly number[]
}

type Played = Pick<Loop, 'samples' | 'onsets'>

/** Strokes at eighths of a bar of 4/4. */
const FIGURES: readonly (readonly [number, Stroke, number][])[] = [
  [
    [0, 'low', 1],
    [2, 'slap', 0.8],
    [3, 'edge', 0.4],
    [4, 'low', 0.8],
    [5, 'low', 0.6],
    [6, 'slap', 0.8],
    [7, 'edge', 0.5],
  ],
  [
    [0, 'low', 1],
    [1, 'edge', 0.4],
    [2, 'edge', 0.5],
    [3, 'low', 0.6],
    [4, 'slap', 0.9],
    [6, 'low', 0.7],
    [7, 'edge', 0.5],
  ],
]

/** A drum loop that goes round: what rings past its end rings over its start. */
function drumLoop(bpm: number, bars: number, figure: number, seed: number): Played {
  const random = randomFrom(seed)
  const length = Math.round((bars * 4 * 60 * LOOP_RATE) / bpm)
  const out = new Float32Array(length)
  const onsets: LoopOnset[] = []
  for (let bar = 0; bar < bars; bar++)
    for (const [eighth, stroke, level] of FIGURES[figure]!) {
      const at = Math.round(((bar * 4 + eighth / 2) * 60 * LOOP_RATE) / bpm)
      const sound = drumStroke(stroke, LOOP_RATE, seed + 50 * bar + eighth)
      addAt(out, sound, at, level * (0.92 + 0.16 * random()))
      addAt(out, sound, at - length, level)
      onsets.push({ time: at / LOOP_RATE })
    }
  normalize([out], 0.7)
  addHiss(out, -80, seed)
  return { samples: out, onsets }
}

const CHORDS = [
  [50, 57, 62, 65],
  [48, 55, 60, 64],
] as const

function stringLoop(bpm: number, bars: number, seed: number): Played {
  const beat = 60 / bpm
  const length = Math.round(bars * 4 * beat * LOOP_RATE)
  const out = new Float32Array(length)
  const onsets: LoopOnset[] = []
  for (let bar = 0; bar < bars; bar++)
    for (let k = 0; k < 8; k++) {
      const at = Math.round((bar * 4 + k / 2) * beat * LOOP_RATE)
      const chord = CHORDS[bar % 2]!
      const notes = k % 4 === 0 ? chord : chord.slice(k % 2 ? 2 : 1)
      onsets.push({ time: at / LOOP_RATE, midi: notes })
      notes.forEach((midi, s) => {
        const pluck = {
          midi,
          length: (k % 4 === 0 ? 0.9 : 0.45) * beat,
          level: k % 4 === 0 ? 0.9 : 0.55,
          bright: 0.7,
          position: 0.18,
          t60: 1.6,
        }
        addAt(out, pluckString(pluck, LOOP_RATE, seed + 20 * k + s), at + Math.round(0.003 * s * LOOP_RATE))
      })
    }
  const body = throughBody(out, LOOP_RATE, [
    [118, 9, 0.9],
    [236, 12, 0.7],
  ])
  normalize([body], 0.6)
  addHiss(body, -80, seed)
  return { samples: body, onsets }
}

/** A careless cut: the loop and the start of its next round. */
function withTail({ samples: x, onsets }: Played, seconds: number, seed: number): Played {
  const out = new Float32Array(x.length + Math.round(seconds * LOOP_RATE))
  out.set(x)
  const rest = out.subarray(x.length)
  // The start of the next round is in the cut.
  rest.set(x.subarray(0, rest.length))
  addHiss(rest, -80, seed)
  return { samples: out, onsets: [...onsets, { ...onsets[0]!, time: x.length / LOOP_RATE }] }
}

/** The loops; the same samples on every run. */
export const loops = (): readonly Loop[] => [
  {
    name: 'towpath drums 87.3 bpm',
    method: 'hits',
    ...drumLoop(87.3, 4, 0, 400),
    bpm: 87.3,
    beats: 16,
    fault: 'none',
  },
  {
    name: 'lock gate drums 120 bpm',
    method: 'hits',
    ...drumLoop(112.6, 4, 1, 500),
    bpm: 112.6,
    beats: 16,
    fault: 'the file name says 120',
  },
  {
    name: 'winding hole cittern',
    method: 'chords',
    ...stringLoop(101.7, 4, 600),
    bpm: 101.7,
    beats: 16,
    fault: 'none',
  },
  {
    name: 'tiller drums 64.4 bpm',
    method: 'hits',
    ...drumLoop(128.8, 2, 1, 700),
    bpm: 128.8,
    beats: 8,
    fault: 'the file name says half the tempo',
  },
  {
    name: 'gongoozlers cittern',
    method: 'chords',
    ...withTail(stringLoop(94.1, 2, 800), 0.03, 801),
    bpm: 94.1,
    beats: 8,
    fault: 'cut 30 ms too long',
  },
]
