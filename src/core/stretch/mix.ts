// Mix: whole songs. Tones are stretched as Chords, attacks and noise as Line, each on its own, and added again.
import { sliceRange } from '../dsp/signal'
import { chords } from './chords'
import { line } from './line'
import { tonesOf } from './separate'
import type { Method } from './types'

/** Recording on either side of a span that the methods may read, seconds. */
const MARGIN = 0.2
/** Output samples made at a time. */
const BLOCK = 4096

/**
 * Renders a span as the sum of its tones and of what is left without them. Both begin as the recording and run into
 * it at the end, so together they are the recording there.
 *
 * Source: J. Driedger, M. Müller & S. Ewert, "Improving time-scale modification of music signals using
 * harmonic-percussive separation", IEEE Signal Processing Letters 21(1), 2014.
 */
export const mix: Method = (source, span, settings) => {
  const margin = Math.round(MARGIN * source.sampleRate)
  const [from, to] = [span.from - margin, span.to + margin]
  const tones = tonesOf(source, from, to)
  const rest = source.channels.map((x, c) => {
    const y = sliceRange(x, from, to)
    const t = tones[c]!
    for (let i = 0; i < y.length; i++) y[i]! -= t[i]!
    return y
  })
  const inside = { ...span, from: margin, to: margin + span.to - span.from }
  const { sampleRate } = source
  const voices = [
    chords({ sampleRate, channels: tones }, inside, settings),
    line({ sampleRate, channels: rest }, inside, settings),
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
