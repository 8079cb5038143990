// Chords: a phase vocoder between attacks; the attacks themselves are the recording's own samples.
import { copyRange } from '../dsp/signal'
import { rangeOf } from './copy'
import { hits } from './hits'
import { crossfadeTo } from './joins'
import { OVERLAP, vocoder, type Layout } from './vocoder'
import type { Method, Quality, Readable, Source, Span, StretchSettings, Voice } from './types'

/** A recording as it is. */
const plain = ({ sampleRate, channels }: Source): Readable => ({
  sampleRate,
  count: channels.length,
  read: (c, from, to, out, at) => void copyRange(channels[c]!, from, to, out, at),
})

/** Window, seconds: long enough to part the lowest partials of a guitar. */
const WINDOW: Record<Quality, number> = { fine: 0.066, draft: 0.033 }
const LEAST_WINDOW = 256
/** Verbatim recording after an attack, the crossfade at its end included, ms: as long as a quick strum. */
const HEAD = 24
const HEAD_FADE = 4
function layoutOf(source: Readable, span: Span, seconds: number): Layout | undefined {
  const shortest = Math.min(span.length, span.to - span.from)
  let size = 2 ** Math.round(Math.log2(seconds * source.sampleRate))
  while (size > shortest / 1.5 && size > LEAST_WINDOW) size /= 2
  if (size > shortest / 1.5) return undefined
  const hop = size / OVERLAP
  const ms = source.sampleRate / 1000
  const head = span.attackAtStart ? Math.min(size / 2, Math.round(HEAD * ms)) : span.joinsStart ? hop : 0
  const headFade = Math.min(head, span.attackAtStart ? Math.round(HEAD_FADE * ms) : hop)
  const tail = span.attackAtEnd && span.joinsEnd ? Math.min(Math.round(1.5 * ms), hop >> 1) : 0
  const tailFade = !span.joinsEnd ? 0 : span.attackAtEnd ? Math.min(Math.round(4 * ms), hop) : size / 4
  return { size, hop, head, headFade, tailFade, tail }
}

/**
 * Renders a span with a phase vocoder.
 *
 * The first milliseconds of the attack at its start are copied; then frames go on in phase from it, which read nothing
 * of that attack and nothing of the next. Every frame's phases advance by what the recording's phases advance over one
 * output hop at that place, so the map may change its slope anywhere. The end fades into the recording before the next
 * knot.
 *
 * Source: J. Laroche & M. Dolson, IEEE Trans. SAP 7(3), 1999 (phases: dsp/kernels/assembly/phases.ts); attacks kept apart as in C. Duxbury, M. Davies &
 * M. Sandler, "Improved time-scaling of musical audio using phase locking at transients", AES 112th Conv., 2002.
 */
export const chords: Method = (source, span, settings) =>
  vocoded(plain(source), span, settings, WINDOW[settings.quality])

/** The same with a window of a given length. @param seconds rounded to a power of two samples */
export function vocoded(source: Readable, span: Span, settings: StretchSettings, seconds: number): Voice {
  const layout = layoutOf(source, span, seconds)
  if (layout) return chordsVoice(source, span, layout)
  // Too short for a window: so short that it can be read as a whole.
  const { sampleRate } = source
  const margin = Math.round(0.01 * sampleRate)
  const channels = rangeOf(source, span.from - margin, span.to + margin)
  const inside = { ...span, from: margin, to: margin + span.to - span.from }
  return hits({ sampleRate, channels }, inside, { ...settings, fill: 'mirror', tail: 100 })
}

function chordsVoice(source: Readable, span: Span, l: Layout): Voice {
  const channelCount = source.count
  const body = vocoder(source, span, l)
  const planar = (n: number) => Array.from({ length: channelCount }, () => new Float32Array(n))
  const tailStart = span.length - l.tail - l.tailFade
  let position = 0
  let ending: Float32Array[] | undefined

  /** The head: verbatim, fading into the body at its end. */
  const readHead = (out: readonly Float32Array[], at: number, count: number): void => {
    const stretched = planar(count)
    body(stretched, 0, count)
    const copied = rangeOf(source, span.from + position, span.from + position + count)
    for (let i = 0; i < count; i++) {
      // In phase by construction, so gains that sum to one.
      const x = Math.min(1, Math.max(0, (position + i - (l.head - l.headFade) + 0.5) / l.headFade))
      for (let c = 0; c < channelCount; c++)
        out[c]![at + i] = x === 0 ? copied[c]![i]! : (1 - x) * copied[c]![i]! + x * stretched[c]![i]!
    }
  }

  /** Everything from `tailStart` on, made at once since the fade's gains depend on all of it. */
  const makeEnding = (): Float32Array[] => {
    const out = planar(l.tailFade + l.tail)
    body(out, 0, l.tailFade)
    const recorded = rangeOf(source, span.to - l.tail - l.tailFade, span.to)
    crossfadeTo(out, 0, l.tailFade, recorded, 0)
    recorded.forEach((x, c) => out[c]!.set(x.subarray(l.tailFade), l.tailFade))
    return out
  }

  return {
    pull(out, at, count) {
      for (let done = 0; done < count;) {
        const left = count - done
        if (position < l.head) {
          const n = Math.min(left, l.head - position)
          readHead(out, at + done, n)
          position += n
          done += n
        } else if (position < tailStart) {
          const n = Math.min(left, tailStart - position)
          body(out, at + done, n)
          position += n
          done += n
        } else {
          ending ??= makeEnding()
          const from = position - tailStart
          ending.forEach((x, c) => out[c]!.set(x.subarray(from, from + left), at + done))
          position += left
          done += left
        }
      }
    },
  }
}
