// Reads AIFF and uncompressed AIFF-C files.
import { InputError } from '../errors'
import { deinterleave, MAX_CHANNELS, plainMemory, requireFinite, type DecodedFile } from './wav-read'

const fourCC = (v: DataView, at: number): string =>
  String.fromCharCode(v.getUint8(at), v.getUint8(at + 1), v.getUint8(at + 2), v.getUint8(at + 3))

/** True when the bytes begin as an AIFF or AIFF-C file does. */
export function isAiff(bytes: Uint8Array): boolean {
  if (bytes.length < 12) return false
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  return fourCC(v, 0) === 'FORM' && (fourCC(v, 8) === 'AIFF' || fourCC(v, 8) === 'AIFC')
}

/** An 80-bit IEEE 754 extended number, as AIFF states its rate. */
function readExtended(v: DataView, at: number): number {
  const head = v.getUint16(at)
  const mantissa = v.getUint32(at + 2) * 2 ** 32 + v.getUint32(at + 6)
  return (head & 0x8000 ? -1 : 1) * mantissa * 2 ** ((head & 0x7fff) - 16383 - 63)
}

/** How each kind of sample is read; little-endian integers are AIFF-C type `sowt`. */
function readerFor(bits: number, type: string): ((v: DataView, at: number) => number) | undefined {
  const little = type === 'sowt'
  if (type === 'fl32' || type === 'FL32') return (v, at) => v.getFloat32(at)
  if (type === 'fl64' || type === 'FL64') return (v, at) => v.getFloat64(at)
  if (type !== 'NONE' && type !== 'twos' && !little) return undefined
  if (bits <= 8) return (v, at) => v.getInt8(at) / 128
  if (bits <= 16) return (v, at) => v.getInt16(at, little) / 32768
  if (bits <= 24)
    return little
      ? (v, at) => ((v.getInt8(at + 2) << 16) | v.getUint16(at, true)) / 8388608
      : (v, at) => ((v.getInt16(at) << 8) | v.getUint8(at + 2)) / 8388608
  if (bits <= 32) return (v, at) => v.getInt32(at, little) / 2147483648
  return undefined
}

/**
 * Decodes an AIFF or uncompressed AIFF-C file (integer 8-32 bit, `sowt`, `fl32`, `fl64`).
 *
 * @param allocate gives the memory for a channel's samples
 * @throws InputError when the file is damaged, empty, compressed or holds samples that are not numbers
 * Source: Apple, "Audio Interchange File Format: AIFF", version 1.3 (1989), and the AIFF-C draft (1991).
 */
export function readAiff(bytes: Uint8Array, allocate = plainMemory): DecodedFile {
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  let common: { channels: number; bits: number; rate: number; type: string } | undefined
  let sound: { at: number; size: number; claimed: number } | undefined
  for (let at = 12; at + 8 <= v.byteLength;) {
    const id = fourCC(v, at)
    const claimed = v.getUint32(at + 4)
    const body = at + 8
    const size = Math.min(claimed, v.byteLength - body)
    if (id === 'COMM' && size >= 18) {
      common = {
        channels: v.getUint16(body),
        bits: v.getUint16(body + 6),
        rate: readExtended(v, body + 8),
        type: size >= 22 ? fourCC(v, body + 18) : 'NONE',
      }
    }
    if (id === 'SSND' && size >= 8) {
      const offset = v.getUint32(body)
      sound = { at: body + 8 + offset, size: size - 8 - offset, claimed: claimed - 8 - offset }
    }
    at = body + claimed + (claimed & 1)
  }
  if (!common)
    throw new InputError(
      'The AIFF file has no readable common block; it is cut short or damaged, export it again.',
    )
  if (common.channels < 1 || common.channels > MAX_CHANNELS)
    throw new InputError(
      `The AIFF header says ${common.channels} channels; 1 to ${MAX_CHANNELS} can be read.`,
    )
  if (!(common.rate >= 1000 && common.rate <= 768000))
    throw new InputError('The AIFF header states no usable sampling rate; export the file again.')
  const read = readerFor(common.bits, common.type)
  if (!read)
    throw new InputError(
      `The AIFF file is compressed (${common.type.trim()}), which cannot be read; export it uncompressed.`,
    )
  const float = common.type.toLowerCase().startsWith('fl')
  const step = Math.ceil(common.bits / 8)
  const frames = sound ? Math.floor(sound.size / (step * common.channels)) : 0
  if (!sound || frames <= 0)
    throw new InputError('The AIFF file holds no samples; record or export it again.')
  const channels = deinterleave(v, sound.at, frames, common.channels, step, read, allocate)
  if (float) requireFinite(channels)
  return {
    audio: { sampleRate: common.rate, channels },
    format: { kind: float ? 'float' : 'int', bits: step * 8 },
    warnings: sound.size < sound.claimed ? ['The file is cut short; what is there was brought in.'] : [],
  }
}
