// One drum alone. Its loudest strokes lie between the beats, as what is loud is not always what is counted; or it plays even
// strokes in a loop of a few bars, loosely.
import { addAt } from '../../demo/instruments/room'
import { chance, type Chance } from './chance'
import { drums, type Frame, type Part } from './parts'
import { frameOf, gridOf, METERS, recorded, roomOf } from './pieces'
import type { Hit } from './score'
import { strike, type Strike } from './strikes'
import type { Piece } from './types'

const SOUNDS: readonly Strike[] = ['snare', 'hat', 'tom', 'clap', 'shaker']
const FEELS = ['steady', 'steady', 'loose', 'drift'] as const
const SECONDS = 20
/** Pieces of a seed. */
const COUNT = 20
/** What a frame has after its last beat, seconds. */
const AFTER = 0.6
/** Sixteenths of a beat. */
const STEPS = 4

/** A drum as a recording in one channel, with the beats of its frame. */
export const drumAlone = (
  name: string,
  f: Frame,
  { sound, onsets }: Part,
  room: Parameters<typeof recorded>[1],
  seed: number,
): Piece => ({
  name,
  kind: 'drums',
  loop: false,
  sampleRate: f.rate,
  channels: recorded(sound, room, false, seed),
  onsets,
  ...gridOf(f, 0),
})

/** Strokes of a bar: loud half-way between beats, light or missing on them. @param period beats after which they come again */
function pattern(beats: number, period: number, sound: Strike, random: Chance): Hit[] {
  const onBeats = random.between(0, 0.35)
  const left = random.between(0.2, 0.9)
  const level = (step: number): number => {
    if (step === STEPS / 2) return random.between(0.8, 1)
    if (step === 0) return random.often(0.8) ? onBeats : 0
    return random.often(left) ? 0 : random.between(0.15, 0.4)
  }
  const phrase = Array.from({ length: period * STEPS }, (_, k) => level(k % STEPS))
  return Array.from({ length: beats * STEPS }, (_, k): Hit => ({
    at: k / STEPS,
    sound,
    level: phrase[k % phrase.length]!,
  })).filter((h) => h.level > 0)
}

function offbeatPiece(name: string, meter: '4/4' | '3/4', seed: number): Piece {
  const random = chance(seed)
  const bpm = random.between(66, 126)
  const beats = METERS[meter]!.beatsPerBar
  const bars = Math.round((random.between(0.4, 1) * SECONDS * bpm) / 60 / beats)
  const f = frameOf(meter, bpm, random.pick(FEELS), bars, random.between(0.05, 0.9), random)
  // Three beats want a bar that can be told from the next one.
  const period = meter === '3/4' ? beats : random.pick([1, 2, 2, 4])
  const sound = random.pick(SOUNDS)
  const hits = pattern(beats, period, sound, random)
  const first: Hit[] = meter === '3/4' || random.often(0.35) ? [{ at: 0, sound: 'kick', level: 0.7 }] : []
  const part = drums(f, [...first, ...hits.filter((h) => h.at > 0 || !first.length)], 0, random)
  return drumAlone(name, f, part, roomOf(random), seed)
}

/** Makers of the off-beats of a seed. */
export const offbeatsFrom = (base: number): (() => Piece)[] =>
  Array.from(
    { length: COUNT },
    (_, i) => () => offbeatPiece(`off-beats ${i}`, i % 5 === 4 ? '3/4' : '4/4', base + 10 * i),
  )

/** Loops of even strokes of a seed. */
const LOOPS = 25
/** Meters of loops, slowest and fastest beat, and the strokes that a beat may have. */
const EVEN = [
  ['4/4', 76, 140, [2, 4]],
  ['4/4', 76, 140, [2, 4]],
  ['4/4', 76, 140, [2, 3, 4]],
  ['3/4', 80, 170, [2, 4]],
  ['6/8', 160, 330, [1, 2]],
] as const

/** A loop of even strokes, its beats a little or much louder than what lies between; what rings over its end may be lost. */
function evenLoop(
  name: string,
  [meter, slowest, fastest, strokes]: (typeof EVEN)[number],
  seed: number,
): Piece {
  const random = chance(seed)
  const f = frameOf(meter, random.between(slowest, fastest), 'steady', random.pick([1, 1, 2, 4]), 0, random)
  const beats = METERS[meter]!.beatsPerBar
  const length = Math.round((f.seconds - AFTER) * f.rate)
  const steps = random.pick(strokes)
  const loose = random.between(0, 0.012)
  const [accent, light, left] = [
    random.between(0.6, 0.95),
    random.between(0.15, 0.55),
    random.pick([0, 0, 0.2]),
  ]
  const group = meter === '6/8' ? 3 : 1
  const [sound, size] = [random.pick(SOUNDS), random.between(0.85, 1.2)]
  const ringing = new Float32Array(2 * length)
  const onsets: number[] = []
  for (let k = 0; k < f.bars * beats * steps; k++) {
    const onBeat = k % (steps * group) === 0
    if (!onBeat && random.often(left)) continue
    const at = Math.max(0, Math.round((f.clock.at(k / steps) + random.loose(loose)) * f.rate))
    const level = (k % (steps * beats) === 0 ? 1 : onBeat ? accent : light) * random.between(0.85, 1.1)
    addAt(ringing, strike(sound, f.rate, seed + at, size), at, 0.6 * level)
    onsets.push(at / f.rate)
  }
  const played = ringing.slice(0, length)
  if (random.often(0.5)) addAt(played, ringing.subarray(length), 0, 1)
  return { ...drumAlone(name, f, { sound: played, onsets }, { reverb: 0.02, hiss: -75 }, seed), loop: true }
}

/** Makers of the loops of a seed. */
export const evenLoopsFrom = (base: number): (() => Piece)[] =>
  Array.from(
    { length: LOOPS },
    (_, i) => () => evenLoop(`even loop ${i}`, EVEN[i % EVEN.length]!, base + 7000 + 10 * i),
  )
