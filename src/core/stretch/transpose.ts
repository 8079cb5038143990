// Transposition of any method: stretch by the pitch ratio more, then resample back.
import { openReader } from '../audio/reader'
import { courseOf } from './curve'
import { slide, type Beside } from './sliding'
import type { Method, Quality, Source, Span } from './types'

/** Output samples made at a time. */
const BLOCK = 4096
/** A changing pitch is read in straight lines of this many output samples. */
const LINE = 64

/**
 * A method that also transposes by `settings.pitch` and the span's own curve.
 *
 * The span is rendered `pitch` times as long and read `pitch` times as fast through a band-limited kernel. On
 * both sides the kernel sees the recording as it is, or as what rings on is turned there, as it does in the neighbouring
 * spans, so spans join.
 *
 * @param besideOf what a method's voice has beside it, where that is not the recording as it is
 *
 * Source: common practice (time-scaling followed by resampling; e.g. J. Laroche, "Time and pitch scale
 * modification of audio signals", in Kahrs & Brandenburg, 1998).
 */
export function transposed(
  method: Method,
  besideOf: (source: Source, span: Span, quality: Quality) => Beside = () => ({}),
): Method {
  return (source, span, settings) => {
    if (settings.pitch === 1 && !span.curve) return method(source, span, settings)
    const course = courseOf(span, settings.pitch)
    const reader = openReader(source.channels.length, course.steepest, 0)
    const share = span.curve ? { share: (place: number) => course.shareAt(place) } : {}
    const voice = method(source, { ...span, length: course.length, ...share }, settings)
    const beside = besideOf(source, span, settings.quality)
    const wide = slide(voice, source, span, course.length, -reader.from(0), beside)
    const size = span.curve ? LINE : BLOCK
    const block = source.channels.map(() => new Float32Array(size))
    let position = 0
    return {
      pull(out, at, count) {
        for (let done = 0; done < count;) {
          const inside = position % size
          if (inside === 0) {
            const n = Math.min(size, span.length - position)
            const [from, to] = [course.readAt(position), course.readAt(position + n)]
            wide.leave(reader.from(from))
            wide.reach(reader.to(to))
            const outs = block.map((b) => b.subarray(0, n))
            reader.read(wide.channels, wide.base, from, (to - from) / n, outs)
          }
          const n = Math.min(count - done, size - inside)
          block.forEach((b, c) => out[c]!.set(b.subarray(inside, inside + n), at + done))
          position += n
          done += n
        }
      },
    }
  }
}
