// Tempo and meter maps as Standard MIDI Files: written here, read by a library.
import midi from '@tonejs/midi'
import { InputError } from '../errors'
import { barOfBeat, type MeterMap, type MeterStep } from '../music/meter-map'
import { TICKS_PER_QUARTER } from '../music/position'
import { beatToSeconds, BPM_RANGE, type TempoMap } from '../music/tempo-map'
import { beats } from '../units'

/** A ramp is written as steps of this many quarter notes. */
const RAMP_STEP = 0.25
/** Whole microseconds round a tempo; when the time has strayed by so much, a step is put in that makes it up, seconds. */
const MOST_OFF = 1e-4
/** Steps that make up are this many quarter notes apart at least. */
const CHECK_EVERY = 16

const variable = (n: number): number[] => {
  const out = [n & 0x7f]
  for (let rest = n >> 7; rest > 0; rest >>= 7) out.unshift((rest & 0x7f) | 0x80)
  return out
}
const big = (n: number, bytes: number): number[] =>
  Array.from({ length: bytes }, (_, i) => (n / 2 ** (8 * (bytes - 1 - i))) & 0xff)

interface Event {
  readonly tick: number
  readonly data: readonly number[]
}

/** Places at which a tempo is written: every step, along ramps, and now and then to make up for rounding. */
function tempoPlaces(tempo: TempoMap, end: number): number[] {
  const places = new Set<number>()
  tempo.forEach((step, i) => {
    const to = Math.min(tempo[i + 1]?.beat ?? end, end)
    const by = step.ramp ? RAMP_STEP : CHECK_EVERY
    for (let b: number = step.beat; b < to; b += by) places.add(Math.round(b * TICKS_PER_QUARTER))
  })
  return [...places].sort((a, b) => a - b)
}

/**
 * Tempo changes in whole microseconds a quarter note, each chosen so that the time of the next place is met: rounding
 * does not add up over a song.
 */
function tempoEvents(tempo: TempoMap, end: number): Event[] {
  const places = tempoPlaces(tempo, end)
  const out: Event[] = []
  let written = 0
  let last = 0
  places.forEach((tick, i) => {
    const next = places[i + 1] ?? Math.round(end * TICKS_PER_QUARTER)
    const quarters = (next - tick) / TICKS_PER_QUARTER
    const wanted = beatToSeconds(tempo, next / TICKS_PER_QUARTER)
    const plain = wanted - beatToSeconds(tempo, tick / TICKS_PER_QUARTER)
    const off = written - beatToSeconds(tempo, tick / TICKS_PER_QUARTER)
    const length = Math.abs(off) > MOST_OFF ? wanted - written : plain
    const us = quarters > 0 ? Math.round((length * 1e6) / quarters) : last || 500000
    if (us !== last) out.push({ tick, data: [0xff, 0x51, 3, ...big(us, 3)] })
    last = us
    written += (us * quarters) / 1e6
  })
  return out
}

/**
 * A Standard MIDI File, format 0, with a tempo map and a meter map.
 *
 * Times read back agree within 0.2 ms: the format counts whole microseconds a quarter note, and where rounding would
 * add up to more a step is put in. Ramps are steps of a sixteenth.
 *
 * @param end last beat, quarter notes
 * @param name name of the track, for showing
 * @throws InputError for a tempo slower than the format can say (3.6 BPM)
 * Source: MIDI Association, "Standard MIDI Files 1.0" (RP-001), 1988 (MThd, FF 51, FF 58).
 */
export function writeSmf(tempo: TempoMap, meter: MeterMap, end: number, name: string): Uint8Array {
  if (tempo.some((s) => 6e7 / s.bpm > 0xffffff))
    throw new InputError('A tempo below 3.6 BPM cannot be written to a MIDI file.')
  // The format's texts are ASCII.
  const title = [...name].map((c) => (c.charCodeAt(0) < 128 ? c.charCodeAt(0) : 63))
  const meters = meter.map((m): Event => {
    const tick = Math.round(startOfBar(meter, m.bar) * TICKS_PER_QUARTER)
    return { tick, data: [0xff, 0x58, 4, m.numerator, Math.log2(m.denominator), 96 / m.denominator, 8] }
  })
  const events = [
    { tick: 0, data: [0xff, 0x03, ...variable(title.length), ...title] },
    ...[...meters, ...tempoEvents(tempo, end)].sort((a, b) => a.tick - b.tick),
    { tick: Math.round(end * TICKS_PER_QUARTER), data: [0xff, 0x2f, 0] },
  ]
  let at = 0
  const track = events.flatMap((e) => {
    const delta = Math.max(0, e.tick - at)
    at += delta
    return [...variable(delta), ...e.data]
  })
  return Uint8Array.from([
    ...[0x4d, 0x54, 0x68, 0x64, 0, 0, 0, 6, 0, 0, 0, 1],
    ...big(TICKS_PER_QUARTER, 2),
    ...[0x4d, 0x54, 0x72, 0x6b],
    ...big(track.length, 4),
    ...track,
  ])
}

function startOfBar(meter: MeterMap, bar: number): number {
  let beat = 0
  meter.forEach((m, i) => {
    const to = Math.min(bar, meter[i + 1]?.bar ?? bar)
    if (to > m.bar) beat += ((to - m.bar) * m.numerator * 4) / m.denominator
  })
  return beat
}

export interface Maps {
  readonly tempo: TempoMap
  readonly meter: MeterMap
}

/**
 * Tempo and meter map of a Standard MIDI File; 120 BPM and 4/4 where it names none.
 *
 * @throws InputError when it is no MIDI file, counts in video frames, or has a tempo outside 10-999 BPM
 */
export function readSmf(bytes: Uint8Array): Maps {
  let file: InstanceType<typeof midi.Midi>
  try {
    if (String.fromCharCode(...bytes.subarray(0, 4)) !== 'MThd') throw new Error('no header')
    if (bytes[12]! & 0x80) throw new Error('frames')
    file = new midi.Midi(bytes)
  } catch (e) {
    throw new InputError(
      (e as Error).message === 'frames'
        ? 'This MIDI file counts in video frames, not in beats; export it with beats.'
        : 'This is no Standard MIDI File; choose one that ends in .mid.',
    )
  }
  const { header } = file
  const tempo = header.tempos.map((t) => ({ beat: beats(t.ticks / header.ppq), bpm: t.bpm }))
  const wrong = tempo.find((t) => !(t.bpm >= BPM_RANGE.min && t.bpm <= BPM_RANGE.max))
  if (wrong)
    throw new InputError(
      `This MIDI file has a tempo of ${wrong.bpm.toFixed(1)} BPM; only ${BPM_RANGE.min} to ${BPM_RANGE.max} can be used.`,
    )
  if (tempo[0]?.beat !== 0) tempo.unshift({ beat: beats(0), bpm: 120 })
  let meter: MeterStep[] = [{ bar: 0, numerator: 4, denominator: 4 }]
  for (const t of header.timeSignatures) {
    const [numerator = 4, denominator = 4] = t.timeSignature
    const { index } = barOfBeat(meter, t.ticks / header.ppq)
    const last = meter[meter.length - 1]!
    const kept = index === last.bar ? meter.slice(0, -1) : meter
    meter = [...kept, { bar: index, numerator, denominator }]
  }
  return { tempo, meter }
}
