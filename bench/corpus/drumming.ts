// Sampled drum kits as they are played: rides, ghost strokes, fills, rolls, crashes, open hats, hand drums and bells.
import { chance, type Chance } from './chance'
import { eventStarts } from './sampled'
import { playedAlone, rendered, type Event } from './sampler'
import type { Piece } from './types'

/** Standard, room, power, electronic, another machine, jazz, brushes, orchestra. */
const KITS = [0, 8, 16, 24, 25, 32, 40, 48] as const
/** Pieces of a seed. */
const COUNT = 16
const BARS = 8
const BEATS = 4
/** A stroke's length and the first beat's place, seconds: drums ring for as long as they do. */
const STROKE = 0.1
const START = 0.3

/** A stroke: beats of its bar, key of General MIDI's percussion map and level. */
type Stroke = readonly [at: number, key: number, level: number]

// Source: General MIDI 1 Sound Set, percussion key map (MMA, 1991).
const KICK = 36
/** Two snares, a rim and claps. */
const SNARES = [38, 38, 40, 37, 39] as const
const CRASHES = [49, 57, 55, 52] as const
const TOMS = [48, 47, 45, 43, 41] as const
const HATS = { closed: 42, pedal: 44, open: 46 } as const
/** Congas, timbales, agogos, bongos, cowbell, wood blocks, claves, triangle. */
const HAND_DRUMS = [[63, 62, 64], [65, 66], [67, 68], [60, 61], [56], [76, 77], [75], [81, 80]] as const

/** Hats, rides and a bell, maracas, tambourine, cabasa and shaker: keys, and the beats between two strokes. */
const TIMEKEEPERS: readonly (readonly [key: number, step: number])[] = [
  [HATS.closed, 0.5],
  [HATS.closed, 0.25],
  [HATS.closed, 0.25],
  [51, 0.5],
  [53, 0.5],
  [59, 1],
  [70, 0.25],
  [54, 0.25],
  [69, 0.25],
  [82, 0.25],
]
/** Beats of a ride that swings. */
const SWINGING = [0, 1, 5 / 3, 2, 3, 11 / 3] as const

/** Even strokes, every second of them softer. */
function timekeeper(random: Chance): Stroke[] {
  const level = random.between(0.25, 0.6)
  if (random.often(0.15))
    return SWINGING.map((at) => [at, 51, at % 1 ? level * random.between(0.5, 1) : level])
  const [key, step] = random.pick(TIMEKEEPERS)
  const soft = random.between(0.35, 1)
  return Array.from({ length: BEATS / step }, (_, i) => [i * step, key, i % 2 ? level * soft : level])
}

/** Strokes of a key at some of a bar's sixteenths. */
const some = (random: Chance, keys: readonly number[], share: number, low: number, high: number): Stroke[] =>
  Array.from({ length: 4 * BEATS }, (_, i) => i / 4).flatMap((at): Stroke[] =>
    random.often(share) ? [[at, random.pick(keys), random.between(low, high)]] : [],
  )

/** What a bar of the piece always has. */
function groove(random: Chance): Stroke[] {
  const snare = random.pick(SNARES)
  const kicks = random.often(0.15)
    ? Array.from({ length: 4 * BEATS }, (_, i): Stroke => [i / 4, KICK, random.between(0.6, 0.9)])
    : [[0, KICK, 1] as const, ...some(random, [KICK], random.between(0.05, 0.25), 0.5, 1)]
  const backbeat = [1, 3].map((at): Stroke => [at, snare, random.between(0.7, 0.95)])
  return [
    ...(random.often(0.85) ? timekeeper(random) : []),
    ...(random.often(0.85) ? kicks : []),
    ...(random.often(0.8) ? backbeat : some(random, [snare], 0.3, 0.3, 0.9)),
    ...(random.often(0.4) ? some(random, [38], random.between(0.1, 0.3), 0.06, 0.2) : []),
    ...(random.often(0.3) ? [0.5, 1.5, 2.5, 3.5].map((at): Stroke => [at, HATS.open, 0.4]) : []),
    ...(random.often(0.25) ? [1, 3].map((at): Stroke => [at, HATS.pedal, 0.45]) : []),
    ...(random.often(0.4) ? some(random, random.pick(HAND_DRUMS), random.between(0.2, 0.5), 0.3, 0.8) : []),
  ]
}

/** A bar's end in sixteenths around the toms, or a roll on the snare. */
function fill(random: Chance): Stroke[] {
  const beats = random.pick([1, 2, 4])
  const roll = random.often(0.3)
  const step = roll ? 0.125 : 0.25
  const [level, accent] = [random.between(0.25, 0.6), random.between(0.1, 0.4)]
  return Array.from({ length: beats / step }, (_, i) => {
    const key = roll ? 38 : TOMS[Math.floor((i * step * TOMS.length) / beats)]!
    return [BEATS - beats + i * step, key, i % 4 ? level : level + accent]
  })
}

/** One bar of the piece. */
function bar(always: readonly Stroke[], isFirst: boolean, random: Chance): Stroke[] {
  const filling = random.often(0.25) ? fill(random) : []
  const until = filling[0]?.[0] ?? BEATS
  const kept = always.filter(([at, key]) => (at < until || key === KICK) && !random.often(0.03))
  const crash: Stroke[] = random.often(isFirst ? 0.4 : 0.15) ? [[0, random.pick(CRASHES), 0.75]] : []
  const flam: Stroke[] = random.often(0.1) ? [[2.95, 38, 0.3]] : []
  return [...crash, ...kept, ...filling, ...flam]
}

function piece(kit: number, seed: number): Piece {
  const random = chance(seed)
  const bpm = random.between(80, 170)
  const always = groove(random)
  const loose = random.between(0.001, 0.006)
  const strokes = Array.from({ length: BARS }, (_, b) =>
    bar(always, b === 0, random).map(([at, key, level]) => [at + b * BEATS, key, level] as const),
  ).flat()
  const events = strokes
    .map(([at, midi, level]): Event => {
      const start = Math.max(0, START + (at * 60) / bpm + random.loose(loose))
      return {
        start,
        end: start + STROKE,
        midi,
        level: Math.min(1, level * random.between(0.8, 1.2)),
        channel: 9,
      }
    })
    .sort((a, b) => a.start - b.start)
  const programs = new Map([[9, kit]])
  const channels = rendered(events, programs, random.often(0.5))
  return {
    name: `drumming on kit ${kit}, ${seed}`,
    kind: 'drums',
    loop: false,
    sampleRate: 44100,
    channels,
    onsets: eventStarts(events, channels[0]!, playedAlone(events, programs)),
  }
}

/** Makers of the drumming of a seed, on each kit in turn. */
export const drummingFrom = (base: number): (() => Piece)[] =>
  Array.from({ length: COUNT }, (_, i) => () => piece(KITS[i % KITS.length]!, base + 3000 + 19 * i))
