// Brings files in: WAV and AIFF through the core at their own rate and depth, everything else through the browser.
import type { AudioData } from '../../core/audio/buffer'
import { isAiff } from '../../core/audio/aiff'
import { statedRate } from '../../core/audio/sniff'
import { isWav, type SampleFormat } from '../../core/audio/wav-read'
import { InputError } from '../../core/errors'
import type { WorkerPool } from '../workers/pool'
import { sharedCopy } from '../workers/shared'

/** A file that was brought in. */
export interface Imported {
  /** Hash of the samples. */
  readonly id: string
  readonly audio: AudioData
  /** "24-bit", "32-bit float", "decoded at 44.1 kHz". */
  readonly coding: string
  readonly warnings: readonly string[]
  /** Tempo stated in the file's tags, BPM. */
  readonly taggedBpm: number | null
}

/** Largest file that is read, bytes; beyond it the page would run out of memory. */
const LARGEST = 2e9

/** Bytes that tell what a file is. */
const HEAD = 64

const codingOf = (f: SampleFormat): string => `${f.bits}-bit${f.kind === 'float' ? ' float' : ''}`

/** A channel's samples in shared memory, where there is any. */
export const shared = (audio: AudioData): AudioData => ({
  ...audio,
  channels: audio.channels.map(sharedCopy),
})

async function throughBrowser(bytes: Uint8Array<ArrayBuffer>, pool: WorkerPool): Promise<Imported> {
  const rate = statedRate(bytes)
  if (rate === undefined)
    throw new InputError(
      'This is no audio file Unwarp knows; choose a WAV, AIFF, FLAC, MP3, Ogg or M4A recording.',
    )
  let decoded: AudioBuffer
  try {
    decoded = await new OfflineAudioContext(1, 1, rate).decodeAudioData(bytes.slice().buffer)
  } catch {
    throw new InputError(
      'This file is damaged or its codec cannot be read here; export it as WAV and bring that in.',
    )
  }
  if (decoded.length === 0) throw new InputError('The file holds no samples; record or export it again.')
  const channels = Array.from({ length: decoded.numberOfChannels }, (_, c) => decoded.getChannelData(c))
  const audio = shared({ sampleRate: decoded.sampleRate, channels })
  const id = await pool.run((w) => w.identify(audio))
  const taggedBpm = await pool.run((w) => w.tags(bytes))
  return { id, audio, coding: `decoded at ${decoded.sampleRate / 1000} kHz`, warnings: [], taggedBpm }
}

/**
 * Decodes one file.
 *
 * @throws InputError with one sentence that names the file and says what is wrong
 */
export async function decodeFile(file: File, pool: WorkerPool): Promise<Imported> {
  try {
    if (file.size === 0) throw new InputError('The file is empty; choose a recording.')
    if (file.size > LARGEST) throw new InputError('The file is larger than 2 GB; cut it into parts first.')
    const head = new Uint8Array(await file.slice(0, HEAD).arrayBuffer())
    if (!isWav(head) && !isAiff(head))
      return await throughBrowser(new Uint8Array(await file.arrayBuffer()), pool)
    const { id, audio, format, warnings, taggedBpm } = await pool.run((w) => w.read(file))
    return { id, audio: shared(audio), coding: codingOf(format), warnings, taggedBpm }
  } catch (e) {
    if (e instanceof InputError) throw new InputError(`“${file.name}”: ${e.message}`)
    throw e
  }
}
