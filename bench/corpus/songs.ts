// Songs: tunes in phrases that come back, with pickups, that lean on the bar and come home to their key; alone, or over
// an accompaniment that puts its bass on the beats and its chords between them.
import { chance, type Chance } from './chance'
import { BARS, type Style, styled } from './accompaniment'
import { degreesOf, frameOf, gridOf, keyOf, METERS } from './pieces'
import { byCode, bySamples, LINE_VOICES } from './played'
import type { Event } from './sampler'
import { SCALES, triad, type Feel, type Key } from './score'
import type { Piece } from './types'

/** Lengths of the notes of a bar, in beats; a phrase is made of a few of them. */
const CELLS: Record<string, readonly (readonly number[])[]> = {
  '4/4': [
    [1, 1, 1, 1],
    [1, 0.5, 0.5, 1, 1],
    [1.5, 0.5, 1, 1],
    [2, 1, 1],
    [1, 1, 2],
    [0.5, 0.5, 0.5, 0.5, 1, 1],
    [0.5, 0.5, 0.5, 0.5, 0.5, 0.5, 0.5, 0.5],
    [1.5, 0.5, 1.5, 0.5],
    [0.5, 1, 0.5, 1, 1],
    [3, 1],
  ],
  '3/4': [
    [1, 1, 1],
    [2, 1],
    [1.5, 0.5, 1],
    [1, 0.5, 0.5, 1],
    [0.5, 0.5, 1, 1],
    [0.5, 0.5, 0.5, 0.5, 0.5, 0.5],
    [1, 2],
  ],
  '2/4': [
    [1, 1],
    [1, 0.5, 0.5],
    [0.5, 0.5, 0.5, 0.5],
    [0.5, 0.5, 1],
    [1.5, 0.5],
    [0.75, 0.25, 0.5, 0.5],
    [0.25, 0.25, 0.5, 0.5, 0.5],
  ],
  '6/8': [
    [1, 1, 1, 1, 1, 1],
    [2, 1, 2, 1],
    [3, 2, 1],
    [2, 1, 1, 1, 1],
    [1, 1, 1, 2, 1],
    [1.5, 0.5, 1, 1, 1, 1],
    [2, 1, 3],
  ],
}
/** A phrase's last bar, its note held. */
const CLOSE: Record<string, readonly number[]> = { '4/4': [4], '3/4': [3], '2/4': [2], '6/8': [6] }
const PICKUPS: Record<string, readonly number[]> = {
  '4/4': [1, 1, 0.5, 2],
  '3/4': [1, 1, 0.5, 2],
  '2/4': [0.5, 0.5, 1],
  '6/8': [1, 1, 2, 3],
}
const PHRASE = 4

interface Sung {
  readonly at: number
  readonly length: number
  readonly step: number
}

/** A phrase in scale steps over the tonic: chord notes where bars begin, neighbours between. */
function phrase(
  meter: string,
  degrees: readonly number[],
  pickup: number,
  home: boolean,
  random: Chance,
): Sung[] {
  const bar = METERS[meter]!.beatsPerBar
  const cells = [random.pick(CELLS[meter]!), random.pick(CELLS[meter]!)]
  const out: Sung[] = []
  let step = random.pick([0, 2, 4])
  const add = (at: number, length: number): void => void out.push({ at, length, step })
  const upbeat = pickup < 1 || bar === 6 || random.often(0.5) ? [pickup] : [pickup / 2, pickup / 2]
  let at = -pickup
  for (const length of upbeat.filter((l) => l > 0)) {
    add(at, length)
    at += length
    step += random.pick([-1, 1, 1, 2])
  }
  for (let b = 0; b < PHRASE; b++) {
    const last = b === PHRASE - 1
    const lengths = last
      ? [...(random.often(0.5) ? CLOSE[meter]! : random.pick(CELLS[meter]!))]
      : cells[b % 2]!
    at = b * bar
    lengths.forEach((length, i) => {
      const near = (want: readonly number[]): number =>
        [...want.flatMap((w) => [w - 7, w, w + 7])].sort(
          (x, y) => Math.abs(x - step) - Math.abs(y - step),
        )[0]!
      const chord = [0, 2, 4].map((d) => (degrees[b % degrees.length]! + d) % 7)
      if (last && i === lengths.length - 1) step = near(home ? [0] : [4, 1])
      else if (i === 0) step = near(chord)
      const rest = last ? Math.min(length, (b + 1) * bar - pickup - at) : length
      if (rest > 0.2) add(at, rest)
      at += length
      step = Math.max(
        -5,
        Math.min(11, step + random.pick([-2, -1, -1, 1, 1, 2, 0, random.often(0.3) ? 3 : -3])),
      )
    })
  }
  return out
}

const midiOf = (key: Key, step: number, low: number): number => {
  const octave = Math.floor(step / 7)
  return low + ((((key.tonic - low) % 12) + 12) % 12) + 12 * octave + SCALES[key.mode][step - 7 * octave]!
}

/** Sampled instruments that carry a tune: piano, accordion, guitars, fiddle, trumpet, saxophone, clarinet, flute. */
const LEADS = [0, 21, 24, 25, 40, 56, 65, 71, 73]
const COMPS = [0, 21, 24, 25, 27]

interface Plan {
  readonly meter: string
  readonly style: Style | 'alone'
  readonly bpm: number
  readonly feel: Feel
}

/** @param coded true where no sampled instruments may play */
function song({ meter, style, bpm, feel }: Plan, seed: number, coded = false): Piece {
  const random = chance(seed)
  const key = keyOf(random)
  const bar = METERS[meter]!.beatsPerBar
  const [verse, other] = [degreesOf(key, random), degreesOf(key, random)]
  const pickup = random.often(0.55) ? random.pick(PICKUPS[meter]!) : 0
  const parts = {
    a: { notes: phrase(meter, verse, pickup, false, random), degrees: verse },
    z: { notes: phrase(meter, verse, pickup, true, random), degrees: verse },
    b: { notes: phrase(meter, other, pickup, random.often(0.3), random), degrees: other },
  }
  const form = random.pick(['azaz', 'azbz', 'aabz', 'azbb'])
  const phrases = Math.max(2, Math.min(10, Math.round((26 * bpm) / 60 / (bar * PHRASE))))
  const order = Array.from({ length: phrases }, (_, i) => parts[form[i % 4] as 'a' | 'b' | 'z'])
  const lead = random.between(0.05, 0.7) + (pickup * 60) / bpm
  const f = frameOf(meter, bpm, feel, phrases * PHRASE, lead, random)
  const swing = bar !== 6 && random.often(0.25) ? random.between(0.55, 0.68) : 0.5
  const swung = (beat: number): number => {
    const part = beat - Math.floor(beat)
    return f.clock.at(Math.floor(beat) + (Math.abs(part - 0.5) < 0.01 ? swing : part))
  }
  const lean = random.between(0, 0.3)
  const low = 60 + random.whole(-3, 5)
  const events: Event[] = []
  order.forEach(({ notes }, p) => {
    for (const n of notes) {
      const beat = p * PHRASE * bar + n.at
      const place = ((n.at % bar) + bar) % bar
      const weight =
        place === 0 ? 1 : place === bar / 2 ? 0.6 : Number.isInteger(place) && bar !== 6 ? 0.35 : 0
      const start = swung(beat) + random.loose(f.loose)
      const level = Math.min(1, 0.62 + lean * weight + random.loose(0.06))
      const end = Math.max(start + 0.06, swung(beat + n.length) - 0.02)
      events.push({ start, end, midi: midiOf(key, n.step, low), level, channel: 0 })
    }
  })
  if (style !== 'alone') {
    const at = (beat: number): number => swung(beat) + random.loose(f.loose)
    const harmony = order.flatMap(({ degrees }) =>
      Array.from({ length: PHRASE }, (_, b) => triad(key, degrees[b % degrees.length]!)),
    )
    events.push(...styled(style, meter, harmony, at, random))
  }
  const heard = events.filter((e) => e.start > 0).sort((a, b) => a.start - b.start)
  const programs = new Map([
    [0, random.pick(LEADS)],
    [1, random.pick([32, 33, 43])],
    [2, random.pick(COMPS)],
  ])
  const played =
    style === 'alone' && (random.often(0.6) || coded)
      ? byCode(heard, random.pick(LINE_VOICES), seed)
      : bySamples(heard, programs)
  return {
    name: `song ${meter} ${style} ${feel}${pickup ? ` pickup ${pickup}` : ''}`,
    loop: false,
    sampleRate: 44100,
    ...played,
    key,
    ...gridOf(f, Math.floor(pickup)),
  }
}

const TEMPI: Record<string, readonly [number, number]> = {
  '4/4': [75, 160],
  '3/4': [85, 195],
  '2/4': [70, 130],
  '6/8': [170, 390],
}

/** Makers of songs. */
export function songsFrom(base: number): (() => Piece)[] {
  const random = chance(base + 11)
  const feels: Feel[] = ['steady', 'steady', 'drift', 'loose', 'rubato']
  return Object.keys(BARS).flatMap((meter, m) =>
    (['alone', 'alone', ...(Object.keys(BARS[meter]!) as Style[])] as const).map((style, i) => {
      const [from, to] = TEMPI[meter]!
      const plan = { meter, style, bpm: random.between(from, to), feel: random.pick(feels) }
      return () => song(plan, base + 500 * m + 19 * i)
    }),
  )
}

/** Makers of songs for one instrument made by code, two of each meter. */
export function solosFrom(base: number): (() => Piece)[] {
  const random = chance(base + 13)
  return Object.keys(BARS).flatMap((meter) =>
    [1, 2].map((k) => {
      const [from, to] = TEMPI[meter]!
      const plan = { meter, style: 'alone', bpm: random.between(from, to), feel: 'steady' } as const
      return () => song(plan, base + 700 * k + Number(meter[0]), true)
    }),
  )
}
