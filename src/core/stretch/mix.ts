// Mix: whole songs. The low band keeps its tones apart with a long window, the high band its attacks with a short one.
import { bandsOf } from './bands'
import { vocoded } from './chords'
import { remembered } from './remembered'
import type { Method, Quality } from './types'

/** Where the bands part, Hz. */
const CUTOFF = 1500
/** Windows of both bands, seconds. */
const LOW: Record<Quality, number> = { fine: 0.093, draft: 0.046 }
const HIGH: Record<Quality, number> = { fine: 0.046, draft: 0.023 }
/** Output samples made at a time. */
const BLOCK = 4096

const bands = remembered((source) => bandsOf(source, CUTOFF))

/**
 * Renders a span as the sum of its bands. Both begin as the recording and run into it at the end, so together they
 * are the recording there.
 *
 * Source: J. Bonada, "Automatic technique in frequency domain for near-lossless time-scale modification of audio",
 * ICMC 2000 (windows that grow shorter with frequency).
 */
export const mix: Method = (source, span, settings) => {
  const { low, high } = bands(source)
  const voices = [
    vocoded(low, span, settings, LOW[settings.quality]),
    vocoded(high, span, settings, HIGH[settings.quality]),
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
