// Long spans without an attack, in parts: what a method needs at a time does not grow with the recording.
import { chained } from './copy'
import { curveInside } from './curve'
import type { Source, Span, Voice } from './types'

/** Spans are divided at multiples of this in the recording, seconds. */
const PART = 20
/** No part is shorter than this, seconds. */
const LEAST = 5

/**
 * A span divided at fixed places of the recording. Every part begins as the recording and runs into it, as spans do;
 * what is shorter than two parts stays whole.
 *
 * @param open the voice of a part
 */
export function inParts(source: Source, span: Span, open: (part: Span) => Voice): Voice {
  const [step, least] = [PART, LEAST].map((s) => Math.round(s * source.sampleRate)) as [number, number]
  const places = [span.from]
  for (let p = Math.ceil((span.from + least) / step) * step; p <= span.to - least; p += step) places.push(p)
  if (places.length < 3) return open(span)
  places.push(span.to)
  const landing = (place: number): number =>
    Math.round(((place - span.from) * span.length) / (span.to - span.from))
  return chained(
    places.slice(1).map((to, i) => {
      const from = places[i]!
      const length = landing(to) - landing(from)
      const { curve: whole, shiftAtStart, shiftAtEnd, ...rest } = span
      const curve = whole && curveInside(whole, from, to)
      const part: Span = {
        ...rest,
        from,
        to,
        length,
        attackAtStart: span.attackAtStart && i === 0,
        attackAtEnd: span.attackAtEnd && to === span.to,
        joinsStart: span.joinsStart || i > 0,
        joinsEnd: span.joinsEnd || to < span.to,
        ...(curve ? { curve } : {}),
        ...(shiftAtStart && i === 0 ? { shiftAtStart } : {}),
        ...(shiftAtEnd && to === span.to ? { shiftAtEnd } : {}),
      }
      return [length, () => open(part)]
    }),
  )
}
