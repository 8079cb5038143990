// FLAC files, through libFLAC.
import { createRequire } from 'node:module'

interface Encoder {
  isReady(): boolean
  on(event: 'ready', done: () => void): void
  create_libflac_encoder(
    rate: number,
    channels: number,
    bits: number,
    compression: number,
    samples: number,
    verify: boolean,
    block: number,
  ): number
  init_encoder_stream(id: number, write: (bytes: Uint8Array) => void): number
  FLAC__stream_encoder_process_interleaved(id: number, samples: Int32Array, count: number): boolean
  FLAC__stream_encoder_finish(id: number): boolean
  FLAC__stream_encoder_delete(id: number): void
}

/**
 * A FLAC file.
 *
 * @param samples interleaved, in the range that `bits` has
 */
export async function flacOf(
  samples: Int32Array,
  rate: number,
  channels: number,
  bits: number,
): Promise<Buffer> {
  const flac = createRequire(import.meta.url)('libflacjs/dist/libflac.js') as Encoder
  if (!flac.isReady()) await new Promise<void>((done) => flac.on('ready', done))
  const id = flac.create_libflac_encoder(rate, channels, bits, 5, 0, false, 0)
  const parts: Uint8Array[] = []
  flac.init_encoder_stream(id, (b) => void parts.push(Uint8Array.from(b)))
  flac.FLAC__stream_encoder_process_interleaved(id, samples, samples.length / channels)
  flac.FLAC__stream_encoder_finish(id)
  flac.FLAC__stream_encoder_delete(id)
  return Buffer.concat(parts)
}
