// Edits of the tempo and meter maps.
import { InputError } from '../errors'
import { heldRange, type BeatRange } from '../music/held-range'
import { barAt, withMeterIn, type MeterMap } from '../music/meter-map'
import {
  beatToSeconds,
  BPM_RANGE,
  constantTempo,
  secondsToBeat,
  withTempoIn,
  type TempoMap,
  type TempoStep,
} from '../music/tempo-map'
import type { Pin } from '../timing/clip-map'
import { beats, type Beats } from '../units'
import type { Session } from './types'

/** A typed tempo is within this of the one that is meant, BPM. */
const AS_TYPED = 0.005

/** What recordings that do not follow the tempo do when it changes. */
export type WhenTempoChanges = 'stay in seconds' | 'stay on their beats'

/** @throws InputError outside 10-999 BPM */
export const checkedTempo = (bpm: number): number => {
  if (!(bpm >= BPM_RANGE.min && bpm <= BPM_RANGE.max))
    throw new InputError(
      `${Number(bpm.toFixed(2))} BPM is outside ${BPM_RANGE.min} to ${BPM_RANGE.max}; choose another tempo.`,
    )
  return bpm
}

/**
 * The session under another tempo map, with every clip at its own speed where it sounds now, its pins too; clips that
 * follow the tempo keep their beats.
 *
 * @param shift seconds by which what stays is moved
 */
export function keepingSeconds(session: Session, tempo: TempoMap, shift = 0): Session {
  const moved = (b: number): Beats => secondsToBeat(tempo, beatToSeconds(session.tempo, b) + shift)
  return {
    ...session,
    tempo,
    tracks: session.tracks.map((t) => ({
      ...t,
      clips: t.clips.map((c) =>
        c.base.kind === 'beats'
          ? c
          : {
              ...c,
              place: moved(c.place),
              pins: c.pins.map((p): Pin => ({ ...p, place: moved(p.place) })),
            },
      ),
    })),
  }
}

const withTempo = (session: Session, tempo: TempoMap, then: WhenTempoChanges): Session =>
  then === 'stay in seconds' ? keepingSeconds(session, tempo) : { ...session, tempo }

/**
 * One tempo for a range.
 *
 * @param to   end of the range, beats, or null for all from `from` on; what follows keeps its tempo
 * @param held range around it that takes as long as before, so that nothing outside it moves; its other bars make up
 * @throws InputError outside 10-999 BPM, or when the held range cannot make up for it
 */
export function setTempoIn(
  session: Session,
  from: number,
  to: number | null,
  bpm: number,
  then: WhenTempoChanges,
  held: BeatRange | null = null,
): Session {
  const { tempo } = session
  const end = to ?? held?.to ?? null
  const one = (b: number): TempoMap => withTempoIn(tempo, from, end, [{ beat: beats(from), bpm: b }])
  const edited = one(checkedTempo(bpm))
  if (!held || end === null) return withTempo(session, edited, then)
  if (from > held.from || end < held.to)
    return withTempo(session, heldRange(tempo, edited, held, { from, to: end }), then)
  const average = averageTempo(tempo, from, end)
  if (from < held.from || end > held.to || Math.abs(bpm - average) > AS_TYPED)
    throw new InputError(
      `For the bars outside to stay, one tempo for all that may change can only be their average, ${Number(averageTempo(tempo, held.from, held.to).toFixed(2))} BPM; change some of them, or make a ramp.`,
    )
  return withTempo(session, one(average), then)
}

/**
 * A tempo that changes evenly over a range and then stays.
 *
 * @param held range around it that takes as long as before, so that nothing outside it moves; its other bars make up,
 *             or the ramp itself, in the same proportion, where it is all of that range
 * @throws InputError outside 10-999 BPM, or when the held range cannot make up for it
 */
export function rampTempo(
  session: Session,
  from: number,
  to: number,
  start: number,
  end: number,
  then: WhenTempoChanges,
  held: BeatRange | null = null,
): Session {
  if (!(to > from)) throw new InputError('A ramp needs a range; select one from its first bar to its last.')
  const ramp: TempoStep[] = [
    { beat: beats(from), bpm: checkedTempo(start), ramp: true },
    { beat: beats(to), bpm: checkedTempo(end) },
  ]
  const edited = withTempoIn(session.tempo, from, null, ramp)
  return withTempo(session, held ? heldRange(session.tempo, edited, held, { from, to }) : edited, then)
}

/** Average tempo of a range, quarter notes a minute: what takes as long. */
export const averageTempo = (tempo: TempoMap, from: number, to: number): number =>
  ((to - from) * 60) / (beatToSeconds(tempo, to) - beatToSeconds(tempo, from))

/** One tempo for everything: what `flatten` leaves of a map. */
export const flattenTempo = (session: Session, bpm: number, then: WhenTempoChanges): Session =>
  withTempo(session, constantTempo(checkedTempo(bpm)), then)

/**
 * Another meter from a bar on.
 *
 * @param from bar, from 0; @param to bar after the last, or null
 * @throws InputError for a meter that cannot be counted
 */
export function setMeterIn(
  session: Session,
  from: number,
  to: number | null,
  numerator: number,
  denominator: number,
): Session {
  if (!Number.isInteger(numerator) || numerator < 1 || numerator > 32)
    throw new InputError('A bar has 1 to 32 beats; type a whole number.')
  if (![1, 2, 4, 8, 16, 32].includes(denominator))
    throw new InputError('The lower number of a meter must be 1, 2, 4, 8, 16 or 32.')
  return { ...session, meter: withMeterIn(session.meter, from, to, numerator, denominator) }
}

/** Bars of a session from the first to the last that a beat range touches, with their tempo. */
export function barTempos(
  session: Session,
  from: number,
  to: number,
): { bar: number; start: Beats; bpm: number }[] {
  const out: { bar: number; start: Beats; bpm: number }[] = []
  const { meter, tempo } = session
  for (let i = 0; ; i++) {
    const bar = barAt(meter, i)
    if (bar.start >= to) return out
    if (bar.start + bar.length > from) out.push({ bar: i, start: bar.start, bpm: averageOf(tempo, meter, i) })
  }
}

const averageOf = (tempo: TempoMap, meter: MeterMap, i: number): number => {
  const bar = barAt(meter, i)
  return averageTempo(tempo, bar.start, bar.start + bar.length)
}
