// Recordings of events with several attacks each: flams on drums, strums of strings; with the places of all of them.
import { addAt } from '../../demo/instruments/room'
import { pluckString } from '../../demo/instruments/string'
import { chance, type Chance } from './chance'
import { degreesOf, frameOf, keyOf, recorded } from './pieces'
import { playedAlone, rendered, type Event } from './sampler'
import { GROOVES, triad, voicing } from './score'
import { strike } from './strikes'
import { TOGETHER } from './types'

/** One musical event. */
export interface Struck {
  /** When its first attack sounds, seconds. */
  readonly start: number
  /** Its later attacks, seconds after the first. */
  readonly later: readonly number[]
}

export interface FlamPiece {
  readonly name: string
  readonly sampleRate: number
  readonly channels: readonly Float32Array[]
  readonly events: readonly Struck[]
}

/** Attacks nearer than this are one, seconds. */
const SAME = 0.004
/** Two strokes of a flam lie this far apart, and strings of a strum, seconds. */
const FLAM = [0.014, 0.036] as const
const STRUM = [0.012, 0.03] as const

/** Events as they are heard: what begins within TOGETHER is one. */
function heardAs(attacks: readonly (readonly number[])[]): Struck[] {
  const out: number[][] = []
  for (const times of [...attacks].sort((a, b) => a[0]! - b[0]!)) {
    const last = out[out.length - 1]
    if (last && times[0]! - Math.max(...last) < TOGETHER) last.push(...times)
    else out.push([...times])
  }
  return out.map((times) => {
    const [first, ...rest] = times.sort((a, b) => a - b)
    let before = first!
    const later: number[] = []
    for (const t of rest) {
      if (t - before < SAME) continue
      later.push(t - first!)
      before = t
    }
    return { start: first!, later }
  })
}

/** Drums made by code, every fourth stroke doubled. */
function coded(seed: number): FlamPiece {
  const random = chance(seed)
  const meter = random.pick(Object.keys(GROOVES))
  const groove = random.pick(Object.keys(GROOVES[meter]!))
  const f = frameOf(meter, random.between(80, 160), 'loose', 6, random.between(0.05, 0.9), random)
  const sound = new Float32Array(Math.round(f.seconds * f.rate))
  const tune = random.between(0.85, 1.2)
  const attacks: number[][] = []
  for (let b = 0; b < f.bars; b++)
    for (const hit of GROOVES[meter]![groove]!) {
      const at = Math.round(
        (f.clock.at(b * f.clock.meter.beatsPerBar + hit.at) + random.loose(f.loose)) * f.rate,
      )
      if (at < 0 || at > sound.length - 3000) continue
      const level = 0.6 * hit.level * random.between(0.85, 1.1)
      const flam = random.often(0.25)
      const grace = flam ? random.between(0.25, 1) : 1
      const second = at + Math.round(random.between(...FLAM) * f.rate)
      addAt(sound, strike(hit.sound, f.rate, 1000 * b + at, tune), at, level * grace)
      if (flam) addAt(sound, strike(hit.sound, f.rate, at + 7, tune), second, level)
      attacks.push((flam ? [at, second] : [at]).map((i) => i / f.rate))
    }
  const room = { reverb: random.between(0, 0.2), hiss: -65 }
  return {
    name: 'drums made by code',
    sampleRate: f.rate,
    channels: recorded(sound, room, random.often(0.5), seed),
    events: heardAs(attacks),
  }
}

/** Groups of notes played by sampled instruments. */
function sampled(
  name: string,
  groups: readonly (readonly Event[])[],
  program: readonly [channel: number, number],
  random: Chance,
): FlamPiece {
  const events = groups.flat()
  const programs = new Map([program])
  const alone = playedAlone(events, programs)
  return {
    name,
    sampleRate: 44100,
    channels: rendered(events, programs, random.often(0.5)),
    events: heardAs(groups.map((g) => g.map((e) => e.start + alone(e).lag))),
  }
}

const KITS = [0, 8, 16, 24, 25, 32, 40]
/** Kick, rims, snares, hats, toms, ride. */
const KEYS = [36, 37, 38, 40, 41, 42, 45, 46, 48, 39, 51]

/** Strums end up to this many times as loud a string as they begin, each string against the one before. */
const GROWTH = 1.65

/** Levels of a strum's strings: even, or growing. */
const strumLevels = (strings: number, random: Chance): number[] => {
  const growth = random.often(0.5) ? random.between(1, GROWTH) : 1
  const last = random.between(0.45, 0.75)
  return Array.from({ length: strings }, (_, s) => last * growth ** (s + 1 - strings))
}

/** Strummed guitar chords made by code, each over what rings of the one before. */
function codedStrums(seed: number): FlamPiece {
  const random = chance(seed)
  const key = keyOf(random)
  const degrees = degreesOf(key, random)
  const rate = 44100
  const sound = new Float32Array(22 * rate)
  const attacks: number[][] = []
  for (let time = 0.3, i = 0; time < 20; i++) {
    const low = 42 + random.whole(0, 9)
    const notes = voicing(triad(key, degrees[i % degrees.length]!), low, random.whole(3, 5))
    const order = random.often(0.4) ? [...notes].reverse() : notes
    const apart = random.often(0.5) ? random.between(0.003, 0.01) : random.between(...STRUM)
    const levels = strumLevels(order.length, random)
    const places = order.map((_, s) => Math.round((time + s * apart) * rate))
    const position = random.between(0.1, 0.3)
    const bright = random.between(0.4, 0.9)
    order.forEach((midi, s) => {
      const note = { midi, length: random.between(0.5, 2), level: levels[s]!, bright, position, t60: 2.5 }
      addAt(sound, pluckString(note, rate, 31 * i + s), places[s]!, 1)
    })
    attacks.push(places.map((at) => at / rate))
    time += order.length * apart + random.pick([0.25, 0.4, 0.6, 0.9])
  }
  const room = { reverb: random.between(0, 0.2), hiss: -70 }
  return {
    name: 'strums made by code',
    sampleRate: rate,
    channels: recorded(sound, room, random.often(0.5), seed),
    events: heardAs(attacks),
  }
}

/** A sampled kit, every third stroke doubled. */
function sampledFlams(seed: number): FlamPiece {
  const random = chance(seed)
  const kit = random.pick(KITS)
  let time = 0.3
  const groups = Array.from({ length: 60 }, () => {
    const stroke = {
      end: time + 0.15,
      midi: random.pick(KEYS),
      level: random.between(0.25, 1),
      channel: 9,
    }
    const flam = random.often(0.3)
    const grace = { ...stroke, start: time, level: stroke.level * random.between(0.3, 1) }
    const group = flam
      ? [grace, { ...stroke, start: time + random.between(...FLAM) }]
      : [{ ...stroke, start: time }]
    time += random.pick([0.125, 0.18, 0.25, 0.25, 0.4])
    return group
  })
  return sampled('sampled drums', groups, [9, kit], random)
}

/** Guitars, a harp, a piano, a harpsichord, a banjo. */
const STRUNG = [24, 25, 26, 27, 46, 0, 6, 105]

/** Sampled chords, most of them strummed slowly. */
function sampledStrums(seed: number): FlamPiece {
  const random = chance(seed)
  const key = keyOf(random)
  const degrees = degreesOf(key, random)
  const program = random.pick(STRUNG)
  let time = 0.3
  const groups = Array.from({ length: 30 }, (_, i) => {
    const low = 45 + random.whole(0, 7)
    const notes = voicing(triad(key, degrees[i % degrees.length]!), low, random.whole(2, 5))
    const apart = random.often(0.4) ? random.between(0, 0.01) : random.between(...STRUM)
    const held = random.pick([0.25, 0.4, 0.6, 0.9])
    const order = random.often(0.4) ? [...notes].reverse() : notes
    const levels = strumLevels(order.length, random)
    const group = order.map((midi, s) => ({
      start: time + s * apart,
      end: time + held - 0.02,
      midi,
      level: levels[s]!,
      channel: 0,
    }))
    time += held + order.length * apart
    return group
  })
  return sampled('sampled strums', groups, [0, program], random)
}

/** Makers of recordings with flams and strums. */
export const flamsFrom = (base: number): (() => FlamPiece)[] =>
  Array.from({ length: 8 }, (_, i) => base + i).flatMap((seed) => [
    () => coded(seed),
    () => codedStrums(seed + 50),
    () => sampledFlams(seed + 100),
    () => sampledStrums(seed + 200),
    () => sampledStrums(seed + 250),
  ])
