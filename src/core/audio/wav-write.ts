// Writes RIFF/WAVE files: 16-bit with dither, 24-bit, or 32-bit float.
import { tpdf } from './dither'
import type { AudioData } from './buffer'

/** Sample formats that are written. */
export type WavDepth = '16' | '24' | '32f'

export const BYTES_PER_SAMPLE: Record<WavDepth, number> = { '16': 2, '24': 3, '32f': 4 }

/** Largest size a plain RIFF file can state, bytes. */
const RIFF_LIMIT = 0xffffffff

/**
 * The header of a WAV file: RIFF up to 4 GiB, RF64 above (EBU Tech 3306).
 *
 * @param frames samples a channel that will follow
 */
export function wavHeader(channels: number, sampleRate: number, frames: number, depth: WavDepth): Uint8Array {
  const step = BYTES_PER_SAMPLE[depth]
  const dataSize = frames * channels * step
  const long = dataSize + 64 > RIFF_LIMIT
  const extra = long ? 36 : 0
  const bytes = new Uint8Array(44 + extra)
  const v = new DataView(bytes.buffer)
  const text = (at: number, s: string) => [...s].forEach((ch, i) => v.setUint8(at + i, ch.charCodeAt(0)))
  text(0, long ? 'RF64' : 'RIFF')
  v.setUint32(4, long ? RIFF_LIMIT : 36 + dataSize + (dataSize & 1), true)
  text(8, 'WAVE')
  if (long) {
    text(12, 'ds64')
    v.setUint32(16, 28, true)
    v.setBigUint64(20, BigInt(72 + dataSize), true)
    v.setBigUint64(28, BigInt(dataSize), true)
    v.setBigUint64(36, BigInt(frames), true)
  }
  const at = 12 + extra
  text(at, 'fmt ')
  v.setUint32(at + 4, 16, true)
  v.setUint16(at + 8, depth === '32f' ? 3 : 1, true)
  v.setUint16(at + 10, channels, true)
  v.setUint32(at + 12, sampleRate, true)
  v.setUint32(at + 16, sampleRate * channels * step, true)
  v.setUint16(at + 20, channels * step, true)
  v.setUint16(at + 22, step * 8, true)
  text(at + 24, 'data')
  v.setUint32(at + 28, long ? RIFF_LIMIT : dataSize, true)
  return bytes
}

const clamp = (n: number, limit: number): number => (n >= limit ? limit - 1 : n < -limit ? -limit : n)

/**
 * Encodes samples interleaved, without a header.
 *
 * 16-bit: TPDF dither is added to every sample that 16 bits cannot hold exactly; a sample that already lies on
 * the 16-bit lattice is written as it is, so untouched 16-bit audio and digital silence come back bit for bit
 * and an edit changes no sample outside its reach. Integer depths clip at full scale.
 *
 * @param channels planar audio
 * @param firstIndex index in the file of the first sample, which places the dither
 */
export function encodeSamples(
  channels: readonly Float32Array[],
  depth: WavDepth,
  firstIndex = 0,
): Uint8Array {
  const frames = channels[0]?.length ?? 0
  const count = channels.length
  const step = BYTES_PER_SAMPLE[depth]
  const bytes = new Uint8Array(frames * count * step)
  const v = new DataView(bytes.buffer)
  for (let c = 0; c < count; c++) {
    const x = channels[c]!
    let p = c * step
    const stride = step * count
    for (let i = 0; i < frames; i++, p += stride) {
      if (depth === '32f') v.setFloat32(p, x[i]!, true)
      else if (depth === '24') {
        const n = clamp(Math.round(x[i]! * 8388608), 8388608)
        v.setInt16(p, n & 0xffff, true)
        v.setInt8(p + 2, n >> 16)
      } else {
        const scaled = x[i]! * 32768
        const n = Number.isInteger(scaled) ? scaled : Math.round(scaled + tpdf(firstIndex + i, c))
        v.setInt16(p, clamp(n, 32768), true)
      }
    }
  }
  return bytes
}

/**
 * A whole WAV file in memory.
 *
 * @param depth '16' (TPDF dither), '24' or '32f'
 */
export function writeWav(audio: AudioData, depth: WavDepth): Uint8Array {
  const body = encodeSamples(audio.channels, depth)
  const header = wavHeader(audio.channels.length, audio.sampleRate, audio.channels[0]?.length ?? 0, depth)
  const out = new Uint8Array(header.length + body.length + (body.length & 1))
  out.set(header)
  out.set(body, header.length)
  return out
}
