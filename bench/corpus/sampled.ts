// Pieces played by sampled instruments.
import { chance, type Chance } from './chance'
import { bassLine, tune, type Frame } from './parts'
import { degreesOf, frameOf, gridOf, keyOf, merged, METERS } from './pieces'
import { BASS, COMP } from './patterns'
import { bandPowers, playedAlone, rendered, WINDOW, type Alone, type Event } from './sampler'
import { GROOVES, triad, voicing, type Feel } from './score'
import type { Strike } from './strikes'
import { TOGETHER, type Kind, type Piece, type TrueNote } from './types'

const DRUM_KEYS: Record<Strike, number> = {
  kick: 36,
  snare: 38,
  hat: 42,
  open: 46,
  tom: 45,
  clap: 39,
  shaker: 70,
  ride: 51,
}

function drumEvents(f: Frame, groove: string, meter: string, random: Chance): Event[] {
  const out: Event[] = []
  const bar = f.clock.meter.beatsPerBar
  for (let b = 0; b < f.bars; b++)
    for (const hit of GROOVES[meter]![groove]!) {
      if (hit.level < 0.4 && random.often(0.05)) continue
      const start = Math.max(0, f.clock.at(b * bar + hit.at) + random.loose(f.loose))
      out.push({
        start,
        end: start + 0.1,
        midi: DRUM_KEYS[hit.sound],
        level: Math.min(1, hit.level * random.between(0.85, 1.05)),
        channel: 9,
      })
    }
  return out
}

const LINES: readonly (readonly [string, number, number, Kind])[] = [
  ['nylon guitar', 24, 50, 'plucked'],
  ['harp', 46, 55, 'plucked'],
  ['marimba', 12, 55, 'plucked'],
  ['finger bass', 33, 30, 'plucked'],
  ['violin', 40, 60, 'soft'],
  ['cello', 42, 43, 'soft'],
  ['flute', 73, 67, 'soft'],
  ['oboe', 68, 62, 'soft'],
  ['clarinet', 71, 55, 'soft'],
  ['trumpet', 56, 58, 'soft'],
  ['choir', 52, 55, 'soft'],
  ['voice', 53, 55, 'sung'],
]

/** Twenty other instruments, and the voice at other heights, for fitting only: it is measured on those above. */
const MORE_LINES: typeof LINES = [
  ['steel guitar', 25, 48, 'plucked'],
  ['clean guitar', 27, 45, 'plucked'],
  ['banjo', 105, 55, 'plucked'],
  ['piano', 0, 55, 'plucked'],
  ['vibraphone', 11, 55, 'plucked'],
  ['harpsichord', 6, 50, 'plucked'],
  ['picked bass', 34, 30, 'plucked'],
  ['viola', 41, 52, 'soft'],
  ['double bass', 43, 32, 'soft'],
  ['strings', 48, 52, 'soft'],
  ['slow strings', 49, 52, 'soft'],
  ['recorder', 74, 67, 'soft'],
  ['pan flute', 75, 62, 'soft'],
  ['horn', 60, 46, 'soft'],
  ['trombone', 57, 44, 'soft'],
  ['saxophone', 65, 52, 'soft'],
  ['bassoon', 70, 38, 'soft'],
  ['accordion', 21, 57, 'soft'],
  ['fiddle', 110, 60, 'soft'],
  ['solo voice', 54, 55, 'sung'],
  ['voice', 53, 50, 'sung'],
  ['voice', 53, 60, 'sung'],
]

/** Makers of the lines that are there for fitting only. */
export const otherSampledLines = (base: number): (() => Piece)[] =>
  MORE_LINES.map((line, i) => () => linePiece(line, base + 37 * i))

/** A sampled single-note line. */
function linePiece([name, program, low, kind]: (typeof LINES)[number], seed: number): Piece {
  const random = chance(seed)
  const key = keyOf(random)
  const f = frameOf('4/4', random.between(70, 125), 'loose', 8, 0.3, random)
  const steps = kind === 'plucked' ? [0.5, 0.5, 1, 1, 1.5, 0.25] : [0.5, 1, 1, 1.5, 2]
  const score = tune(
    f,
    key,
    degreesOf(key, random),
    low,
    low + 15,
    steps,
    kind === 'plucked' ? 0.02 : 0.03,
    random,
  )
  const events = score.map((n) => ({ ...n, channel: 0 }))
  const programs = new Map([[0, program]])
  const channels = rendered(events, programs, random.often(0.5))
  // Samples of bowed, blown and sung notes have a vibrato, too slow to be measured in so short a note.
  const alone = playedAlone(events, programs, kind === 'plucked')
  const notes: TrueNote[] = events.map((e) => ({
    start: e.start + alone(e).lag,
    end: e.end,
    midi: e.midi + alone(e).sharp,
  }))
  return {
    name: `sampled ${name}`,
    kind,
    loop: false,
    sampleRate: 44100,
    channels,
    onsets: notes.map((n) => n.start),
    ...(name === 'choir' ? {} : { notes }),
    key,
  }
}

/** An ear does not tell level steps below 1 dB. Source: Zwicker & Fastl, Psychoacoustics, 7.1 (from memory). */
const NOTICED = 10 ** 0.1 - 1

/** True when a note raises some critical band by what is noticed, over what sounds just before it. */
function isHeard(e: Event, x: Float32Array, { lag, bands }: Alone): boolean {
  const before = bandPowers(x, Math.round((e.start + lag) * 44100) - WINDOW - 88)
  return bands.some((power, b) => power > NOTICED * before[b]!)
}

/**
 * Starts of musical events that can be heard: of what is struck together, when the first of it sounds.
 *
 * @param x the first channel of the recording
 */
export function eventStarts(events: readonly Event[], x: Float32Array, alone: (e: Event) => Alone): number[] {
  const groups: { struck: number; sounds: number }[] = []
  const heard = events.filter((e) => isHeard(e, x, alone(e)))
  for (const e of heard.sort((a, b) => a.start - b.start)) {
    const sounds = e.start + alone(e).lag
    const last = groups[groups.length - 1]
    if (last && e.start - last.struck < TOGETHER) last.sounds = Math.min(last.sounds, sounds)
    else groups.push({ struck: e.start, sounds })
  }
  return merged(groups.map((g) => g.sounds))
}

/** Programs whose notes have no attack: an organ, trumpet, saxophone and flute. */
const ORGAN = 16
const BLOWN: ReadonlySet<number> = new Set([56, 65, 73])

/** A sampled band. */
function bandPiece(
  meter: string,
  groove: string | null,
  comp: number,
  feel: Feel,
  bpm: number,
  seed: number,
): Piece {
  const random = chance(seed)
  const key = keyOf(random)
  const degrees = degreesOf(key, random)
  const bar = { '4/4': 4, '3/4': 3, '2/4': 2, '6/8': 6 }[meter]!
  const bars = Math.round((26 * bpm) / 60 / bar)
  const f = frameOf(meter, bpm, feel, bars, random.between(0.05, 0.9), random)
  const lead = random.pick([0, 24, 56, 73, 65])
  const programs = new Map([
    [0, comp],
    [1, 33],
    [2, lead],
  ])
  const events: Event[] = groove ? drumEvents(f, groove, meter, random) : []
  const places = random.pick(COMP[meter]!)
  const low = 48 + random.whole(0, 7)
  for (let b = 0; b < bars; b++) {
    const notes = voicing(triad(key, degrees[b % degrees.length]!), low, 4)
    places.forEach((place, i) => {
      const start = f.clock.at(b * bar + place) + random.loose(f.loose)
      const end = f.clock.at(b * bar + (places[i + 1] ?? bar)) - 0.02
      const strum = comp === 0 ? 0 : random.between(0.002, 0.009)
      notes.forEach((midi, s) =>
        events.push({ start: start + s * strum, end, midi, level: i ? 0.55 : 0.7, channel: 0 }),
      )
    })
  }
  if (groove)
    for (const n of bassLine(f, key, degrees, random.pick(BASS[meter]!), random))
      events.push({ ...n, level: 0.85, channel: 1 })
  if (random.often(0.6))
    for (const n of tune(f, key, degrees, 62, 79, meter === '6/8' ? [1, 2, 3] : [0.5, 1, 1, 2], 0.02, random))
      events.push({ ...n, channel: 2 })
  const kept = events.filter((e) => e.start >= 0)
  const channels = rendered(kept, programs, random.often(0.6))
  const alone = playedAlone(kept, programs)
  return {
    name: `sampled ${meter} ${groove ?? 'no drums'} ${feel}`,
    kind: groove || kept.some((e) => e.channel === 2) ? 'mix' : 'chords',
    drums: groove !== null,
    loop: false,
    sampleRate: 44100,
    channels,
    onsets: eventStarts(kept, channels[0]!, alone),
    swelling: comp === ORGAN || (BLOWN.has(lead) && kept.some((e) => e.channel === 2)),
    key,
    ...gridOf(f),
  }
}

/** Standard, room, power, electronic, another machine, jazz, brushes. */
const KITS = [0, 8, 16, 24, 25, 32, 40]

/** A sampled drum kit alone. */
function drumPiece(meter: string, groove: string, kit: number, feel: Feel, bpm: number, seed: number): Piece {
  const random = chance(seed)
  const bar = METERS[meter]!.beatsPerBar
  const f = frameOf(meter, bpm, feel, Math.round((20 * bpm) / 60 / bar), random.between(0.05, 0.9), random)
  const events = drumEvents(f, groove, meter, random)
  const programs = new Map([[9, kit]])
  const channels = rendered(events, programs, random.often(0.6))
  return {
    name: `sampled kit ${kit} ${meter} ${groove} ${feel}`,
    kind: 'drums',
    loop: false,
    sampleRate: 44100,
    channels,
    onsets: eventStarts(events, channels[0]!, playedAlone(events, programs)),
    ...gridOf(f),
  }
}

/** Makers of the sampled single-note lines of a half. */
export const sampledLines = (base: number): (() => Piece)[] =>
  LINES.map((line, i) => () => linePiece(line, base + 31 * i))

/** Makers of the sampled pieces of a half. */
export function sampledCorpus(base: number): (() => Piece)[] {
  const random = chance(base + 5)
  const feels: Feel[] = ['steady', 'steady', 'drift', 'loose', 'rubato']
  const bands = Object.keys(GROOVES).flatMap((meter) =>
    [...Object.keys(GROOVES[meter]!).filter(() => random.often(0.7)), null].map((groove, i) => {
      const bpm =
        meter === '6/8'
          ? random.between(140, 270)
          : meter === '3/4'
            ? random.between(85, 170)
            : random.between(72, 168)
      const [comp, feel, seed] = [
        random.pick([0, 24, 25, 4, 16]),
        random.pick(feels),
        base + 7000 + 13 * i + bar(meter),
      ]
      return () => bandPiece(meter, groove, comp, feel, bpm, seed)
    }),
  )
  // Their own dice, so that what was there before them stays as it was.
  const dice = chance(base + 6)
  const drums = KITS.map((kit, i) => {
    const meter = dice.pick(['4/4', '4/4', '4/4', '3/4', '6/8', '2/4'])
    const groove = dice.pick(Object.keys(GROOVES[meter]!))
    const bpm = meter === '6/8' ? dice.between(140, 270) : dice.between(80, 160)
    const feel = dice.pick(feels)
    return () => drumPiece(meter, groove, kit, feel, bpm, base + 9000 + 17 * i)
  })
  return [...sampledLines(base), ...bands, ...drums]
}

const bar = (meter: string): number => 1000 * Number(meter[0])
