// Reads RIFF/WAVE and RF64 files into planar floats.
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

const codingOf = ({ kind, bits }: SampleFormat): Coding =>
  bits === 8 ? 'uint8' : (`${kind}${bits}le` as Coding)

/**
 * Where the samples of a RIFF/WAVE or RF64 file lie.
 *
 * @param bytes the file's beginning; @param size bytes of the whole file
 * @returns null when more of the file is needed to tell
 * @throws InputError when the file is no WAV, is damaged, empty or compressed
 */
export function wavLayout(bytes: Uint8Array, size = bytes.length): Layout | null {
  if (!isWav(bytes)) throw new InputError('This is not a WAV file; choose a WAV, AIFF or FLAC recording.')
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  let format: Format | undefined
  let data: { at: number; size: number; claimed: number } | undefined
  let longDataSize: number | undefined
  for (let at = 12; at + 8 <= v.byteLength;) {
    const id = fourCC(v, at)
    const claimed = v.getUint32(at + 4, true)
    const body = at + 8
    const here = v.byteLength - body
    const room = size - body
    if (id === 'ds64' && here >= 16) longDataSize = Number(v.getBigUint64(body + 8, true))
    if (id === 'fmt ' && claimed <= here) format = readFormat(v, body, claimed)
    const full = id === 'data' && claimed === 0xffffffff ? (longDataSize ?? room) : claimed
    if (id === 'data' && !data) data = { at: body, size: Math.min(full, room), claimed: full }
    at = body + Math.min(full, room) + (full & 1)
  }
  if ((!format || !data) && bytes.length < size) return null
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
  const cut = data.size < data.claimed
  return {
    sampleRate: format.sampleRate,
    channels: format.channels,
    frames,
    coding: codingOf(coded),
    format: coded,
    at: data.at,
    chunk: { from: data.at - 8, to: Math.min(size, data.at + data.size + (data.size & 1)) },
    warnings: cut
      ? [
          `The file is cut short: its header promises ${seconds(data.claimed, step, format)} s but ${seconds(data.size, step, format)} s are there; those were brought in.`,
        ]
      : [],
  }
}

const seconds = (size: number, step: number, f: Format): string =>
  (size / step / f.channels / f.sampleRate).toFixed(1)

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
export const readWav = (bytes: Uint8Array, allocate = plainMemory): DecodedFile =>
  decodeAll(wavLayout(bytes)!, bytes, allocate)
