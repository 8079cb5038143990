// Reads AIFF and uncompressed AIFF-C files.
import { InputError } from '../errors'
import {
  decodeAll,
  fourCC,
  MAX_CHANNELS,
  plainMemory,
  type Coding,
  type DecodedFile,
  type Layout,
  type SampleFormat,
} from './pcm'

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

/** How each kind of sample is written; little-endian integers are AIFF-C type `sowt`. */
function codingOf(bits: number, type: string): { coding: Coding; format: SampleFormat } | undefined {
  const float = /^fl(32|64)$/i.exec(type)
  if (float) {
    const size = Number(float[1])
    return { coding: `float${size}be` as Coding, format: { kind: 'float', bits: size } }
  }
  if ((type !== 'NONE' && type !== 'twos' && type !== 'sowt') || bits < 1 || bits > 32) return undefined
  const size = 8 * Math.ceil(bits / 8)
  const order = type === 'sowt' ? 'le' : 'be'
  return {
    coding: (size === 8 ? 'int8' : `int${size}${order}`) as Coding,
    format: { kind: 'int', bits: size },
  }
}

/**
 * Where the samples of an AIFF or uncompressed AIFF-C file lie.
 *
 * @param bytes the file's beginning; @param size bytes of the whole file
 * @returns null when more of the file is needed to tell
 * @throws InputError when the file is damaged, empty or compressed
 */
export function aiffLayout(bytes: Uint8Array, size = bytes.length): Layout | null {
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  let common: { channels: number; bits: number; rate: number; type: string } | undefined
  let sound: { at: number; size: number; claimed: number; chunk: Layout['chunk'] } | undefined
  for (let at = 12; at + 8 <= v.byteLength;) {
    const id = fourCC(v, at)
    const claimed = v.getUint32(at + 4)
    const body = at + 8
    const here = Math.min(claimed, v.byteLength - body)
    const there = Math.min(claimed, size - body)
    if (id === 'COMM' && here >= 18 && (here === claimed || bytes.length === size)) {
      common = {
        channels: v.getUint16(body),
        bits: v.getUint16(body + 6),
        rate: readExtended(v, body + 8),
        type: here >= 22 ? fourCC(v, body + 18) : 'NONE',
      }
    }
    if (id === 'SSND' && here >= 8) {
      const offset = v.getUint32(body)
      const chunk = { from: at, to: Math.min(size, body + claimed + (claimed & 1)) }
      sound = { at: body + 8 + offset, size: there - 8 - offset, claimed: claimed - 8 - offset, chunk }
    }
    at = body + claimed + (claimed & 1)
  }
  if ((!common || !sound) && bytes.length < size) return null
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
  const coded = codingOf(common.bits, common.type)
  if (!coded)
    throw new InputError(
      `The AIFF file is compressed (${common.type.trim()}), which cannot be read; export it uncompressed.`,
    )
  const frames = sound ? Math.floor(sound.size / ((coded.format.bits / 8) * common.channels)) : 0
  if (!sound || frames <= 0)
    throw new InputError('The AIFF file holds no samples; record or export it again.')
  return {
    sampleRate: common.rate,
    channels: common.channels,
    frames,
    ...coded,
    at: sound.at,
    chunk: sound.chunk,
    warnings: sound.size < sound.claimed ? ['The file is cut short; what is there was brought in.'] : [],
  }
}

/**
 * Decodes an AIFF or uncompressed AIFF-C file (integer 8-32 bit, `sowt`, `fl32`, `fl64`).
 *
 * @param allocate gives the memory for a channel's samples
 * @throws InputError when the file is damaged, empty, compressed or holds samples that are not numbers
 * Source: Apple, "Audio Interchange File Format: AIFF", version 1.3 (1989), and the AIFF-C draft (1991).
 */
export const readAiff = (bytes: Uint8Array, allocate = plainMemory): DecodedFile =>
  decodeAll(aiffLayout(bytes)!, bytes, allocate)
