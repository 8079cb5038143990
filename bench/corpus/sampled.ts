// Pieces played by sampled instruments: scores written as MIDI files and rendered by FluidSynth with the General
// MIDI sound set that Debian carries (apt-get install fluidsynth fluid-soundfont-gm).
import FFT from 'fft.js'
import { execFileSync } from 'node:child_process'
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { readWav } from '../../src/core/audio/wav-read'
import { chance, type Chance } from './chance'
import { bassLine, tune, type Frame } from './parts'
import { degreesOf, frameOf, gridOf, keyOf, merged, METERS } from './pieces'
import { BASS, COMP } from './patterns'
import { GROOVES, triad, voicing, type Feel } from './score'
import type { Strike } from './strikes'
import type { Kind, Piece, TrueNote } from './types'

const SOUNDS = '/usr/share/sounds/sf2/FluidR3_GM.sf2'

/** True where the synthesizer and its sounds are installed. */
export const canPlaySamples = (): boolean => existsSync('/usr/bin/fluidsynth') && existsSync(SOUNDS)

interface Event {
  readonly start: number
  readonly end: number
  readonly midi: number
  /** Amplitude, 0-1. */
  readonly level: number
  readonly channel: number
}

/** Ticks a second: 480 a quarter at 125 BPM. */
const TICKS = 1000

/**
 * Velocity that sounds at an amplitude, 0-1: samplers play with its square.
 * Source: General MIDI Level 2 and SoundFont 2.04, 8.4.1 (velocity to attenuation, 40 dB over the range).
 */
const velocityOf = (amplitude: number): number =>
  Math.max(1, Math.min(127, Math.round(127 * Math.sqrt(amplitude))))

/** A format 0 Standard MIDI File with one tempo, 125 BPM. Source: Standard MIDI Files 1.0 (MMA, 1996). */
function midiFile(events: readonly Event[], programs: ReadonlyMap<number, number>): Uint8Array {
  const list: { tick: number; off: number; bytes: number[] }[] = []
  for (const e of events) {
    const on = [0x90 | e.channel, e.midi, velocityOf(e.level)]
    list.push({ tick: Math.round(e.start * TICKS), off: 1, bytes: on })
    list.push({ tick: Math.round(e.end * TICKS), off: 0, bytes: [0x80 | e.channel, e.midi, 0] })
  }
  list.sort((a, b) => a.tick - b.tick || a.off - b.off)
  const body: number[] = [0, 0xff, 0x51, 3, 0x07, 0x53, 0x00]
  for (const [channel, program] of programs) body.push(0, 0xc0 | channel, program)
  let now = 0
  for (const { tick, bytes } of list) {
    const delta = tick - now
    now = tick
    const digits = [delta & 127]
    for (let rest = delta >> 7; rest > 0; rest >>= 7) digits.unshift((rest & 127) | 128)
    body.push(...digits, ...bytes)
  }
  body.push(0, 0xff, 0x2f, 0)
  const n = body.length
  const header = [0x4d, 0x54, 0x68, 0x64, 0, 0, 0, 6, 0, 0, 0, 1, 480 >> 8, 480 & 255]
  const track = [0x4d, 0x54, 0x72, 0x6b, n >>> 24, (n >> 16) & 255, (n >> 8) & 255, n & 255]
  return Uint8Array.from([...header, ...track, ...body])
}

function rendered(
  events: readonly Event[],
  programs: ReadonlyMap<number, number>,
  wet: boolean,
): readonly Float32Array[] {
  const folder = mkdtempSync(path.join(tmpdir(), 'corpus-'))
  try {
    const [mid, wav] = [path.join(folder, 'a.mid'), path.join(folder, 'a.wav')]
    writeFileSync(mid, midiFile(events, programs))
    const room = wet ? '1' : '0'
    execFileSync(
      'fluidsynth',
      [
        '-ni',
        '-g',
        '0.7',
        '-r',
        '44100',
        '-R',
        room,
        '-C',
        '0',
        '-O',
        's24',
        '-T',
        'wav',
        '-F',
        wav,
        SOUNDS,
        mid,
      ],
      { stdio: 'ignore' },
    )
    return readWav(new Uint8Array(readFileSync(wav))).audio.channels
  } finally {
    rmSync(folder, { recursive: true })
  }
}

/** What the sampler makes of a note played alone. */
interface Alone {
  /** Power by critical band while it begins. */
  readonly bands: Float64Array
  /** Seconds from its command to where its sound passes 5 % of its first peak. */
  readonly lag: number
  /** How much higher it sounds than its number says, semitones: samples are not all in tune. */
  readonly sharp: number
}

/** Length of a note played alone, and of its part that is measured, seconds. */
const PROBE = 0.4
const MEASURED = [0.06, 0.38] as const

/**
 * The mistuning at which the note's first partials together are strongest, semitones, within half of one.
 *
 * @param x samples of the note
 */
function mistuning(x: Float32Array, midi: number): number {
  const power = (cents: number): number => {
    const hz = 440 * 2 ** ((midi - 69 + cents / 100) / 12)
    let total = 0
    for (let h = 1; h <= 4; h++) {
      let [re, im] = [0, 0]
      const w = (2 * Math.PI * h * hz) / 44100
      // A rotating pointer is exact enough for a third of a second.
      let [c, s] = [1, 0]
      const [dc, ds] = [Math.cos(w), Math.sin(w)]
      x.forEach((v, i) => {
        const hann = v * (1 - Math.cos((2 * Math.PI * i) / x.length))
        re += hann * c
        im += hann * s
        ;[c, s] = [c * dc - s * ds, c * ds + s * dc]
      })
      total += Math.hypot(re, im)
    }
    return total
  }
  const best = (from: number, to: number, step: number): number => {
    let [at, most] = [0, -1]
    for (let c = from; c <= to; c += step) {
      const p = power(c)
      if (p > most) [at, most] = [c, p]
    }
    return at
  }
  const rough = best(-48, 48, 8)
  return best(rough - 7, rough + 7, 1) / 100
}

/** Samples over which a beginning is weighed against what sounds before it. */
const WINDOW = 1024

/** Power in the critical bands of 1024 samples from `at` on, smoothly windowed. */
function bandPowers(x: Float32Array, at: number): Float64Array {
  const out = new Float64Array(25)
  const piece = Array.from({ length: WINDOW }, (_, i) => {
    return (x[at + i] ?? 0) * (1 - Math.cos((2 * Math.PI * (i + 0.5)) / WINDOW))
  })
  const spectrum = transform.createComplexArray() as number[]
  transform.realTransform(spectrum, piece)
  for (let k = 1; k < WINDOW / 2; k++)
    out[barkOf((k * 44100) / WINDOW)]! += spectrum[2 * k]! ** 2 + spectrum[2 * k + 1]! ** 2
  return out
}
const transform = new FFT(WINDOW)

/** Critical band of a frequency, 0-24. Source: H. Traunmüller, JASA 88(1), 1990. */
const barkOf = (hz: number): number =>
  Math.min(24, Math.max(0, Math.floor((26.81 * hz) / (1960 + hz) - 0.53)))

/** Seconds from one probe to the next: the longest ring is over by then. */
const PROBES_APART = 3
/** Notes that were played alone before, and how far their samples are out of tune. */
const probed = new Map<string, Omit<Alone, 'sharp'>>()
const tuned = new Map<string, number>()

/** What every note of a score is like when it is played alone. */
function playedAlone(
  events: readonly Event[],
  programs: ReadonlyMap<number, number>,
  pitched = false,
): (e: Event) => Alone {
  // How hard it is played changes its sound, too; lines are played about alike.
  const level = (e: Event): number => (pitched ? 0.7 : Math.max(1, Math.round(10 * e.level)) / 10)
  const pitch = (e: Event): string =>
    `${e.channel === 9 ? 'kit' : ''}${programs.get(e.channel) ?? 0} ${e.midi}`
  const name = (e: Event): string => `${pitch(e)} ${level(e)}`
  const missing = events.filter((e) => !probed.has(name(e)) || (pitched && !tuned.has(pitch(e))))
  const kinds = [...new Map(missing.map((e) => [name(e), e])).values()]
  const probes = kinds.map((e, i) => {
    const start = 0.5 + i * PROBES_APART
    return { ...e, level: level(e), start, end: start + PROBE }
  })
  const x = probes.length ? rendered(probes, programs, false)[0]! : new Float32Array(0)
  for (const p of probes) {
    const from = Math.round(p.start * 44100)
    let peak = 0
    for (let i = 0; i < 0.12 * 44100; i++) peak = Math.max(peak, Math.abs(x[from + i]!))
    let k = 0
    while (k < 0.12 * 44100 && Math.abs(x[from + k]!) < 0.05 * peak) k++
    probed.set(name(p), { lag: k / 44100, bands: bandPowers(x, from + k) })
    if (!pitched || tuned.has(pitch(p))) continue
    const [begin, end] = MEASURED.map((s) => from + Math.round(s * 44100))
    tuned.set(pitch(p), mistuning(x.subarray(begin, end), p.midi))
  }
  return (e) => ({ ...probed.get(name(e))!, sharp: pitched ? tuned.get(pitch(e))! : 0 })
}

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

/** Notes struck within this of the first are meant together, seconds. */
const TOGETHER = 0.03

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
function eventStarts(events: readonly Event[], x: Float32Array, alone: (e: Event) => Alone): number[] {
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

/** Makers of the sampled pieces of a half. */
export function sampledCorpus(base: number): (() => Piece)[] {
  const random = chance(base + 5)
  const feels: Feel[] = ['steady', 'steady', 'drift', 'loose', 'rubato']
  const lines = LINES.map((line, i) => () => linePiece(line, base + 31 * i))
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
  return [...lines, ...bands, ...drums]
}

const bar = (meter: string): number => 1000 * Number(meter[0])
