// Quantize: what would move, from where to where, before anything is applied.
import { gridLines, gridStep, type Grid } from '../music/grid'
import type { MeterMap } from '../music/meter-map'
import { beatToSeconds, secondsToBeat, type TempoMap } from '../music/tempo-map'
import { beats, type Beats, type Samples } from '../units'
import { assignLines, type Assignment } from './assign'
import { toTarget, type TimeMap } from './time-map'

export interface QuantizeSettings {
  readonly grid: Grid
  /** 0-100: share of the way to the line that a note is moved. */
  readonly strength: number
  /** Notes at most this far from their line stay where they are, milliseconds. */
  readonly leaveAlone: number
  /** No note is moved further than this, milliseconds. */
  readonly largestMove: number
}

/** A note that quantize may move. */
export interface QuantizeNote {
  /** Attack in the recording, the recording's own samples. */
  readonly source: Samples
  /** Held by a pin of the person's own: it stays, and its neighbours are judged by it. */
  readonly held: boolean
  /** The line somebody chose for it (quarter notes), or null for no line; left out, the line is found. */
  readonly choice?: number | null
}

/** What quantize would do with one note. */
export interface Move {
  readonly source: Samples
  /** Where it sounds without this quantize. */
  readonly from: Beats
  /** Where it would sound. */
  readonly to: Beats
  /** The grid line chosen for it, or null: it moves along with its neighbours. */
  readonly line: Beats | null
  /** Another choice nearly as good (a line, or null for none); undefined when the choice is clear. */
  readonly rival: Beats | null | undefined
  /** from → to, milliseconds; positive is later. */
  readonly moved: number
  /** from - line, milliseconds; 0 without a line. */
  readonly deviation: number
  readonly held: boolean
}

export interface QuantizeContext {
  readonly tempo: TempoMap
  readonly meter: MeterMap
  readonly sampleRate: number
  readonly recordingRate: number
  /** The clip's time map without the pins this quantize would replace. */
  readonly map: TimeMap
}

/** Notes closer than this share of a grid step belong together (a flam, a strum) and move as one. */
const TOGETHER_SHARE = 0.3
const TOGETHER_SECONDS = 0.045

/**
 * Proposes moves for the notes of a range.
 *
 * @param notes in rising order
 * @returns one move a note, in order; places rise strictly
 */
export function proposeQuantize(
  notes: readonly QuantizeNote[],
  s: QuantizeSettings,
  c: QuantizeContext,
): Move[] {
  if (notes.length === 0) return []
  const scale = c.sampleRate / c.recordingRate
  const at = (n: QuantizeNote): number => toTarget(c.map, n.source * scale) / c.sampleRate
  const places = notes.map((n) => ({ second: at(n), beat: secondsToBeat(c.tempo, at(n)) as number, note: n }))
  const step = gridStep(s.grid)
  const groups = group(places, step)
  const heads = groups.map((g) => g[0]!)
  const lines = gridLines(
    c.meter,
    s.grid,
    heads[0]!.beat - 2 * step,
    heads[heads.length - 1]!.beat + 2 * step,
  )
  const assigned = assignLines(
    heads.map((h) =>
      h.note.choice === undefined ? { beat: h.beat } : { beat: h.beat, choice: h.note.choice },
    ),
    lines,
    step,
  )
  const shifts = shiftsOf(groups, assigned, s, c)
  const moves = groups.flatMap((members, i) => {
    const head = members[0]!
    const { line, rival } = assigned[i]!
    return members.map((m): Move => {
      const own = m === head ? line : null
      const exact = own !== null && reaches(s, head.second, own, c) && shifts[i] !== 0
      return {
        source: m.note.source,
        from: beats(m.beat),
        // Full strength lands on the line itself, not on a number a rounding away from it.
        to: exact ? beats(own) : secondsToBeat(c.tempo, m.second + shifts[i]!),
        line: own === null ? null : beats(own),
        rival: m === head ? (rival as Beats | null | undefined) : undefined,
        moved: shifts[i]! * 1000,
        deviation: own === null ? 0 : (head.second - beatToSeconds(c.tempo, own)) * 1000,
        held: m.note.held,
      }
    })
  })
  return inOrder(moves, c)
}

/** Seconds each group moves; a group without a line goes along with the groups around it. */
function shiftsOf(
  groups: readonly Placed[][],
  assigned: readonly Assignment[],
  s: QuantizeSettings,
  c: QuantizeContext,
): number[] {
  const fixed = groups.map((members, i): number | undefined => {
    if (members.some((m) => m.note.held)) return 0
    const { line } = assigned[i]!
    return line === null ? undefined : shiftFor(members[0]!.second, beatToSeconds(c.tempo, line), s)
  })
  return fixed.map((shift, i) => {
    if (shift !== undefined) return shift
    let a = i
    let b = i
    while (a >= 0 && fixed[a] === undefined) a--
    while (b < fixed.length && fixed[b] === undefined) b++
    if (a < 0 || b >= fixed.length) return fixed[a] ?? fixed[b] ?? 0
    const [from, to] = [groups[a]![0]!.second, groups[b]![0]!.second]
    return fixed[a]! + ((groups[i]![0]!.second - from) / (to - from)) * (fixed[b]! - fixed[a]!)
  })
}

/** Least distance two notes keep when one moves towards the other, seconds. */
const LEAST_APART = 0.002

function inOrder(moves: Move[], c: QuantizeContext): Move[] {
  const second = (beat: number): number => beatToSeconds(c.tempo, beat)
  for (let i = 1; i < moves.length; i++) {
    const m = moves[i]!
    const least = second(moves[i - 1]!.to) + LEAST_APART
    if (second(m.to) >= least || m.held) continue
    moves[i] = { ...m, to: secondsToBeat(c.tempo, least), moved: (least - second(m.from)) * 1000 }
  }
  return moves
}

interface Placed {
  readonly second: number
  readonly beat: number
  readonly note: QuantizeNote
}

/** Gathers near-doubles behind the first of them. */
function group(places: readonly Placed[], step: number): Placed[][] {
  const groups: Placed[][] = []
  for (const p of places) {
    const head = groups[groups.length - 1]?.[0]
    if (head && p.second - head.second < TOGETHER_SECONDS && p.beat - head.beat < TOGETHER_SHARE * step)
      groups[groups.length - 1]!.push(p)
    else groups.push([p])
  }
  return groups
}

/** Seconds to move a note that sounds at `second` and belongs at `line`. */
function shiftFor(second: number, line: number, s: QuantizeSettings): number {
  const deviation = second - line
  if (Math.abs(deviation) * 1000 <= s.leaveAlone) return 0
  const limit = s.largestMove / 1000
  return Math.max(-limit, Math.min(limit, (-deviation * s.strength) / 100))
}

function reaches(s: QuantizeSettings, second: number, line: number | null, c: QuantizeContext): boolean {
  if (line === null || s.strength < 100) return false
  return Math.abs(second - beatToSeconds(c.tempo, line)) * 1000 <= s.largestMove
}

/** Counts for the preview. */
export interface QuantizeSummary {
  /** Notes looked at, and how many would move by more than a twentieth of a millisecond (two samples). */
  readonly notes: number
  readonly moving: number
  /** Median and largest size of a move among those that move, milliseconds. */
  readonly median: number
  readonly largest: number
  /** Notes that could go either way. */
  readonly open: number
  /** Notes with no line of their own. */
  readonly offGrid: number
}

/** Sums up proposed moves. */
export function summarize(moves: readonly Move[]): QuantizeSummary {
  const sizes = moves.map((m) => Math.abs(m.moved)).filter((m) => m > 0.05)
  sizes.sort((a, b) => a - b)
  const middle = sizes.length >> 1
  const median =
    sizes.length === 0 ? 0 : sizes.length % 2 ? sizes[middle]! : (sizes[middle - 1]! + sizes[middle]!) / 2
  return {
    notes: moves.length,
    moving: sizes.length,
    median,
    largest: sizes[sizes.length - 1] ?? 0,
    open: moves.filter((m) => m.rival !== undefined).length,
    offGrid: moves.filter((m) => m.line === null && !m.held).length,
  }
}
