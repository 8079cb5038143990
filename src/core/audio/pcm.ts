// Uncompressed samples as they lie in files, and how they become planar floats: all at once, or a piece at a time.
import { InputError } from '../errors'
import type { AudioData } from './buffer'

/** How the samples of a file are coded. */
export interface SampleFormat {
  readonly kind: 'int' | 'float'
  /** Container size of one sample, bits. */
  readonly bits: number
}

/** A decoded file: the audio, how it was coded, and anything worth telling its owner. */
export interface DecodedFile {
  readonly audio: AudioData
  readonly format: SampleFormat
  readonly warnings: readonly string[]
}

/** Most channels a file may have; beyond this a header is taken for damaged. */
export const MAX_CHANNELS = 64

/** Name of a chunk. */
export const fourCC = (v: DataView, at: number): string =>
  String.fromCharCode(v.getUint8(at), v.getUint8(at + 1), v.getUint8(at + 2), v.getUint8(at + 3))

type ReadSample = (v: DataView, at: number) => number

const READERS = {
  uint8: (v, at) => (v.getUint8(at) - 128) / 128,
  int8: (v, at) => v.getInt8(at) / 128,
  int16le: (v, at) => v.getInt16(at, true) / 32768,
  int16be: (v, at) => v.getInt16(at) / 32768,
  int24le: (v, at) => ((v.getInt8(at + 2) << 16) | v.getUint16(at, true)) / 8388608,
  int24be: (v, at) => ((v.getInt16(at) << 8) | v.getUint8(at + 2)) / 8388608,
  int32le: (v, at) => v.getInt32(at, true) / 2147483648,
  int32be: (v, at) => v.getInt32(at) / 2147483648,
  float32le: (v, at) => v.getFloat32(at, true),
  float32be: (v, at) => v.getFloat32(at),
  float64le: (v, at) => v.getFloat64(at, true),
  float64be: (v, at) => v.getFloat64(at),
} as const satisfies Record<string, ReadSample>

/** How one sample is written: number, bits, and which byte comes first. */
export type Coding = keyof typeof READERS

/** Where the samples of a file lie, and how. */
export interface Layout {
  readonly sampleRate: number
  readonly channels: number
  readonly frames: number
  readonly coding: Coding
  readonly format: SampleFormat
  /** Byte of the first sample. */
  readonly at: number
  /** Bytes of the chunk that holds the samples, its header and padding too. */
  readonly chunk: { readonly from: number; readonly to: number }
  readonly warnings: readonly string[]
}

/** Bytes of one sample of every channel. */
export const frameBytes = ({ format, channels }: Layout): number => (format.bits / 8) * channels

/** Where samples are put: plain memory, or such as threads share. */
export type Allocate = (length: number) => Float32Array
export const plainMemory: Allocate = (length) => new Float32Array(length)

type ReadMany = (bytes: Uint8Array, at: number, stride: number, out: Float32Array) => void

/** The two commonest codings, little-endian, without a call for every sample. */
const FAST: Readonly<Partial<Record<Coding, ReadMany>>> = {
  int16le(bytes, at, stride, out) {
    for (let i = 0, p = at; i < out.length; i++, p += stride)
      out[i] = ((bytes[p]! << 16) | (bytes[p + 1]! << 24)) * 2 ** -31
  },
  int24le(bytes, at, stride, out) {
    for (let i = 0, p = at; i < out.length; i++, p += stride)
      out[i] = ((bytes[p]! << 8) | (bytes[p + 1]! << 16) | (bytes[p + 2]! << 24)) * 2 ** -31
  },
}

/** 24-bit stereo, the usual recording: four samples from three words, where the bytes are aligned. */
function readPairs24(bytes: Uint8Array, left: Float32Array, right: Float32Array): void {
  const pairs = left.length >> 1
  const words = new Int32Array(bytes.buffer, bytes.byteOffset, 3 * pairs)
  for (let i = 0, w = 0; i < 2 * pairs; i += 2, w += 3) {
    const a = words[w]!
    const b = words[w + 1]!
    const c = words[w + 2]!
    left[i] = (a << 8) * 2 ** -31
    right[i] = (((a >>> 24) << 8) | (b << 16)) * 2 ** -31
    left[i + 1] = (((b >>> 16) << 8) | (c << 24)) * 2 ** -31
    right[i + 1] = (c & ~255) * 2 ** -31
  }
  const at = 12 * pairs
  if (2 * pairs === left.length) return
  FAST.int24le!(bytes.subarray(at), 0, 6, left.subarray(2 * pairs))
  FAST.int24le!(bytes.subarray(at), 3, 6, right.subarray(2 * pairs))
}
/** Typed arrays read words in the machine's order; files are little-endian. */
const LITTLE_ENDIAN = new Uint8Array(Uint32Array.of(1).buffer)[0] === 1

/** Throws when any sample is not a finite number. @param first frame that the samples begin at */
export function requireFinite(channels: readonly Float32Array[], first = 0): void {
  for (const c of channels)
    for (let i = 0; i < c.length; i++)
      if (!Number.isFinite(c[i]!))
        throw new InputError(
          `The file holds a sample that is not a number (frame ${first + i}); repair or export it again, nothing was brought in.`,
        )
}

/**
 * Splits interleaved samples into planar floats.
 *
 * @param bytes begin with a frame and hold as many as there is room for
 * @param channels receive the samples; @param first frame of the file that they begin at
 * @throws InputError when a sample is no finite number
 */
export function decodeFrames(
  { coding, format }: Layout,
  bytes: Uint8Array,
  channels: readonly Float32Array[],
  first = 0,
): void {
  const fast = FAST[coding]
  const step = format.bits / 8
  const stride = step * channels.length
  if (coding === 'int24le' && channels.length === 2 && LITTLE_ENDIAN && bytes.byteOffset % 4 === 0)
    readPairs24(bytes, channels[0]!, channels[1]!)
  else if (fast) channels.forEach((out, c) => fast(bytes, c * step, stride, out))
  else {
    const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
    const read: ReadSample = READERS[coding]
    channels.forEach((out, c) => {
      for (let i = 0, p = c * step; i < out.length; i++, p += stride) out[i] = read(v, p)
    })
  }
  if (format.kind === 'float') requireFinite(channels, first)
}

/** Decodes a whole file whose layout is known. @param allocate gives the memory for a channel's samples */
export function decodeAll(layout: Layout, bytes: Uint8Array, allocate: Allocate): DecodedFile {
  const { sampleRate, frames, at, format, warnings } = layout
  const channels = Array.from({ length: layout.channels }, () => allocate(frames))
  decodeFrames(layout, bytes.subarray(at, at + frames * frameBytes(layout)), channels)
  return { audio: { sampleRate, channels }, format, warnings }
}
