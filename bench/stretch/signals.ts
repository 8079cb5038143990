// What is stretched, by what, and how it is told.
import { defaultAttacks, measure } from '../../src/core/analysis/analyse'
import { attackPlaces } from '../../src/core/analysis/select'
import type { Transient } from '../../src/core/analysis/transients'
import { protectedBy } from '../../src/core/stretch/spans'
import { stretchAudio } from '../../src/core/stretch/stretch'
import { DEFAULT_STRETCH, type MethodName } from '../../src/core/stretch/types'
import { bandPiece, linePiece } from '../corpus/pieces'
import { sampledCorpus } from '../corpus/sampled'
import type { Piece } from '../corpus/types'
import type { Stretching } from './references'

export const RATE = 44100
export const RATIO = 1.25

/** The attacks that an untouched recording has and a method protects, samples. */
export const attacksFor = (method: MethodName, transients: readonly Transient[], rate: number): number[] =>
  attackPlaces(defaultAttacks(transients, rate), protectedBy(method))

/** A method of ours with attacks that are told, samples. */
export const withAttacks =
  (
    method: MethodName,
    attacksIn: (channels: readonly Float32Array[], rate: number) => readonly number[],
  ): Stretching =>
  (channels, rate, ratio) => {
    const attacks = attacksIn(channels, rate)
    const length = channels[0]!.length
    const map = [
      { source: 0, target: 0 },
      { source: length, target: Math.round(length * ratio) },
    ]
    return stretchAudio({ channels, sampleRate: rate }, map, attacks, { ...DEFAULT_STRETCH, method })
  }

/** A method of ours with the attacks that the analysis finds. */
export const ours = (method: MethodName): Stretching =>
  withAttacks(method, (channels, rate) => attacksFor(method, measure(channels, rate).transients, rate))

/** A piece to stretch, and the methods that are meant for its kind. */
export interface Signal {
  readonly name: string
  readonly methods: readonly MethodName[]
  readonly make: () => Piece
}

const plan = { meter: '4/4', bpm: 104, feel: 'steady', bars: 4, bass: false, tune: null } as const
export const SIGNALS: readonly Signal[] = [
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

/** Sampled pieces are of a seed that no method was tried on, and are cut after so many seconds. */
const SEED = 770000
const SECONDS = 10
const SAMPLED = /nylon|finger bass|cello|oboe|sampled voice|no drums|busy|shuffle|slow|swing|jig|kit/

function methodsFor(kind: Piece['kind']): readonly MethodName[] {
  if (kind === 'drums') return ['hits']
  return kind === 'mix' || kind === 'chords' ? ['mix', 'chords'] : ['line', 'chords']
}

/** Lines, bands and kits of sampled instruments. */
export const sampledSignals = (): Signal[] =>
  sampledCorpus(SEED)
    .map((make) => make())
    .filter((piece) => SAMPLED.test(piece.name))
    .map((piece, i) => ({
      name: `${i + 1} ${piece.name.replace('sampled ', '')}`,
      methods: methodsFor(piece.kind),
      make: () => ({
        ...piece,
        channels: piece.channels.map((x) => x.slice(0, SECONDS * piece.sampleRate)),
        onsets: piece.onsets.filter((t) => t < SECONDS - 0.5),
      }),
    }))

export const row = (cells: readonly string[]): void =>
  void process.stdout.write(`${cells.map((c, i) => (i < 2 ? c.padEnd(16) : c.padStart(10))).join(' ')}\n`)
