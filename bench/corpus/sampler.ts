// A sampler: scores written as MIDI files and rendered by FluidSynth with the General MIDI sound set that Debian carries
// (apt-get install fluidsynth fluid-soundfont-gm), and what each of its notes is like when it is played alone.
import midi from '@tonejs/midi'
import FFT from 'fft.js'
import { execFileSync } from 'node:child_process'
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { readWav } from '../../src/core/audio/wav-read'

// Any other General MIDI sound set can be named in SOUNDS, such as TimGM6mb.sf2 (apt-get install timgm6mb-soundfont).
const FOLDER = '/usr/share/sounds/sf2'
/** Sound sets by the packages that they come in. */
const SETS = {
  'fluid-soundfont-gm': `${FOLDER}/FluidR3_GM.sf2`,
  'csound-soundfont': `${FOLDER}/sf_GMbank.sf2`,
  'musescore-general-soundfont-lossless': `${FOLDER}/MuseScore_General_Full.sf2`,
  'opl3-soundfont': `${FOLDER}/OPL-3_FM_128M.sf2`,
} as const
let sounds = process.env.SOUNDS ?? SETS['fluid-soundfont-gm']

/** True where the synthesizer and its sounds are installed. */
export const canPlaySamples = (): boolean => existsSync('/usr/bin/fluidsynth') && existsSync(sounds)

/**
 * What is made while another sound set plays.
 *
 * @throws Error when its package is not installed
 */
export function playedWith<T>(set: keyof typeof SETS, make: () => T): T {
  const before = sounds
  if (!existsSync(SETS[set])) throw new Error(`Install ${set} first.`)
  sounds = SETS[set]
  try {
    return make()
  } finally {
    sounds = before
  }
}

export interface Event {
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

/** Rate of what is played, Hz, and samples that the sampler makes at a time. */
const RATE = 44100
const BLOCK = 64

/** When a note begins to sound, seconds: with the first block that begins at its tick or later. @param start asked for */
export const begunAt = (start: number): number =>
  (Math.ceil((Math.round(start * TICKS) * RATE) / TICKS / BLOCK) * BLOCK) / RATE

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

/**
 * A Standard MIDI File as the sampler plays it.
 *
 * @param wet with the room of the synthesizer
 * @returns channels at 44.1 kHz
 */
export function played(file: Uint8Array, wet = false): readonly Float32Array[] {
  const folder = mkdtempSync(path.join(tmpdir(), 'corpus-'))
  try {
    const [mid, wav] = [path.join(folder, 'a.mid'), path.join(folder, 'a.wav')]
    writeFileSync(mid, file)
    const sound = ['-g', '0.7', '-r', '44100', '-R', wet ? '1' : '0', '-C', '0']
    const output = ['-O', 's24', '-T', 'wav', '-F', wav]
    execFileSync('fluidsynth', ['-ni', ...sound, ...output, sounds, mid], { stdio: 'ignore' })
    return readWav(new Uint8Array(readFileSync(wav))).audio.channels
  } finally {
    rmSync(folder, { recursive: true })
  }
}

/** Quarters of 480 ticks at 125 BPM: a tick is a millisecond. */
const EVEN = { ppq: 480, bpm: 125 }

/**
 * A score with all its times in seconds, at one tempo: at every change of tempo the sampler goes on from its next block.
 *
 * @param source whose header says when things happen; a track keeps the first of its programs
 */
export function evenly(source: InstanceType<typeof midi.Midi>): Uint8Array {
  const out = new midi.Midi()
  out.header.setTempo(EVEN.bpm)
  if (out.header.ppq !== EVEN.ppq) throw new Error(`A quarter has ${out.header.ppq} ticks.`)
  for (const from of source.tracks) {
    const track = out.addTrack()
    track.channel = from.channel
    track.instrument.number = from.instrument.number
    for (const { number, value, time } of Object.values(from.controlChanges).flat())
      track.addCC({ number, value, time })
    for (const { value, time } of from.pitchBends) track.addPitchBend({ value, time })
    for (const { midi: key, time, duration, velocity } of from.notes)
      track.addNote({ midi: key, time, duration, velocity })
  }
  return out.toArray()
}

export const rendered = (
  events: readonly Event[],
  programs: ReadonlyMap<number, number>,
  wet: boolean,
): readonly Float32Array[] => played(midiFile(events, programs), wet)

/** What the sampler makes of a note played alone. */
export interface Alone {
  /** Power by critical band while it begins. */
  readonly bands: Float64Array
  /** Seconds from where it was asked for to where its sound passes 5 % of its first peak. */
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
export const WINDOW = 1024

/** Power in the critical bands of 1024 samples from `at` on, smoothly windowed. */
export function bandPowers(x: Float32Array, at: number): Float64Array {
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
export function playedAlone(
  events: readonly Event[],
  programs: ReadonlyMap<number, number>,
  pitched = false,
): (e: Event) => Alone {
  // How hard it is played changes its sound, too; lines are played about alike.
  const level = (e: Event): number => (pitched ? 0.7 : Math.max(1, Math.round(10 * e.level)) / 10)
  const pitch = (e: Event): string =>
    `${sounds} ${e.channel === 9 ? 'kit' : ''}${programs.get(e.channel) ?? 0} ${e.midi}`
  const name = (e: Event): string => `${pitch(e)} ${level(e)}`
  const missing = events.filter((e) => !probed.has(name(e)) || (pitched && !tuned.has(pitch(e))))
  const kinds = [...new Map(missing.map((e) => [name(e), e])).values()]
  const probes = kinds.map((e, i) => {
    const start = 0.5 + i * PROBES_APART
    return { ...e, level: level(e), start, end: start + PROBE }
  })
  const x = probes.length ? rendered(probes, programs, false)[0]! : new Float32Array(0)
  for (const p of probes) {
    const from = Math.round(begunAt(p.start) * RATE)
    let peak = 0
    for (let i = 0; i < 0.12 * 44100; i++) peak = Math.max(peak, Math.abs(x[from + i]!))
    let k = 0
    while (k < 0.12 * 44100 && Math.abs(x[from + k]!) < 0.05 * peak) k++
    probed.set(name(p), { lag: k / 44100, bands: bandPowers(x, from + k) })
    if (!pitched || tuned.has(pitch(p))) continue
    const [begin, end] = MEASURED.map((s) => from + Math.round(s * 44100))
    tuned.set(pitch(p), mistuning(x.subarray(begin, end), p.midi))
  }
  return (e) => {
    const { lag, bands } = probed.get(name(e))!
    return { bands, lag: begunAt(e.start) - e.start + lag, sharp: pitched ? tuned.get(pitch(e))! : 0 }
  }
}
