// The tempo that a file states in its tags: ID3, Vorbis comments, RIFF and AIFF chunks.
import { isAiff } from '../audio/aiff'

const LOW = 20
const HIGH = 400
const plausible = (bpm: unknown): bpm is number =>
  typeof bpm === 'number' && Number.isFinite(bpm) && bpm >= LOW && bpm <= HIGH

/**
 * Tempo of a loop description chunk ("acid") of a WAV file: the 32-bit float at byte 20 of 24.
 *
 * Source: common practice; layout from memory.
 */
export function tempoInLoopChunk(bytes: Uint8Array): number | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const name = (at: number): string => String.fromCharCode(...bytes.subarray(at, at + 4))
  if (bytes.length < 12 || name(0) !== 'RIFF') return null
  for (let at = 12; at + 8 <= bytes.length;) {
    const size = view.getUint32(at + 4, true)
    if (name(at) === 'acid' && size >= 24 && at + 32 <= bytes.length) {
      const bpm = view.getFloat32(at + 28, true)
      return plausible(bpm) ? bpm : null
    }
    at += 8 + size + (size & 1)
  }
  return null
}

/**
 * What a WAV or AIFF file says besides its samples, as a file of its own.
 *
 * @param before its bytes up to the chunk that holds the samples; @param after those after it
 */
export function withoutSamples(before: Uint8Array, after: Uint8Array): Uint8Array {
  const out = new Uint8Array(before.length + after.length)
  out.set(before)
  out.set(after, before.length)
  new DataView(out.buffer).setUint32(4, out.length - 8, !isAiff(out))
  return out
}

/**
 * The tempo stated in a file's tags.
 *
 * @param bytes a whole WAV, AIFF, FLAC, MP3, Ogg or M4A file
 * @returns BPM, or null where there is none or the tags cannot be read; damaged tags are no reason to refuse audio
 */
export async function tempoInTags(bytes: Uint8Array): Promise<number | null> {
  const chunk = tempoInLoopChunk(bytes)
  if (chunk !== null) return chunk
  try {
    // Fetched when there is a file with tags to read: every other start is that much shorter.
    const { parseBuffer } = await import('music-metadata')
    const { common } = await parseBuffer(bytes, undefined, { skipCovers: true, duration: false })
    return plausible(common.bpm) ? common.bpm : null
  } catch {
    return null
  }
}
