// Sharp beginnings inside a span, which nobody marked, begin on time as attacks do.
import { chained } from './copy'
import { risesIn } from './rises'
import type { Source, Span, Voice } from './types'

/**
 * A span in parts that begin where the sound does.
 *
 * @param open the voice of a part
 */
export function atRises(source: Source, span: Span, open: (part: Span) => Voice): Voice {
  const rises = risesIn(source, span.from, span.to)
  if (rises.length === 0) return open(span)
  const places = [span.from, ...rises, span.to]
  const landing = (place: number): number =>
    Math.round(landingOf(span, (place - span.from) / (span.to - span.from)))
  const parts = places.slice(1).map((to, i): Span => {
    const from = places[i]!
    return {
      from,
      to,
      length: landing(to) - landing(from),
      attackAtStart: i > 0 || span.attackAtStart,
      attackAtEnd: to < span.to || span.attackAtEnd,
      joinsStart: i > 0 || span.joinsStart,
      joinsEnd: to < span.to || span.joinsEnd,
      ...(span.share ? { share: partOf(span, landing(from), landing(to)) } : {}),
    }
  })
  return chained(parts.map((part) => [part.length, () => open(part)]))
}

/** Output sample at which a share of the recording sounds. */
function landingOf(span: Span, share: number): number {
  if (!span.share || share <= 0 || share >= 1) return share * span.length
  let [lo, hi] = [0, span.length]
  while (hi - lo > 0.25) {
    const mid = (lo + hi) / 2
    if (span.share(mid) < share) lo = mid
    else hi = mid
  }
  return (lo + hi) / 2
}

/** The share inside a part of a span's output. */
function partOf(span: Span, from: number, to: number): (n: number) => number {
  const share = span.share!
  const [a, b] = [share(from), share(to)]
  return (n) => (share(from + n) - a) / (b - a)
}
