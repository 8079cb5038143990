// Conversion of recordings to another rate.
import type { AudioData } from './buffer'
import { openReader } from './reader'

/** Output samples between two calls of `progress`. */
const STEP = 65536

/**
 * Converts audio to another rate, band-limited (reader.ts); the same rate returns the same object.
 *
 * @param progress told the share done, 0-1; may throw to cancel
 * @returns round(length · rate / audio.sampleRate) samples a channel
 */
export function resample(audio: AudioData, rate: number, progress?: (done: number) => void): AudioData {
  if (rate === audio.sampleRate) return audio
  const step = audio.sampleRate / rate
  const length = Math.round((audio.channels[0]?.length ?? 0) / step)
  const channels = audio.channels.map(() => new Float32Array(length))
  const reader = openReader(channels.length, step, 0)
  for (let at = 0; at < length; at += STEP) {
    progress?.(at / length)
    const outs = channels.map((x) => x.subarray(at, Math.min(length, at + STEP)))
    reader.read(audio.channels, 0, at * step, step, outs)
  }
  return { sampleRate: rate, channels }
}
