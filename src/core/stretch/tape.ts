// Tape: the recording at another speed; pitch follows.
import { openReader } from '../audio/reader'
import type { Method } from './types'

/** Output samples made at a time, whatever is asked for. */
const BLOCK = 4096

/**
 * Renders a span by band-limited resampling. Neighbouring spans read on from the same place of the recording, so
 * they join by themselves.
 *
 * Source: J. O. Smith, "Digital audio resampling", CCRMA, Stanford; images more than 100 dB down (test).
 */
export const tape: Method = (source, span) => {
  const step = (span.to - span.from) / span.length
  const block = source.channels.map(() => new Float32Array(BLOCK))
  const reader = openReader(block.length, step, span.from)
  let position = 0
  return {
    pull(out, at, count) {
      for (let done = 0; done < count;) {
        const inside = position % BLOCK
        if (inside === 0) reader.read(source.channels, 0, span.from + position * step, step, block)
        const n = Math.min(count - done, BLOCK - inside)
        block.forEach((b, c) => out[c]!.set(b.subarray(inside, inside + n), at + done))
        position += n
        done += n
      }
    },
  }
}
