// A drum alone under quick dances: every player's own pattern, with strokes left out and bars that answer each other; on
// drums of a kit, and on a frame drum.
import { drumStroke } from '../../demo/instruments/drum'
import { chance, type Chance } from './chance'
import { drums } from './parts'
import { drumAlone } from './one-drum'
import { frameOf, METERS, roomOf } from './pieces'
import type { Hit } from './score'
import type { Strike } from './strikes'
import type { Piece } from './types'

/** Dances: strokes a bar, strokes from one accent to the next, and beats a minute. */
const DANCES = [
  { meter: '6/8', strokes: 6, group: 3, slowest: 250, fastest: 370 },
  { meter: '6/8', strokes: 6, group: 3, slowest: 250, fastest: 370 },
  { meter: '4/4', strokes: 8, group: 2, slowest: 85, fastest: 140 },
  { meter: '2/4', strokes: 4, group: 2, slowest: 90, fastest: 150 },
  { meter: '3/4', strokes: 6, group: 2, slowest: 100, fastest: 200 },
] as const
const FEELS = ['steady', 'loose', 'drift', 'rubato'] as const
/** Rounds through the dances. */
const ROUNDS = 9
const SECONDS = 32

/** A player's strokes of some bars, which come again and again. @param bars of the pattern */
function pattern(dance: (typeof DANCES)[number], beats: number, bars: number, random: Chance): Hit[] {
  const { strokes, group } = dance
  const second = random.between(0.55, 0.85)
  const answered = random.often(0.4)
  const other = random.pick(['tom', 'clap', 'shaker'] as const)
  const light = Array.from({ length: strokes }, () => (random.often(0.85) ? random.between(0.15, 0.5) : 0))
  return Array.from({ length: bars * strokes }, (_, i): Hit => {
    const [bar, k] = [Math.floor(i / strokes), i % strokes]
    const at = (bar + k / strokes) * beats
    if (k === 0) return { at, sound: 'tom', level: 1 }
    if (k % group) return { at, sound: 'shaker', level: light[k]! }
    return { at, sound: answered && bar % 2 ? other : 'tom', level: second }
  })
}

/** A frame drum struck in its middle, at its edge, or slapped. @param tune ratio of its pitch */
function frameDrum(kind: Strike, rate: number, seed: number, tune = 1): Float32Array {
  const stroke = kind === 'tom' ? 'low' : kind === 'clap' ? 'slap' : 'edge'
  return drumStroke(stroke, rate / tune, seed)
}

/** @param framed true where a frame drum is played */
function dancePiece(name: string, dance: (typeof DANCES)[number], framed: boolean, seed: number): Piece {
  const random = chance(seed)
  const bpm = random.between(dance.slowest, dance.fastest)
  const beats = METERS[dance.meter]!.beatsPerBar
  const bars = Math.round((SECONDS * bpm) / 60 / beats)
  const f = frameOf(dance.meter, bpm, random.pick(FEELS), bars, random.between(0.05, 1.4), random)
  const phrase = pattern(dance, beats, 4, random)
  const hits = Array.from({ length: bars }, (_, b) =>
    phrase
      .filter((h) => Math.floor(h.at / beats) === b % 4 && h.level > 0)
      .map((h) => ({ ...h, at: h.at + (b - (b % 4)) * beats })),
  ).flat()
  const left = random.between(0, 0.12)
  const heard = hits.filter((h) => h.level > 0.5 || !random.often(left))
  const part = drums({ ...f, bars: 1 }, heard, 0, random, framed ? frameDrum : undefined)
  return drumAlone(name, f, part, roomOf(random), seed)
}

/** Makers of the dances of a seed. */
export const dancesFrom = (base: number): (() => Piece)[] =>
  Array.from({ length: ROUNDS }, (_, i) =>
    DANCES.map(
      (dance, k) => () => dancePiece(`dance ${i} ${dance.meter}`, dance, i % 2 === 1, base + 10 * i + k),
    ),
  ).flat()
