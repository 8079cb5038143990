// Decodes FLAC on Node through libFLAC.
import { createRequire } from 'node:module'
import { InputError } from '../core/errors'
import type { DecodedFile } from '../core/audio/pcm'

/** The parts of libflacjs that are used. */
interface Flac {
  isReady(): boolean
  on(event: 'ready', done: () => void): void
  create_libflac_decoder(verify: boolean): number
  init_decoder_stream(
    id: number,
    read: (size: number) => { buffer: Uint8Array | null; readDataLength: number; error: boolean },
    write: (blocks: Uint8Array[]) => void,
    error: (code: number, description: string) => void,
    metadata: (m: { sampleRate: number; channels: number; bitsPerSample: number }) => void,
  ): number
  FLAC__stream_decoder_process_until_end_of_stream(id: number): boolean
  FLAC__stream_decoder_finish(id: number): boolean
  FLAC__stream_decoder_delete(id: number): void
}

/** Bytes that the decoder gives for a sample of so many bits; it gives others in ways that cannot be told apart. */
const BYTES: Readonly<Record<number, 2 | 4>> = { 8: 2, 16: 2, 24: 4 }

async function loadFlac(): Promise<Flac> {
  const flac = createRequire(import.meta.url)('libflacjs/dist/libflac.js') as Flac
  if (!flac.isReady()) await new Promise<void>((done) => flac.on('ready', done))
  return flac
}

/** True when the bytes begin as a native FLAC file does. */
export const isFlac = (bytes: Uint8Array): boolean =>
  bytes.length > 4 && String.fromCharCode(...bytes.subarray(0, 4)) === 'fLaC'

/**
 * Decodes a FLAC file.
 *
 * @throws InputError when it is damaged or empty
 */
export async function readFlac(bytes: Uint8Array): Promise<DecodedFile> {
  const flac = await loadFlac()
  const id = flac.create_libflac_decoder(false)
  let at = 0
  let info: { sampleRate: number; channels: number; bitsPerSample: number } | undefined
  let failed = ''
  const blocks: Uint8Array[][] = []
  flac.init_decoder_stream(
    id,
    (size) => {
      const buffer = bytes.subarray(at, at + size)
      at += buffer.length
      return { buffer, readDataLength: buffer.length, error: false }
    },
    (channels) => blocks.push(channels.map((c) => Uint8Array.from(c))),
    (_code, description) => {
      failed ||= description
    },
    (m) => {
      info = m
    },
  )
  flac.FLAC__stream_decoder_process_until_end_of_stream(id)
  flac.FLAC__stream_decoder_finish(id)
  flac.FLAC__stream_decoder_delete(id)
  if (!info || blocks.length === 0 || failed)
    throw new InputError('The FLAC file is damaged or holds no samples; export it again or choose a WAV.')
  const { sampleRate, bitsPerSample } = info
  const bytesPerSample = BYTES[bitsPerSample]
  if (!bytesPerSample)
    throw new InputError(
      `The FLAC file has ${bitsPerSample}-bit samples, which cannot be read; export it as 16- or 24-bit.`,
    )
  const read = (v: DataView, p: number): number =>
    bytesPerSample === 2 ? v.getInt16(p, true) : v.getInt32(p, true)
  const scale = 2 ** -(bitsPerSample - 1)
  const length = blocks.reduce((n, b) => n + b[0]!.length / bytesPerSample, 0)
  const channels = Array.from({ length: info.channels }, (_, c) => {
    const out = new Float32Array(length)
    let n = 0
    for (const b of blocks) {
      const v = new DataView(b[c]!.buffer, b[c]!.byteOffset, b[c]!.byteLength)
      for (let p = 0; p < b[c]!.length; p += bytesPerSample) out[n++] = read(v, p) * scale
    }
    return out
  })
  return { audio: { sampleRate, channels }, format: { kind: 'int', bits: bitsPerSample }, warnings: [] }
}
