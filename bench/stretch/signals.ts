// What is stretched, by what, and how it is told.
import { defaultAttacks, measure } from '../../src/core/analysis/analyse'
import { stretchAudio } from '../../src/core/stretch/stretch'
import { DEFAULT_STRETCH, type MethodName } from '../../src/core/stretch/types'
import { bandPiece, linePiece } from '../corpus/pieces'
import type { Piece } from '../corpus/types'
import type { Stretching } from './references'

export const RATE = 44100
export const RATIO = 1.25

/** A method of ours with the attacks that the analysis finds. */
export const ours =
  (method: MethodName): Stretching =>
  (channels, rate, ratio) => {
    const attacks = defaultAttacks(measure(channels, rate).transients, rate).map((t) => t.at)
    const length = channels[0]!.length
    const map = [
      { source: 0, target: 0 },
      { source: length, target: Math.round(length * ratio) },
    ]
    return stretchAudio({ channels, sampleRate: rate }, map, attacks, { ...DEFAULT_STRETCH, method })
  }

const plan = { meter: '4/4', bpm: 104, feel: 'steady', bars: 4, bass: false, tune: null } as const
export const SIGNALS: readonly { name: string; methods: readonly MethodName[]; make: () => Piece }[] = [
  {
    name: 'drums',
    methods: ['hits', 'cuts'],
    make: () => bandPiece('drums', { ...plan, groove: 'busy', chords: null }, 51),
  },
  {
    name: 'guitar',
    methods: ['chords', 'mix'],
    make: () => bandPiece('guitar', { ...plan, groove: null, chords: 'guitar' }, 52),
  },
  {
    name: 'piano',
    methods: ['chords', 'mix'],
    make: () => bandPiece('piano', { ...plan, groove: null, chords: 'piano' }, 53),
  },
  {
    name: 'organ',
    methods: ['chords', 'mix'],
    make: () => bandPiece('organ', { ...plan, groove: null, chords: 'organ' }, 58),
  },
  {
    name: 'band',
    methods: ['mix', 'chords'],
    make: () => bandPiece('band', { ...plan, groove: 'busy', chords: 'guitar', bass: true }, 54),
  },
  { name: 'bass', methods: ['line'], make: () => linePiece('bass', 'bass', 55) },
  { name: 'sung', methods: ['line'], make: () => linePiece('sung', 'sung', 56) },
]

export const row = (cells: readonly string[]): void =>
  void process.stdout.write(`${cells.map((c, i) => (i < 2 ? c.padEnd(16) : c.padStart(10))).join(' ')}\n`)
