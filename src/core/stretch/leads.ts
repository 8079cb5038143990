// Which spans tones ring on through.
import { isReshaped, isVerbatim } from './spans'
import { hashText } from '../hash'
import type { TimeMap } from '../timing/time-map'
import type { Span, StretchSettings } from './types'

/** Within so much of the recording spans depend on those before them, seconds. */
const CELL = 2
/** Spans shorter than this are too short for frames, samples. */
const LEAST_SPAN = 384

/**
 * Leads spans of a vocoder by the one before, so that tones ring on through attacks that do not raise them.
 *
 * Not through the map's own knots, so that an edit changes nothing but what is beside a knot that it moves; and what depends on
 * what is bounded at fixed places of the recording, so that little is made for what is before it. Spans that are verbatim, or whose
 * pitch or formants change, neither lead nor follow.
 */
export function led(
  spans: readonly Span[],
  map: TimeMap,
  settings: StretchSettings,
  rate: number,
): readonly Span[] {
  if ((settings.method !== 'chords' && settings.method !== 'mix') || isReshaped(settings)) return spans
  const knots = new Set(map.map((k) => k.source))
  const cell = ({ from }: Span): number => Math.floor(from / (CELL * rate))
  const follows = (s: Span): boolean =>
    !isVerbatim(s, settings) && !s.curve && Math.min(s.length, s.to - s.from) >= LEAST_SPAN
  let lead: Span | undefined
  return spans.map((span, i) => {
    const next = spans[i + 1]
    const { from, to, length, attackAtStart, joinsStart } = span
    const ringsOn =
      next && !knots.has(to) && cell(span) === cell(next) && follows(span) && follows(next)
        ? hashText([lead?.ringsOn, from, to, length, attackAtStart, joinsStart].join())
        : undefined
    const made: Span = { ...span, ...(lead ? { lead } : {}), ...(ringsOn ? { ringsOn } : {}) }
    lead = ringsOn ? made : undefined
    return made
  })
}
