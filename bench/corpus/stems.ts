// Single tracks of a session: a bass or strummed chords alone, every player's own pattern with fills between.
import { chance, type Chance } from './chance'
import { chords } from './parts'
import { degreesOf, frameOf, gridOf, keyOf, METERS, recorded, roomOf } from './pieces'
import { byCode, bySamples, type Played } from './played'
import type { Event } from './sampler'
import { triad, voicing, type Feel, type Key } from './score'
import type { Piece } from './types'

/** How often something is struck at the steps of a bar, in halves of a beat (eighths in 6/8). */
const LIKELY: Record<string, { readonly step: number; readonly bass: number[]; readonly chords: number[] }> =
  {
    '4/4': {
      step: 0.5,
      bass: [1, 0.12, 0.4, 0.4, 0.75, 0.25, 0.6, 0.3],
      chords: [1, 0.2, 0.75, 0.45, 0.75, 0.3, 0.8, 0.45],
    },
    '3/4': { step: 0.5, bass: [1, 0.1, 0.5, 0.2, 0.6, 0.3], chords: [1, 0.15, 0.8, 0.3, 0.8, 0.35] },
    '2/4': { step: 0.5, bass: [1, 0.25, 0.8, 0.4], chords: [0.8, 0.6, 0.8, 0.6] },
    '6/8': { step: 1, bass: [1, 0.15, 0.35, 0.85, 0.15, 0.45], chords: [1, 0.2, 0.6, 0.9, 0.2, 0.6] },
  }
const SLOWEST: Record<string, number> = { '4/4': 72, '3/4': 80, '2/4': 70, '6/8': 170 }
const FASTEST: Record<string, number> = { '4/4': 150, '3/4': 180, '2/4': 125, '6/8': 370 }
const FEELS: readonly Feel[] = ['steady', 'steady', 'loose', 'drift', 'rubato']
/** Of each meter, how many basses and how many tracks of chords a seed has. */
const TRACKS: Record<string, number> = { '4/4': 3, '3/4': 2, '2/4': 1, '6/8': 2 }
const SECONDS = 36
/** General MIDI programs: basses; guitars, a piano and an accordion; those of them that have no attack. */
const BASSES = [32, 33, 34, 43]
const CHORDS = [0, 21, 24, 25, 27]
const SWELLING = [21, 43]

/** Places of a bar in beats, its beginning always among them but where a chord comes after the beat. */
function placesOf(meter: string, track: 'bass' | 'chords', random: Chance): number[] {
  const { step, [track]: likely } = LIKELY[meter]!
  const places = likely.flatMap((p, i) => (random.often(p) ? [i * step] : []))
  return places.length ? places : [0]
}

/** A bass on the chords of the bars, in beats: roots first, then what stands in the player's pattern, and a way to the next root. */
export function bassEvents(harmony: readonly (readonly number[])[], meter: string, random: Chance): Event[] {
  const bar = METERS[meter]!.beatsPerBar
  const pattern = [1, 2].map(() =>
    placesOf(meter, 'bass', random).map((at) => ({ at, note: random.pick([0, 0, 2, 2, 12, 1] as const) })),
  )
  const [twoBars, leads] = [random.often(0.45), random.often(0.6)]
  const lean = random.between(0, 0.25)
  const low = random.whole(28, 36)
  const rootOf = (b: number): number => {
    const pitch = harmony[b % harmony.length]![0]!
    return low + ((((pitch - low) % 12) + 12) % 12)
  }
  return harmony.flatMap((classes, b) => {
    const fill = b % 4 === 3 && random.often(0.3)
    const hits = fill
      ? placesOf(meter, 'bass', random).map((at) => ({ at, note: 0 as const }))
      : pattern[twoBars ? b % 2 : 0]!
    const root = rootOf(b)
    return hits.map(({ at, note }, i): Event => {
      const last = i > 0 && i === hits.length - 1
      const other = classes[note === 12 ? 0 : note]!
      const up = (((other - classes[0]!) % 12) + 12) % 12
      const midi =
        i === 0
          ? root
          : last && leads
            ? rootOf(b + 1) + (rootOf(b + 1) > root ? -2 : 2)
            : root + (note === 12 ? 12 : up)
      const level = Math.min(1, 0.7 + (at === 0 ? lean : 0) + random.loose(0.05))
      return { start: b * bar + at, end: b * bar + (hits[i + 1]?.at ?? bar), midi, level, channel: 1 }
    })
  })
}

/** Chords in the player's pattern; like a bass' events, in beats. */
export function chordEvents(harmony: readonly (readonly number[])[], meter: string, random: Chance): Event[] {
  const bar = METERS[meter]!.beatsPerBar
  const patterns = [1, 2].map(() => placesOf(meter, 'chords', random))
  const twoBars = random.often(0.45)
  const lean = random.between(0, 0.25)
  const low = 45 + random.whole(0, 9)
  const strings = random.whole(3, 5)
  return harmony.flatMap((classes, b) => {
    const places =
      b % 4 === 3 && random.often(0.25) ? placesOf(meter, 'chords', random) : patterns[twoBars ? b % 2 : 0]!
    return places.flatMap((at, i) => {
      const level = Math.min(1, 0.62 + (at === 0 ? lean : 0) + random.loose(0.05))
      return voicing(classes, low, strings).map((midi) => ({
        start: b * bar + at,
        end: b * bar + (places[i + 1] ?? bar),
        midi,
        level,
        channel: 2,
      }))
    })
  })
}

function stemPiece(meter: string, track: 'bass' | 'chords', seed: number): Piece {
  const random = chance(seed)
  const key = keyOf(random)
  const bpm = random.between(SLOWEST[meter]!, FASTEST[meter]!)
  const feel = random.pick(FEELS)
  const bar = METERS[meter]!.beatsPerBar
  const bars = 4 * Math.max(2, Math.round((SECONDS * bpm) / 60 / bar / 4))
  const f = frameOf(meter, bpm, feel, bars, random.between(0.05, 0.9), random)
  const harmony = harmonyOf(key, bars, random)
  const piece = { name: `${meter} ${track} ${feel}`, loop: false, sampleRate: f.rate, key, ...gridOf(f) }
  if (track === 'chords' && random.often(0.5)) {
    const voice = random.pick(['guitar', 'guitar', 'piano'] as const)
    const strum = voice === 'guitar' ? random.between(0.004, 0.025) : 0
    const degrees = degreesOf(key, random)
    const { sound, onsets } = chords(f, key, degrees, placesOf(meter, 'chords', random), voice, strum, random)
    const channels = recorded(sound, roomOf(random), false, seed)
    return { ...piece, kind: 'chords', channels, onsets }
  }
  const struck = (track === 'bass' ? bassEvents : chordEvents)(harmony, meter, random)
  const strum = random.between(0, 0.012)
  let [played, string] = [0, 0]
  const events = struck.map((e, i): Event => {
    const same = i > 0 && struck[i - 1]!.start === e.start
    if (!same) played = random.loose(f.loose)
    string = same ? string + 1 : 0
    const start = Math.max(0, f.clock.at(e.start) + played) + string * strum
    return { ...e, start, end: Math.max(start + 0.06, f.clock.at(e.end) - 0.02) }
  })
  return { ...piece, ...soundOf(events, track, seed, random) }
}

/** A chord for every bar, or for every two. */
function harmonyOf(key: Key, bars: number, random: Chance): readonly (readonly number[])[] {
  const degrees = [...degreesOf(key, random), ...degreesOf(key, random)]
  const held = random.often(0.25) ? 2 : 1
  return Array.from({ length: bars }, (_, b) => triad(key, degrees[Math.floor(b / held) % degrees.length]!))
}

function soundOf(events: readonly Event[], track: 'bass' | 'chords', seed: number, random: Chance): Played {
  if (track === 'bass' && random.often(0.4))
    return byCode(
      events.map((e) => ({ ...e, channel: 0 })),
      'bass',
      seed,
    )
  const [bass, chordal] = [random.pick(BASSES), random.pick(CHORDS)]
  const programs = new Map([
    [1, bass],
    [2, chordal],
  ])
  const swells = SWELLING.includes(track === 'bass' ? bass : chordal)
  return { ...bySamples(events, programs), kind: swells ? 'soft' : track === 'bass' ? 'plucked' : 'chords' }
}

/** Makers of the single tracks of a seed. */
export const stemsFrom = (base: number): (() => Piece)[] =>
  Object.entries(TRACKS).flatMap(([meter, count], m) =>
    (['bass', 'chords'] as const).flatMap((track, t) =>
      Array.from({ length: count }, (_, i) => () => stemPiece(meter, track, base + 100 * m + 40 * t + 7 * i)),
    ),
  )
