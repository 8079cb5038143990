// Transposition of any method: stretch by the pitch ratio more, then resample back.
import { kernelReach, readResampled } from '../audio/resample'
import { copyRange } from '../dsp/signal'
import { voiceOf } from './copy'
import type { Method } from './types'

/**
 * A method that also transposes by `settings.pitch`.
 *
 * The span is rendered `pitch` times as long and read `pitch` times as fast through a band-limited kernel. On
 * both sides the kernel sees the recording as it is, as it does in the neighbouring spans, so spans join.
 *
 * Source: common practice (time-scaling followed by resampling; e.g. J. Laroche, "Time and pitch scale
 * modification of audio signals", in Kahrs & Brandenburg, 1998).
 */
export function transposed(method: Method): Method {
  return (source, span, settings) => {
    if (settings.pitch === 1) return method(source, span, settings)
    const stretchedLength = Math.max(1, Math.round(span.length * settings.pitch))
    const step = stretchedLength / span.length
    const margin = kernelReach(step)
    const voice = method(source, { ...span, length: stretchedLength }, settings)
    const wide = source.channels.map(() => new Float32Array(stretchedLength + 2 * margin))
    voice.pull(wide, margin, stretchedLength)
    return voiceOf(
      wide.map((x, c) => {
        const recording = source.channels[c]!
        copyRange(recording, span.from - margin, span.from, x, 0)
        copyRange(recording, span.to, span.to + margin, x, margin + stretchedLength)
        return readResampled(x, margin, step, new Float32Array(span.length))
      }),
    )
  }
}
