// Voices that need no stretching: verbatim recording, and samples made beforehand.
import { copyRange } from '../dsp/signal'
import type { Readable, Source, Span, Voice } from './types'

/** A voice over samples that are already there. */
export function voiceOf(channels: readonly Float32Array[]): Voice {
  let position = 0
  return {
    pull(out, at, count) {
      channels.forEach((c, i) => out[i]!.set(c.subarray(position, position + count), at))
      position += count
    },
  }
}

/** Samples [from, to) of all channels. */
export function rangeOf(source: Readable, from: number, to: number): Float32Array[] {
  return Array.from({ length: source.count }, (_, c) => {
    const x = new Float32Array(to - from)
    source.read(c, from, to, x, 0)
    return x
  })
}

/** The recording bit for bit; the span's length is that of its source. */
export function copyVoice(source: Source, span: Span): Voice {
  let position = span.from
  return {
    pull(out, at, count) {
      source.channels.forEach((c, i) => {
        out[i]!.fill(0, at, at + count)
        copyRange(c, position, position + count, out[i]!, at)
      })
      position += count
    },
  }
}

/** Voices one after another, each opened when its turn comes. */
export function chained(parts: readonly (readonly [length: number, open: () => Voice])[]): Voice {
  let k = -1
  let left = 0
  let voice: Voice
  return {
    pull(out, at, count) {
      for (let done = 0; done < count;) {
        while (left === 0) {
          const [length, open] = parts[++k]!
          left = length
          if (length > 0) voice = open()
        }
        const n = Math.min(left, count - done)
        voice.pull(out, at + done, n)
        left -= n
        done += n
      }
    },
  }
}
