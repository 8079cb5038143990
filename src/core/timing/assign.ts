// Chooses a grid line for every note with its neighbours in mind, by dynamic programming.
import { lastAtOrBelow } from '../search'

/** What is known of one note. */
export interface NotePlace {
  /** Where it sounds now, quarter notes. */
  readonly beat: number
  /** A line chosen beforehand, or null for none. */
  readonly choice?: number | null
}

/** The line chosen for a note. */
export interface Assignment {
  /** Chosen grid line in quarter notes, or null when the note belongs to none. */
  readonly line: number | null
  /** The next best choice, when it is nearly as good: a line or null (no line). */
  readonly rival: number | null | undefined
}

/** Cost of a deviation from the line, for each squared grid step. */
const FAR = 0.6
/** Cost of leaving a note without a line, and of taking up lines again next to it. */
const NO_LINE = 0.3
const BESIDE_NO_LINE = 0.1
/** Cost of a deviation unlike the neighbour's; a player drifts smoothly, so neighbours deviate alike. */
const UNLIKE_NEIGHBOUR = 1
/** Below this difference of cost the choice is told to the person as open. */
const OPEN = 0.06

interface State {
  readonly line: number | null
  /** Deviation in grid steps; 0 for "no line". */
  readonly deviation: number
  readonly own: number
}

/**
 * Assigns notes to grid lines: near ones first, but in order, never two notes on one line, and with deviations
 * that change smoothly from note to note.
 *
 * @param notes in rising order
 * @param lines grid lines, rising, in quarter notes
 * @param step  grid step without swing, quarter notes
 * @returns one assignment a note
 * Source: Viterbi decoding over candidate lines; the continuity term follows the idea of A. T. Cemgil & B. Kappen,
 * "Monte Carlo methods for tempo tracking and rhythm quantization", JAIR 18, 2003, that deviations are correlated.
 */
export function assignLines(
  notes: readonly NotePlace[],
  lines: readonly number[],
  step: number,
): Assignment[] {
  if (notes.length === 0) return []
  const states = notes.map((n) => candidates(n, lines, step))
  const reach = (i: number): number => Math.exp(-(notes[i]!.beat - notes[i - 1]!.beat) / (4 * step))
  const pass = (forward: boolean): number[][] => {
    const cost: number[][] = states.map((s) => s.map(() => 0))
    const order = forward ? states.keys() : [...states.keys()].reverse()
    for (const i of order) {
      const j = forward ? i - 1 : i + 1
      states[i]!.forEach((s, k) => {
        const others = states[j]
        let best = 0
        if (others) {
          best = Infinity
          others.forEach((o, m) => {
            const [a, b] = forward ? [o, s] : [s, o]
            best = Math.min(best, cost[j]![m]! + o.own + transition(a, b, reach(Math.max(i, j))))
          })
        }
        cost[i]![k] = best
      })
    }
    return cost
  }
  const before = pass(true)
  const after = pass(false)
  return decode(states, before, after, reach)
}

function candidates(note: NotePlace, lines: readonly number[], step: number): State[] {
  if (note.choice === null) return [{ line: null, deviation: 0, own: 0 }]
  if (note.choice !== undefined)
    return [{ line: note.choice, deviation: (note.beat - note.choice) / step, own: 0 }]
  const near: { line: number; deviation: number }[] = []
  // In reach only: a long recording has thousands of notes and of lines, and every edit asks anew.
  const before = lastAtOrBelow(lines.length, (i) => lines[i]!, note.beat - step)
  for (let i = Math.max(0, before); i < lines.length; i++) {
    const deviation = (note.beat - lines[i]!) / step
    if (deviation <= -1) break
    if (deviation < 1) near.push({ line: lines[i]!, deviation })
  }
  const nearest = near.sort((a, b) => Math.abs(a.deviation) - Math.abs(b.deviation)).slice(0, 3)
  return [
    ...nearest.map((s) => ({ ...s, own: FAR * s.deviation * s.deviation })),
    { line: null, deviation: 0, own: NO_LINE },
  ]
}

function transition(a: State, b: State, reach: number): number {
  if (a.line === null || b.line === null) return BESIDE_NO_LINE
  if (b.line <= a.line) return Infinity
  return UNLIKE_NEIGHBOUR * reach * (b.deviation - a.deviation) ** 2
}

function decode(
  states: readonly State[][],
  before: readonly number[][],
  after: readonly number[][],
  reach: (i: number) => number,
): Assignment[] {
  const out: Assignment[] = []
  let previous: State | undefined
  let taken = -Infinity
  states.forEach((options, i) => {
    // The best way through that goes on from the state chosen before, so that the choices fit together.
    const through = options.map((s, k) =>
      s.line !== null && s.line <= taken
        ? Infinity
        : s.own + after[i]![k]! + (previous ? transition(previous, s, reach(i)) : 0),
    )
    const best = through.indexOf(Math.min(...through))
    const free = options.map((s, k) => s.own + before[i]![k]! + after[i]![k]!)
    let rival: number | null | undefined
    let rivalCost = free[best]! + OPEN
    free.forEach((f, k) => {
      if (k !== best && f < rivalCost) {
        rival = options[k]!.line
        rivalCost = f
      }
    })
    previous = options[best]!
    taken = previous.line ?? taken
    out.push({ line: previous.line, rival })
  })
  return out
}
