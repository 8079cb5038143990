// Notes: the pitch line split where a new note begins, each with the numbers a player would name.
import { workspace } from '../../dsp/kernels/kernels'
import type { Pitch } from './track'
import { withoutVibrato } from './vibrato'

/** One note of a single-note line. Times are seconds of the recording. */
export interface Note {
  readonly start: number
  readonly end: number
  /** Centre: robust mean of the stable part, fractional MIDI number. */
  readonly midi: number
  /** 0-1. */
  readonly confidence: number
  /** Where its pitch starts and ends relative to its centre, cents: glide in and glide out. */
  readonly glideIn: number
  readonly glideOut: number
  /** Slow change from beginning to end of the stable part, cents. */
  readonly drift: number
  /** Vibrato: cycles a second (0 when there is none) and cents each way from the centre. */
  readonly vibrato: { readonly rate: number; readonly depth: number }
}

/** An attack that may begin a note: time in seconds and strength 0-1. */
export interface Attack {
  readonly time: number
  readonly strength: number
}

const toMidi = (hz: number): number => 69 + 12 * Math.log2(hz / 440)

/** Pitches a note may be held at, steps a semitone. */
const STEPS = 3
const LOW = 20
const HIGH = 93
const STATES = (HIGH - LOW) * STEPS
/** Spread of the line around a held note, semitones, and the most a frame may cost. */
const SPREAD = 0.45
const MOST_COST = 4
/** Cost of a frame without a pitch in a note, and of one with a pitch in silence. */
const SILENT = 1.2
/** Cost of a new note: at another pitch, at an attack of full strength; and of starting or ending one. */
const NEW_NOTE = 16
const AT_ATTACK = 3
const OPEN = 1.5
/** Repeated notes need an attack at least this strong. */
const REPEAT_STRENGTH = 0.5
/** Shorter notes are glides, seconds. */
const SHORTEST = 0.045
/** An attack counts for frames this near, seconds. */
const NEAR = 0.03

/** Stretch of frames [from, to) held at one pitch. */
export interface Segment {
  readonly from: number
  readonly to: number
}

/**
 * Splits a pitch line into held notes: a Viterbi path over pitches a third of a semitone apart and silence, where a
 * change of note is cheap at an attack and dear elsewhere.
 *
 * Source: M. Mauch et al., TENOR 2015 (a hidden Markov model of notes over a pitch line), with attacks as evidence.
 */
export function segmentNotes(pitch: Pitch, attacks: readonly Attack[]): Segment[] {
  const { f0, hop } = pitch
  const frames = f0.length
  const attackAt = new Float32Array(frames)
  const repeatAt = new Uint8Array(frames)
  const near = Math.round(NEAR / hop)
  for (const a of attacks) {
    const centre = Math.round(a.time / hop)
    for (let f = Math.max(0, centre - near); f <= Math.min(frames - 1, centre + near); f++)
      attackAt[f] = Math.max(attackAt[f]!, a.strength)
    if (centre >= 0 && centre < frames && a.strength >= REPEAT_STRENGTH) repeatAt[centre] = 1
  }
  const shortest = Math.round(SHORTEST / hop)
  // Each sounding stretch by itself, so that memory follows its length and not the recording's.
  return soundingStretches(f0, Math.round(APART / hop)).flatMap(({ from, to }) =>
    segmentStretch(
      f0.subarray(from, to),
      attackAt.subarray(from, to),
      repeatAt.subarray(from, to),
      shortest,
    ).map((s) => ({ from: s.from + from, to: s.to + from })),
  )
}

/** Unvoiced for longer than this, two sounds have nothing to do with each other, seconds. */
const APART = 0.2

/** Stretches of voiced frames with gaps of at most `gap` frames. */
function soundingStretches(f0: Float32Array, gap: number): Segment[] {
  const out: Segment[] = []
  let from = -1
  let last = -1
  for (let f = 0; f < f0.length; f++) {
    if (f0[f]! <= 0) continue
    if (from >= 0 && f - last > gap) {
      out.push({ from, to: last + 1 })
      from = f
    } else if (from < 0) from = f
    last = f
  }
  if (from >= 0) out.push({ from, to: last + 1 })
  return out
}

/** Memory for one step of the search. */
function roomForSteps() {
  const { run, floats, doubles, bytes } = workspace(3 * (STATES + 1) + 2 * STATES, 4)
  const pitches = doubles(STATES)
  for (let s = 0; s < STATES; s++) pitches[s] = LOW + s / STEPS
  return { run, pitches, held: bytes(STATES), one: floats(STATES + 1), other: floats(STATES + 1) }
}
let room: ReturnType<typeof roomForSteps> | undefined

function segmentStretch(
  f0: Float32Array,
  attackAt: Float32Array,
  repeatAt: Uint8Array,
  shortest: number,
): Segment[] {
  const frames = f0.length
  // State s < STATES is a held pitch; STATES is silence. `back` is the best state before each frame.
  const back = new Uint16Array(frames)
  const stays = new Uint8Array(frames * (STATES + 1))
  room ??= roomForSteps()
  const { run, held, pitches } = room
  let [cost, next] = [room.one.fill(0), room.other]
  for (let f = 0; f < frames; f++) {
    const hz = f0[f]!
    const best = run.leastOf(cost.byteOffset, STATES + 1)
    back[f] = cost[best] === cost[STATES] ? STATES : best
    const floor = cost[back[f]!]!
    const change = NEW_NOTE - (NEW_NOTE - AT_ATTACK) * Math.min(1, 1.4 * attackAt[f]!)
    const enter = floor + (back[f] === STATES ? OPEN : change)
    run.holdStep(
      cost.byteOffset,
      next.byteOffset,
      held.byteOffset,
      pitches.byteOffset,
      STATES,
      hz > 0 ? toMidi(hz) : -1,
      SPREAD,
      MOST_COST,
      SILENT,
      floor,
      enter,
    )
    const base = f * (STATES + 1)
    stays.set(held, base)
    const quiet = cost[STATES]! - floor
    stays[base + STATES] = quiet <= OPEN ? 1 : 0
    next[STATES] = Math.min(quiet, OPEN) + (hz > 0 ? SILENT : 0)
    ;[cost, next] = [next, cost]
  }
  return readBack(cost, back, stays, frames, repeatAt, shortest)
}

function readBack(
  cost: Float32Array,
  back: Uint16Array,
  stays: Uint8Array,
  frames: number,
  repeatAt: Uint8Array,
  shortest: number,
): Segment[] {
  let state = 0
  for (let s = 1; s <= STATES; s++) if (cost[s]! < cost[state]!) state = s
  const segments: Segment[] = []
  let to = frames
  for (let f = frames - 1; f >= 0; f--) {
    const stay = stays[f * (STATES + 1) + state] === 1
    const repeat = state !== STATES && repeatAt[f] === 1 && to - f >= shortest
    if (!stay || repeat || f === 0) {
      if (state !== STATES && to - f >= shortest) segments.push({ from: f, to })
      to = f
      if (!stay) state = back[f]!
    }
  }
  return segments.reverse()
}

const median = (x: number[]): number => x.sort((a, b) => a - b)[x.length >> 1] ?? NaN

/** Straight line through (i, y): slope a frame. */
function slope(y: readonly number[]): number {
  const n = y.length
  const mean = (n - 1) / 2
  let num = 0
  let den = 0
  for (let i = 0; i < n; i++) {
    num += (i - mean) * y[i]!
    den += (i - mean) ** 2
  }
  return den > 0 ? num / den : 0
}

/**
 * Rate and depth of a vibrato: the strongest cycle between 3.5 and 9 Hz of the line about its own slow course.
 *
 * @param line fractional MIDI a frame; @param hop seconds
 * Source: range of rates after J. Sundberg, "Acoustic and psychoacoustic aspects of vocal vibrato", STL-QPSR 1994.
 */
export function vibratoOf(line: readonly number[], hop: number): Note['vibrato'] {
  const none = { rate: 0, depth: 0 }
  if (line.length * hop < 0.3) return none
  const a = slope(line)
  const mean = line.reduce((s, v) => s + v, 0) / line.length
  const flat = line.map((v, i) => v - mean - a * (i - (line.length - 1) / 2))
  const total = flat.reduce((s, v) => s + v * v, 0)
  let best = { power: 0, rate: 0 }
  for (let rate = 3.5; rate <= 9; rate += 0.1) {
    let re = 0
    let im = 0
    flat.forEach((v, i) => {
      re += v * Math.cos(2 * Math.PI * rate * hop * i)
      im += v * Math.sin(2 * Math.PI * rate * hop * i)
    })
    const power = (re * re + im * im) * (2 / line.length)
    if (power > best.power) best = { power, rate }
  }
  const depth = 100 * Math.sqrt((2 * best.power) / line.length)
  return best.power > 0.4 * total && depth > 6 ? { rate: best.rate, depth } : none
}

/** A segment may begin this long after, or before, the attack that it belongs to, seconds. */
const LATE = 0.1
const EARLY = 0.03

/** Notes no farther apart than this are played in one, seconds; hardly ever so far down, semitones. */
const IN_ONE = 0.1
const FAR_DOWN = 11.5

/** Strings that ring together have a common period, far below either: what goes down there unstruck is no note. */
const isCommonPeriod = (before: Note, note: Note): boolean =>
  note.start - before.end < IN_ONE && before.midi - note.midi > FAR_DOWN

/** What is heard of a damped note in its room: as high, unstruck, soon after it and short, semitones and seconds. */
const AS_HIGH = 0.3
const SOON = 0.15
const SHORT = 0.16

/** A room that gives a damped note back is no note. */
const isItsRoom = (before: Note, note: Note): boolean =>
  Math.abs(before.midi - note.midi) < AS_HIGH &&
  note.start - before.end < SOON &&
  note.end - note.start < Math.min(SHORT, before.end - before.start)

/**
 * Notes of a pitch line: held notes, each begun at its attack where it has one.
 *
 * @param attacks in rising order
 */
export function findNotes(pitch: Pitch, attacks: readonly Attack[]): Note[] {
  const notes: Note[] = []
  let k = 0
  const steady = { ...pitch, f0: withoutVibrato(pitch.f0, pitch.hop) }
  for (const segment of segmentNotes(steady, attacks)) {
    const note = measureNote(pitch, segment, steady)
    if (!note) continue
    while (k < attacks.length && attacks[k]!.time < note.start - LATE) k++
    let start = note.start
    let nearest = Infinity
    for (let i = k; i < attacks.length && attacks[i]!.time <= note.start + EARLY; i++) {
      const away = Math.abs(attacks[i]!.time - note.start)
      if (away < nearest) [start, nearest] = [attacks[i]!.time, away]
    }
    const last = notes[notes.length - 1]
    if (nearest === Infinity && last && (isCommonPeriod(last, note) || isItsRoom(last, note))) continue
    if (last && last.end > start) {
      // What began at the same attack is a glide into this note.
      if (last.start >= start - 0.01) notes.pop()
      else notes[notes.length - 1] = { ...last, end: start }
    }
    notes.push({ ...note, start })
  }
  return notes
}

/** Measures a segment of the pitch line. @param steady the same line without wide vibrato */
export function measureNote(pitch: Pitch, segment: Segment, steady = pitch): Note | null {
  const { f0, voicing, hop } = pitch
  const line: number[] = []
  const wavering: number[] = []
  let sure = 0
  for (let f = segment.from; f < segment.to; f++)
    if (f0[f]! > 0) {
      line.push(toMidi(steady.f0[f]!))
      wavering.push(toMidi(f0[f]!))
      sure += voicing[f]!
    }
  if (line.length < 4) return null
  const middle = median([...line])
  // The stable part: without the glides at either end, which lie away from the median.
  const edge = Math.min(Math.floor(line.length / 4), Math.round(0.08 / hop))
  let from = 0
  let to = line.length
  while (from < edge && Math.abs(line[from]! - middle) > 0.25) from++
  while (to > line.length - edge && Math.abs(line[to - 1]! - middle) > 0.25) to--
  const isNear = (v: number): boolean => Math.abs(v - middle) < 1
  const stable = line.slice(from, to).filter(isNear)
  const centre = stable.reduce((s, v) => s + v, 0) / Math.max(1, stable.length)
  const inside = stable.filter((v) => Math.abs(v - centre) < 0.6).length / line.length
  return {
    start: segment.from * hop,
    end: segment.to * hop,
    midi: centre,
    confidence: Math.min(1, (sure / line.length) * inside),
    glideIn: 100 * (median(line.slice(0, 3)) - centre),
    glideOut: 100 * (median(line.slice(-3)) - centre),
    drift: 100 * slope(stable) * stable.length,
    vibrato: vibratoOf(
      wavering.slice(from, to).filter((_, i) => isNear(line[from + i]!)),
      hop,
    ),
  }
}
