// Edits of the tempo inside a range that takes as long as before, so that nothing outside it moves.
import { InputError } from '../errors'
import { beats } from '../units'
import {
  beatToSeconds,
  BPM_RANGE,
  bpmAt,
  stepIn,
  withTempoIn,
  type TempoMap,
  type TempoStep,
} from './tempo-map'

/** A range of beats. */
export interface BeatRange {
  readonly from: number
  readonly to: number
}

/** Beats by which a tempo that is not gone on from is given earlier. */
const JUST_BEFORE = 1e-6

const lasting = (map: TempoMap, { from, to }: BeatRange): number =>
  beatToSeconds(map, to) - beatToSeconds(map, from)

/** Steps of a map inside a range, at so many times their tempo. */
function stepsIn(map: TempoMap, { from, to }: BeatRange, times: number): TempoStep[] {
  if (!(to - from > JUST_BEFORE)) return []
  const inside = [
    { ...stepIn(map, from), beat: beats(from), bpm: bpmAt(map, from) },
    ...map.filter((s) => s.beat > from && s.beat < to),
  ]
  // A ramp that the range cuts ends there with the tempo it has reached.
  const end = beats(to - JUST_BEFORE)
  if (inside[inside.length - 1]!.ramp) inside.push({ beat: end, bpm: bpmAt(map, end) })
  return inside.map((s) => ({ ...s, bpm: s.bpm * times }))
}

/**
 * An edited map whose held range takes as long as before: what was not edited in it becomes evenly faster or slower;
 * where all of it was edited, the edit itself does, which then keeps its shape.
 *
 * @param before, after the map without and with the edit
 * @param edited beats that the edit concerns, inside the held range
 * @throws InputError when the edit lies outside, is longer than the range, or the rest would leave 10-999 BPM
 */
export function heldRange(before: TempoMap, after: TempoMap, held: BeatRange, edited: BeatRange): TempoMap {
  if (edited.from < held.from - JUST_BEFORE || edited.to > held.to + JUST_BEFORE)
    throw new InputError('That lies outside the bars that may change; let all change, or hold a wider range.')
  const left = { from: held.from, to: edited.from }
  const right = { from: edited.to, to: held.to }
  const rest = lasting(before, left) + lasting(before, right)
  const room = lasting(before, held) - lasting(after, edited)
  const all = rest < 1e-6
  const times = all ? lasting(after, held) / lasting(before, held) : rest / room
  const inside = [
    ...stepsIn(before, left, times),
    ...stepsIn(after, edited, all ? times : 1),
    ...stepsIn(before, right, times),
  ]
  if (!(times > 0) || inside.some((s) => !(s.bpm >= BPM_RANGE.min && s.bpm <= BPM_RANGE.max)))
    throw new InputError('The other bars that may change cannot make up for that; hold a wider range.')
  return withTempoIn(before, held.from, held.to, inside)
}
