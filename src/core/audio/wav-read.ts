// Reads RIFF/WAVE and RF64 files into planar floats.
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

const PCM = 1
const IEEE_FLOAT = 3
const EXTENSIBLE = 0xfffe
/** Bytes 2-15 of the KSDATAFORMAT_SUBTYPE GUIDs (Microsoft, mmreg.h / ksmedia.h). */
const GUID_TAIL = [0x00, 0x00, 0x00, 0x00, 0x10, 0x00, 0x80, 0x00, 0x00, 0xaa, 0x00, 0x38, 0x9b, 0x71]

const NAMED_CODECS: Record<number, string> = {
  2: 'Microsoft ADPCM',
  6: 'A-law',
  7: 'µ-law',
  17: 'IMA ADPCM',
  49: 'GSM 6.10',
  80: 'MPEG',
  85: 'MP3',
}

interface Format {
  readonly tag: number
  readonly channels: number
  readonly sampleRate: number
  readonly blockAlign: number
  readonly bits: number
}

const fourCC = (v: DataView, at: number): string =>
  String.fromCharCode(v.getUint8(at), v.getUint8(at + 1), v.getUint8(at + 2), v.getUint8(at + 3))

/** True when the bytes begin as a RIFF/WAVE or RF64 file does. */
export function isWav(bytes: Uint8Array): boolean {
  if (bytes.length < 12) return false
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const outer = fourCC(v, 0)
  return (outer === 'RIFF' || outer === 'RF64') && fourCC(v, 8) === 'WAVE'
}

function readFormat(v: DataView, at: number, size: number): Format {
  if (size < 16)
    throw new InputError('The WAV header is damaged (its format block is too short); export the file again.')
  let tag = v.getUint16(at, true)
  if (tag === EXTENSIBLE) {
    const known = size >= 40 && GUID_TAIL.every((b, i) => v.getUint8(at + 26 + i) === b)
    if (!known)
      throw new InputError('The WAV file uses an unknown extensible codec; export it as PCM or float WAV.')
    tag = v.getUint16(at + 24, true)
  }
  return {
    tag,
    channels: v.getUint16(at + 2, true),
    sampleRate: v.getUint32(at + 4, true),
    blockAlign: v.getUint16(at + 12, true),
    bits: v.getUint16(at + 14, true),
  }
}

function checkFormat(f: Format): SampleFormat {
  if (f.channels === 0)
    throw new InputError('The WAV header says 0 channels; export the file again with at least one.')
  if (f.channels > MAX_CHANNELS)
    throw new InputError(`The WAV header says ${f.channels} channels; at most ${MAX_CHANNELS} can be read.`)
  if (f.sampleRate < 1000 || f.sampleRate > 768000)
    throw new InputError(
      `The WAV header says a rate of ${f.sampleRate} Hz; rates from 1,000 to 768,000 Hz can be read.`,
    )
  if (f.tag !== PCM && f.tag !== IEEE_FLOAT) {
    const name = NAMED_CODECS[f.tag] ?? `codec ${f.tag}`
    throw new InputError(
      `The WAV file is compressed with ${name}, which cannot be read; export it as PCM or float WAV.`,
    )
  }
  const kind = f.tag === PCM ? 'int' : 'float'
  const bits = (f.blockAlign / f.channels) * 8
  const allowed = kind === 'int' ? [8, 16, 24, 32] : [32, 64]
  if (!allowed.includes(bits) || f.bits > bits || f.bits === 0)
    throw new InputError(
      `The WAV file has ${f.bits}-bit ${kind === 'int' ? 'integer' : 'float'} samples, which cannot be read; export it as 16-, 24- or 32-bit.`,
    )
  return { kind, bits }
}

type ReadSample = (v: DataView, at: number) => number

const READERS: Record<string, ReadSample> = {
  int8: (v, at) => (v.getUint8(at) - 128) / 128,
  int16: (v, at) => v.getInt16(at, true) / 32768,
  int24: (v, at) => ((v.getInt8(at + 2) << 16) | v.getUint16(at, true)) / 8388608,
  int32: (v, at) => v.getInt32(at, true) / 2147483648,
  float32: (v, at) => v.getFloat32(at, true),
  float64: (v, at) => v.getFloat64(at, true),
}

type ReadMany = (bytes: Uint8Array, at: number, stride: number, out: Float32Array) => void

/** The two commonest codings, little-endian, without a call for every sample. By bytes a sample. */
const FAST: Readonly<Record<number, ReadMany>> = {
  2(bytes, at, stride, out) {
    for (let i = 0, p = at; i < out.length; i++, p += stride)
      out[i] = ((bytes[p]! << 16) | (bytes[p + 1]! << 24)) * 2 ** -31
  },
  3(bytes, at, stride, out) {
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
  FAST[3]!(bytes.subarray(at), 0, 6, left.subarray(2 * pairs))
  FAST[3]!(bytes.subarray(at), 3, 6, right.subarray(2 * pairs))
}
/** Typed arrays read words in the machine's order; files are little-endian. */
const LITTLE_ENDIAN = new Uint8Array(Uint32Array.of(1).buffer)[0] === 1

/** Where samples are put: plain memory, or such as threads share. */
export type Allocate = (length: number) => Float32Array
export const plainMemory: Allocate = (length) => new Float32Array(length)

/** Splits interleaved samples into planar floats. */
export function deinterleave(
  v: DataView,
  at: number,
  frames: number,
  channelCount: number,
  step: number,
  read: ReadSample,
  allocate: Allocate,
): Float32Array[] {
  const channels = Array.from({ length: channelCount }, () => allocate(frames))
  const fast = FAST[step]
  if (fast && read === READERS[`int${8 * step}`]) {
    const bytes = new Uint8Array(v.buffer, v.byteOffset + at, frames * channelCount * step)
    if (step === 3 && channelCount === 2 && LITTLE_ENDIAN && bytes.byteOffset % 4 === 0) {
      readPairs24(bytes, channels[0]!, channels[1]!)
      return channels
    }
    channels.forEach((out, c) => fast(bytes, c * step, step * channelCount, out))
    return channels
  }
  for (let c = 0; c < channelCount; c++) {
    const out = channels[c]!
    let p = at + c * step
    for (let i = 0; i < frames; i++, p += step * channelCount) out[i] = read(v, p)
  }
  return channels
}

/** Throws when any sample is not a finite number. */
export function requireFinite(channels: readonly Float32Array[]): void {
  for (const c of channels)
    for (let i = 0; i < c.length; i++)
      if (!Number.isFinite(c[i]!))
        throw new InputError(
          `The file holds a sample that is not a number (frame ${i}); repair or export it again, nothing was brought in.`,
        )
}

/**
 * Decodes a RIFF/WAVE or RF64 file.
 *
 * Reads 8-, 16-, 24- and 32-bit integer and 32- and 64-bit float, plain or WAVE_FORMAT_EXTENSIBLE, chunks in
 * any order. A data chunk that claims more than the file holds is read as far as it goes, with a warning.
 *
 * @param bytes    the whole file
 * @param allocate gives the memory for a channel's samples
 * @returns planar audio at the file's rate, ±1 full scale
 * @throws InputError when the file is no WAV, is damaged, empty, compressed, or holds NaN or infinite samples
 * Source: Microsoft/IBM "Multimedia Programming Interface and Data Specifications 1.0" (1991);
 * EBU Tech 3306 (RF64).
 */
export function readWav(bytes: Uint8Array, allocate = plainMemory): DecodedFile {
  if (!isWav(bytes)) throw new InputError('This is not a WAV file; choose a WAV, AIFF or FLAC recording.')
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const warnings: string[] = []
  let format: Format | undefined
  let data: { at: number; size: number; claimed: number } | undefined
  let longDataSize: number | undefined
  for (let at = 12; at + 8 <= v.byteLength;) {
    const id = fourCC(v, at)
    const claimed = v.getUint32(at + 4, true)
    const body = at + 8
    const room = v.byteLength - body
    if (id === 'ds64' && room >= 16) longDataSize = Number(v.getBigUint64(body + 8, true))
    if (id === 'fmt ' && claimed <= room) format = readFormat(v, body, claimed)
    const full = id === 'data' && claimed === 0xffffffff ? (longDataSize ?? room) : claimed
    if (id === 'data' && !data) data = { at: body, size: Math.min(full, room), claimed: full }
    at = body + Math.min(full, room) + (full & 1)
  }
  if (!format)
    throw new InputError(
      'The WAV file has no readable format block; it is cut short or damaged, export it again.',
    )
  const coded = checkFormat(format)
  if (!data)
    throw new InputError(
      'The WAV file ends before its samples begin; it is cut short, copy or export it again.',
    )
  const step = coded.bits / 8
  const frames = Math.floor(data.size / (step * format.channels))
  if (frames === 0) throw new InputError('The WAV file holds no samples; record or export it again.')
  if (data.size < data.claimed)
    warnings.push(
      `The file is cut short: its header promises ${seconds(data.claimed, step, format)} s but ${seconds(data.size, step, format)} s are there; those were brought in.`,
    )
  const read = READERS[coded.kind + coded.bits]!
  const channels = deinterleave(v, data.at, frames, format.channels, step, read, allocate)
  if (coded.kind === 'float') requireFinite(channels)
  return { audio: { sampleRate: format.sampleRate, channels }, format: coded, warnings }
}

const seconds = (size: number, step: number, f: Format): string =>
  (size / step / f.channels / f.sampleRate).toFixed(1)
