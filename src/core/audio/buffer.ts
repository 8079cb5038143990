// Sample buffers: planar 32-bit float audio of any channel count and rate.

/** Planar audio. Every channel has the same length; full scale is ±1. */
export interface AudioData {
  /** Sampling rate, Hz. */
  readonly sampleRate: number
  /** One array a channel, all of one length. */
  readonly channels: readonly Float32Array[]
}

/** Length of a buffer in samples. */
export const lengthOf = (audio: AudioData): number => audio.channels[0]?.length ?? 0

/** A silent buffer. */
export function silence(channelCount: number, length: number, sampleRate: number): AudioData {
  return { sampleRate, channels: Array.from({ length: channelCount }, () => new Float32Array(length)) }
}

/** Mean of the channels (the arithmetic mono sum divided by the channel count). */
export function toMono(channels: readonly Float32Array[]): Float32Array {
  if (channels.length === 1) return channels[0]!
  const out = new Float32Array(channels[0]?.length ?? 0)
  for (const c of channels) for (let i = 0; i < out.length; i++) out[i]! += c[i]!
  const scale = 1 / channels.length
  for (let i = 0; i < out.length; i++) out[i]! *= scale
  return out
}
