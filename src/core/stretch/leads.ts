// Which spans tones ring on through.
import { isReshaped, isVerbatim } from './spans'
import { hashText } from '../hash'
import type { TimeMap } from '../timing/time-map'
import type { Span, StretchSettings, Toward } from './types'

/** Within so much of the recording spans depend on those before them, seconds. */
const CELL = 2
/** Spans shorter than this are too short for frames, samples. */
const LEAST_SPAN = 384

/** With less of the recording than this on either side of a place, tones there are not told from attacks nearby, seconds. */
const ROOM = 0.05

/**
 * Has tones ring on from one span of a vocoder to the next, through attacks that do not raise them.
 *
 * Between the map's own knots the span before leads: its tones go on with the phases they have, within fixed places of
 * the recording, so that little is made for what is before it, and turn in equal steps towards where they are to be at the end of
 * each. At those places, and through the map's own knots, which may be moved,
 * every tone has the phase of one that always sounded steadily, as far as its pitch is known: it is as much later
 * there as the map puts the place itself. That is known of the place alone, so that an edit changes nothing but what is
 * beside a knot that it moves; and a tone that is steady from one knot to the next has the phases of both by itself.
 * Where pitch or formants change tones ring on like this through every attack; a transposed recording is stretched by its pitch more,
 * and later by as much. Spans that are verbatim, too short for frames, or whose pitch follows a curve begin and end as the
 * recording does.
 *
 * @param origin what shifts count from: by how much all places are later where nothing is bent, samples
 */
export function led(
  spans: readonly Span[],
  map: TimeMap,
  settings: StretchSettings,
  rate: number,
  origin = 0,
): readonly Span[] {
  const { method, pitch } = settings
  // A tape's own speed changes its pitch; what is transposed besides is stretched like Chords.
  const tape = method === 'tape' && pitch !== 1
  if (method !== 'chords' && method !== 'mix' && !tape) return spans
  const knots = new Set(map.map((k) => k.source))
  const cell = ({ from }: Span): number => Math.floor(from / (CELL * rate))
  const stretched = (s: Span): number => pitch * (tape ? s.to - s.from : s.length)
  const follows = (s: Span): boolean =>
    !isVerbatim(s, settings) && !s.curve && Math.min(stretched(s), s.to - s.from) >= LEAST_SPAN
  let target = map[0]!.target
  let here = follows(spans[0]!)
  const ends = spans.map((span, i): End => {
    const next = spans[i + 1]
    const { from, to, length } = span
    target += length
    const there = next !== undefined && follows(next)
    const through = here && there
    here = there
    return {
      later: Math.round(pitch * (tape ? to : target - origin) - to),
      goesOn: through && !isReshaped(settings) && !knots.has(to) && cell(span) === cell(next),
      roomy: through && Math.min(to - from, next.to - next.from) >= ROOM * rate,
    }
  })
  const towards = towardsOf(spans, ends)
  let lead: Span | undefined
  let shiftAtStart = 0
  return spans.map((span, i) => {
    const { later, goesOn, roomy } = ends[i]!
    const toward = towards[i]
    const made: { -readonly [K in keyof Span]: Span[K] } = { ...span }
    if (lead) made.lead = lead
    if (shiftAtStart) made.shiftAtStart = shiftAtStart
    lead = undefined
    if (goesOn) {
      const { from, to, length, attackAtStart, joinsStart } = span
      if (toward) made.toward = toward
      const on = toward && Object.values(toward)
      const before = made.lead?.ringsOn
      made.ringsOn = hashText([before, from, to, length, attackAtStart, joinsStart, shiftAtStart, on].join())
      shiftAtStart = 0
      return (lead = made)
    }
    shiftAtStart = roomy ? later : 0
    if (shiftAtStart) made.shiftAtEnd = shiftAtStart
    return made
  })
}

/** What is known of a span's end. */
interface End {
  /** By how much it is later than in the recording, samples. */
  readonly later: number
  /** Tones ring on there with the phases they have. */
  readonly goesOn: boolean
  /** Tones may be told from attacks there. */
  readonly roomy: boolean
}

/** For spans whose tones ring on, where they are to be at the end of the last one of these. */
function towardsOf(spans: readonly Span[], ends: readonly End[]): (Toward | undefined)[] {
  const towards = spans.map((): Toward | undefined => undefined)
  let last = 0
  let left = 0
  for (let i = spans.length - 1; i >= 0; i--) {
    const { later, goesOn, roomy } = ends[i]!
    const { length } = spans[i]!
    if (!goesOn) {
      last = i
      left = length
      continue
    }
    left += length
    const end = ends[last]!
    if (roomy && spans[last]!.joinsEnd)
      towards[i] = { shift: end.roomy ? end.later : 0, rest: end.later - later, share: length / left }
  }
  return towards
}
