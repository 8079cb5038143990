// A voice that can be looked at around a moving place, without being kept whole.
import { copyRange } from '../dsp/signal'
import type { Source, Span, Voice } from './types'

/** What lies beside a voice, planar: the last samples before its start, the first after its end. */
export interface Beside {
  readonly before?: readonly Float32Array[] | undefined
  readonly after?: readonly Float32Array[] | undefined
}

/** Samples of a voice between two moving ends; before and after it lies the recording beside its span. */
export interface Sliding {
  /** Planar samples; index i is the voice's sample `base + i`. Both may change with `reach` and `leave`. */
  readonly channels: readonly Float32Array[]
  readonly base: number
  /** Makes the samples up to `to` (not included) available. */
  reach(to: number): void
  /** Those before `from` are not needed any more. */
  leave(from: number): void
}

const BLOCK = 4096

/**
 * Opens a voice of a span for looking around.
 *
 * @param length samples the voice has
 * @param before how far before its start will be looked
 * @param beside what lies there instead of the recording, as far as it goes
 */
export function slide(
  voice: Voice,
  source: Source,
  span: Span,
  length: number,
  before: number,
  beside: Beside = {},
): Sliding {
  let room = 8 * BLOCK + before
  let base = -before
  let have = 0
  let channels = source.channels.map((c) =>
    copyRange(c, span.from - before, span.from, new Float32Array(room)),
  )
  beside.before?.forEach((x, c) => copyRange(x, x.length - before, x.length, channels[c]!))
  const fit = (to: number): void => {
    if (to - base <= room) return
    room = 2 * (to - base)
    channels = channels.map((c) => {
      const wider = new Float32Array(room)
      wider.set(c)
      return wider
    })
  }
  return {
    get channels() {
      return channels
    },
    get base() {
      return base
    },
    reach(to) {
      fit(to)
      if (have < Math.min(to, length)) {
        const until = Math.min(length, Math.max(to, have + BLOCK))
        fit(until)
        voice.pull(channels, have - base, until - have)
        have = until
      }
      if (have >= length && have < to) {
        source.channels.forEach((c, i) =>
          copyRange(c, span.to + have - length, span.to + to - length, channels[i]!, have - base),
        )
        beside.after?.forEach((x, i) => copyRange(x, have - length, to - length, channels[i]!, have - base))
        have = to
      }
    },
    leave(from) {
      const gone = from - base
      if (gone < 4 * BLOCK) return
      for (const c of channels) {
        c.copyWithin(0, gone)
        c.fill(0, have - from)
      }
      base = from
    },
  }
}
