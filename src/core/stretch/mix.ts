// Mix: whole songs. The low band keeps its tones apart with a long window, the high band its attacks with a short one.
import { sliceRange } from '../dsp/signal'
import { lowBand } from './bands'
import { vocoded } from './chords'
import type { Method, Quality } from './types'

/** Where the bands part, Hz. */
const CUTOFF = 1500
/** Windows of both bands, seconds. */
const LOW: Record<Quality, number> = { fine: 0.093, draft: 0.046 }
const HIGH: Record<Quality, number> = { fine: 0.046, draft: 0.023 }
/** Recording on either side of a span that the methods may read, seconds. */
const MARGIN = 0.2
/** Output samples made at a time. */
const BLOCK = 4096

/**
 * Renders a span as the sum of its bands. Both begin as the recording and run into it at the end, so together they
 * are the recording there.
 *
 * Source: J. Bonada, "Automatic technique in frequency domain for near-lossless time-scale modification of audio",
 * ICMC 2000 (windows that grow shorter with frequency).
 */
export const mix: Method = (source, span, settings) => {
  const margin = Math.round(MARGIN * source.sampleRate)
  const [from, to] = [span.from - margin, span.to + margin]
  const low = lowBand(source, from, to, CUTOFF)
  const high = source.channels.map((x, c) => {
    const y = sliceRange(x, from, to)
    const l = low[c]!
    for (let i = 0; i < y.length; i++) y[i]! -= l[i]!
    return y
  })
  const inside = { ...span, from: margin, to: margin + span.to - span.from }
  const { sampleRate } = source
  const voices = [
    vocoded({ sampleRate, channels: low }, inside, settings, LOW[settings.quality]),
    vocoded({ sampleRate, channels: high }, inside, settings, HIGH[settings.quality]),
  ] as const
  const other = source.channels.map(() => new Float32Array(BLOCK))
  return {
    pull(out, at, count) {
      for (let done = 0; done < count; done += BLOCK) {
        const n = Math.min(BLOCK, count - done)
        voices[0].pull(out, at + done, n)
        voices[1].pull(other, 0, n)
        out.forEach((o, c) => {
          const x = other[c]!
          for (let i = 0; i < n; i++) o[at + done + i]! += x[i]!
        })
      }
    },
  }
}
