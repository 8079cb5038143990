// The list of pieces: lines, drums, chords, bands and loops, drawn from a seed.
import { addAt, addHiss, normalize, smallRoom } from '../../demo/instruments/room'
import { chance, type Chance } from './chance'
import { struckLine, sustainedLine, type LinePlay, type Manner, type Sustained } from './line'
import { bassLine, chords, drums, tune, type Frame, type Part } from './parts'
import { BASS, COMP } from './patterns'
import { clock, DANCES, GROOVES, PROGRESSIONS, type Feel, type Key } from './score'
import { TOGETHER, type Kind, type Meter, type Piece } from './types'

const RATE = 44100

export const METERS: Record<string, Meter> = {
  '4/4': { beatsPerBar: 4, beatUnit: 4 },
  '3/4': { beatsPerBar: 3, beatUnit: 4 },
  '2/4': { beatsPerBar: 2, beatUnit: 4 },
  '6/8': { beatsPerBar: 6, beatUnit: 8 },
}

export const keyOf = (random: Chance): Key => ({
  tonic: random.whole(0, 11),
  mode: random.often(0.6) ? 'major' : 'minor',
})
export const degreesOf = (key: Key, random: Chance): readonly number[] => random.pick(PROGRESSIONS[key.mode])

/** Events out of lists of attacks: those that begin together are one. */
export function merged(...parts: readonly (readonly number[])[]): number[] {
  const out: number[] = []
  for (const t of parts.flat().sort((a, b) => a - b))
    if (!out.length || t - out[out.length - 1]! > TOGETHER) out.push(t)
  return out
}

interface Room {
  readonly reverb: number
  readonly hiss: number
}

/** A near stereo pair in a room. */
export function recorded(dry: Float32Array, room: Room, stereo: boolean, seed: number): Float32Array[] {
  const left = smallRoom(dry, RATE, room.reverb)
  const out = [left]
  if (stereo) {
    const late = new Float32Array(dry.length)
    addAt(late, dry, 11, 0.8)
    out.push(smallRoom(late, RATE, room.reverb, 0.011, 1.13))
  }
  normalize(out, 0.8)
  out.forEach((x, c) => addHiss(x, room.hiss, seed + c))
  return out
}

export const roomOf = (random: Chance): Room => ({
  reverb: random.between(0.01, 0.09),
  hiss: random.between(-80, -60),
})

export function frameOf(
  meterName: string,
  bpm: number,
  feel: Feel,
  bars: number,
  lead: number,
  random: Chance,
): Frame {
  const meter = METERS[meterName]!
  const beats = bars * meter.beatsPerBar
  const c = clock(meter, bpm, feel, lead, beats, random)
  return { clock: c, bars, seconds: c.at(beats) + 0.6, rate: RATE, loose: random.between(0.001, 0.006) }
}

/** Beat truth of a frame. @param before beats that sound before the first bar line (pickup, introduction) */
export function gridOf(
  f: Frame,
  before = 0,
): Pick<Piece, 'bpm' | 'steady' | 'beats' | 'downbeats' | 'meter'> {
  const bar = f.clock.meter.beatsPerBar
  const numbers = Array.from({ length: f.bars * bar + before }, (_, b) => b - before)
  const beats = numbers.map((b) => f.clock.at(b))
  return {
    bpm: f.clock.bpm,
    steady: f.clock.steady,
    beats,
    downbeats: beats.filter((_, i) => ((numbers[i]! % bar) + bar) % bar === 0),
    meter: f.clock.meter,
  }
}

/** A single-note line. */
export function linePiece(
  name: string,
  voice: 'string' | 'bass' | 'keys' | Sustained,
  seed: number,
  dirt?: 'noise' | 'room' | 'band',
): Piece {
  const random = chance(seed)
  const key = keyOf(random)
  const f = frameOf(
    '4/4',
    random.between(70, 130),
    random.often(0.5) ? 'steady' : 'loose',
    8,
    random.between(0.1, 0.6),
    random,
  )
  const low = {
    string: 50,
    bass: 30,
    keys: 55,
    bowed: 57,
    flute: 65,
    reed: 52,
    sung: random.often(0.5) ? 48 : 57,
  }[voice]
  const struck = voice === 'string' || voice === 'bass' || voice === 'keys'
  const steps = struck ? [0.5, 0.5, 1, 1, 1.5, 0.25] : [0.5, 1, 1, 1.5, 2]
  const score = tune(
    f,
    key,
    degreesOf(key, random),
    low,
    low + 16,
    steps,
    struck ? 0.02 : random.pick([0, 0, 0.04]),
    random,
  )
  const manner: Manner = {
    legato: random.between(0.2, 0.7),
    vibrato: voice === 'flute' || voice === 'reed' ? random.between(5, 20) : random.between(15, 60),
    speed: random.between(4.5, 6.5),
    intonation: random.between(3, 15),
    tremolo: random.between(0, 0.15),
  }
  const play: LinePlay =
    voice === 'string' || voice === 'bass' || voice === 'keys'
      ? struckLine(score, voice, f.seconds, RATE, seed)
      : sustainedLine(score, voice, manner, f.seconds, RATE, seed)
  let room = roomOf(random)
  if (dirt === 'room') room = { ...room, reverb: 0.12 }
  if (dirt === 'noise') room = { ...room, hiss: struck ? -48 : -42 }
  const channels = recorded(
    dirt === 'band' ? bandLimited(play.sound) : play.sound,
    room,
    random.often(0.4),
    seed,
  )
  const kind: Kind = voice === 'sung' ? 'sung' : struck ? 'plucked' : 'soft'
  return {
    name,
    kind,
    loop: false,
    sampleRate: RATE,
    channels,
    onsets: play.notes.map((n) => n.start),
    notes: play.notes,
    pitch: play.pitch,
    key,
  }
}

/** Telephone band, 300-3400 Hz (ITU-T G.712), second-order slopes. */
function bandLimited(x: Float32Array): Float32Array {
  const pass = (y: Float32Array, hz: number, high: boolean): Float32Array => {
    const w = Math.tan((Math.PI * hz) / RATE)
    const n = 1 / (1 + Math.SQRT2 * w + w * w)
    const [b0, b1] = high ? [n, -2 * n] : [w * w * n, 2 * w * w * n]
    const [a1, a2] = [2 * (w * w - 1) * n, (1 - Math.SQRT2 * w + w * w) * n]
    let [x1, x2, y1, y2] = [0, 0, 0, 0]
    return y.map((v) => {
      const o = b0 * v + b1 * x1 + b0 * x2 - a1 * y1 - a2 * y2
      ;[x2, x1, y2, y1] = [x1, v, y1, o]
      return o
    })
  }
  return pass(pass(x, 300, true), 3400, false)
}

/** Four voices of each note of a chord, swelling: a choir. */
export function choirPiece(name: string, seed: number): Piece {
  const random = chance(seed)
  const key = keyOf(random)
  const f = frameOf('4/4', random.between(60, 90), 'loose', 6, 0.4, random)
  const degrees = degreesOf(key, random)
  const sound = new Float32Array(Math.round(f.seconds * RATE))
  const top = tune(f, key, degrees, 60, 72, [1, 2, 2], 0.03, random)
  for (let v = 0; v < 6; v++) {
    const shift = [0, 0, -12, -12, -5, 7][v]!
    const score = top.map((n) => ({
      ...n,
      midi: n.midi + (Math.abs(shift) === 12 || !shift ? shift : shift > 0 ? 3 : -4),
      level: 0.4,
    }))
    const manner = { legato: 0, vibrato: 25, speed: 5 + 0.2 * v, intonation: 8, tremolo: 0.05 }
    const play = sustainedLine(
      score.map((n) => ({ ...n, start: n.start + random.loose(0.008) })),
      'sung',
      manner,
      f.seconds,
      RATE,
      seed + 100 * v,
    )
    addAt(sound, play.sound, 0, 0.3)
  }
  return {
    name,
    kind: 'soft',
    loop: false,
    sampleRate: RATE,
    channels: recorded(sound, { reverb: 0.1, hiss: -70 }, true, seed),
    onsets: top.map((n) => n.start),
  }
}

export interface BandPlan {
  readonly meter: string
  readonly groove: string | null
  readonly bpm: number
  readonly feel: Feel
  readonly chords: 'guitar' | 'piano' | 'organ' | null
  readonly bass: boolean
  readonly tune: 'keys' | 'string' | null
  readonly loop?: boolean
  /** Beats of tune before the first bar, and seconds of held chord before the beat sets in. */
  readonly pickup?: number
  readonly intro?: number
  readonly bars?: number
}

/** A band, or a part of one. */
export function bandPiece(name: string, plan: BandPlan, seed: number): Piece {
  const random = chance(seed)
  const key = keyOf(random)
  const degrees = degreesOf(key, random)
  const meter = METERS[plan.meter]!
  const seconds = plan.loop ? 1 : 26
  const bars = plan.bars ?? Math.max(4, Math.round((seconds * plan.bpm) / 60 / meter.beatsPerBar))
  const pickup = plan.pickup ?? 0
  const lead = plan.loop ? 0 : random.between(0.05, 0.8) + (pickup * 60) / plan.bpm + (plan.intro ?? 0)
  let f = frameOf(plan.meter, plan.bpm, plan.feel, bars, lead, random)
  if (plan.loop) f = { ...f, seconds: f.seconds - 0.6, loose: 0 }
  const sound = new Float32Array(Math.round(f.seconds * RATE))
  const parts: Part[] = []
  if (plan.groove)
    parts.push(
      drums(
        f,
        (GROOVES[plan.meter]![plan.groove] ?? DANCES[plan.meter]?.[plan.groove])!,
        plan.loop ? 0 : 0.1,
        random,
      ),
    )
  if (plan.chords) {
    const strum = plan.chords === 'guitar' ? random.between(0.012, 0.035) : 0
    parts.push(chords(f, key, degrees, random.pick(COMP[plan.meter]!), plan.chords, strum, random))
  }
  if (plan.bass) {
    const play = struckLine(
      bassLine(f, key, degrees, random.pick(BASS[plan.meter]!), random),
      'bass',
      f.seconds,
      RATE,
      seed + 5,
    )
    parts.push({ sound: play.sound, onsets: play.notes.map((n) => n.start) })
  }
  if (plan.tune) {
    const steps = plan.meter === '6/8' ? [1, 2, 3, 1] : [0.5, 1, 1, 2]
    const score = tune(f, key, degrees, 60, 77, steps, 0.02, random)
    const before = Array.from({ length: Math.round(pickup * 2) }, (_, i) => {
      const at = -pickup + i / 2
      return {
        start: f.clock.at(at),
        end: f.clock.at(at + 0.45),
        midi: 60 + key.tonic + 2 * i - 12 * Number(key.tonic > 6),
        level: 0.7,
      }
    })
    const play = struckLine([...before, ...score], plan.tune, f.seconds, RATE, seed + 9)
    parts.push({ sound: play.sound, onsets: play.notes.map((n) => n.start) })
  }
  const gains = [1, 0.8, 0.7, 0.7]
  parts.forEach((p, i) => addAt(sound, p.sound, 0, gains[i]! * random.between(0.7, 1.1)))
  const onsets = merged(...parts.map((p) => p.onsets))
  if (plan.intro) {
    const n = Math.round((lead - 0.3) * RATE)
    const held = sustainedLine(
      [{ start: 0.1, end: n / RATE - 0.2, midi: 48 + key.tonic, level: 0.5 }],
      'bowed',
      { legato: 0, vibrato: 10, speed: 5, intonation: 0, tremolo: 0 },
      f.seconds,
      RATE,
      seed,
    )
    addAt(sound, held.sound, 0, 0.4)
    onsets.unshift(0.1)
  }
  const kinds = parts.length
  const kind: Kind = kinds > 1 ? 'mix' : plan.groove ? 'drums' : plan.chords ? 'chords' : 'plucked'
  const early = plan.intro ? Math.floor(((lead - 0.12) * plan.bpm) / 60) : Math.ceil(pickup)
  const grid = gridOf(f, early)
  return {
    name,
    kind,
    drums: plan.groove !== null,
    loop: plan.loop ?? false,
    sampleRate: RATE,
    channels: recorded(
      sound,
      plan.loop ? { reverb: 0.02, hiss: -75 } : roomOf(random),
      random.often(0.7),
      seed,
    ),
    onsets,
    ...grid,
    // A tune alone does not say its key.
    ...(plan.chords ? { key } : {}),
  }
}

/** Recordings in which nothing begins: noise, hum, one long tone with vibrato or tremolo, wind. */
export function stillPiece(
  name: string,
  kind: 'noise' | 'pink' | 'wind' | 'vibrato' | 'tremolo' | 'hum',
  seed: number,
): Piece {
  const random = chance(seed)
  const seconds = 12
  const n = seconds * RATE
  const x = new Float32Array(n)
  const fade = (t: number): number => Math.min(1, t / 0.3, (seconds - t) / 0.3)
  const [hz, depth, speed] = [random.between(110, 700), random.between(0.15, 0.7), random.between(4, 7)]
  const loudness = random.between(0.05, 0.4)
  let [phase, low, slow] = [0, 0, 0]
  for (let i = 0; i < n; i++) {
    const t = i / RATE
    const white = 2 * random() - 1
    low += 0.05 * (white - low)
    slow += 0.00002 * (white - slow)
    const swing = Math.sin(2 * Math.PI * speed * t)
    const bend = kind === 'vibrato' ? (depth * swing) / 12 : 0
    phase += (2 * Math.PI * hz * 2 ** bend) / RATE
    const tone = Math.sin(phase) + 0.5 * Math.sin(2 * phase) + 0.25 * Math.sin(3 * phase)
    const value = {
      noise: white,
      pink: 3 * low + 0.2 * white,
      wind: 4 * low * (1 + 0.6 * Math.sin(0.9 * t + 300 * slow)),
      vibrato: tone + 0.01 * white,
      tremolo: tone * (1 + 0.5 * depth * swing) + 0.01 * white,
      hum: tone + 0.02 * white,
    }[kind]
    x[i] = loudness * fade(t) * value
  }
  return { name, kind: 'soft', loop: false, sampleRate: RATE, channels: [x], onsets: [0.02] }
}
