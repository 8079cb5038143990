// Brings files in: WAV and AIFF through the core at their own rate and depth, everything else through the browser.
import type { AudioData } from '../../core/audio/buffer'
import { splitFrames, type FrameRange } from '../../core/analysis/progress'
import { aiffLayout, isAiff } from '../../core/audio/aiff'
import { joinPeaks, PEAK_PIECE, type Peaks } from '../../core/audio/peaks'
import { frameBytes, type Layout, type SampleFormat } from '../../core/audio/pcm'
import { statedRate } from '../../core/audio/sniff'
import { isWav, wavLayout } from '../../core/audio/wav-read'
import { InputError } from '../../core/errors'
import { withoutSamples } from '../../core/formats/tags'
import { hashOf } from '../../core/hash'
import { inPieces } from '../workers/in-pieces'
import type { WorkerPool } from '../workers/pool'
import { sharedCopy, sharedMemory } from '../workers/shared'

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
  /** Of each channel, where they were made on the way. */
  readonly peaks: readonly Peaks[] | null
  /**
   * A copy of the file, where it decodes to the same samples anywhere. The file itself will not do: browsers may keep
   * no more of it than where it lies.
   */
  readonly file: Blob | null
}

/** Largest file that is read, bytes; beyond it the page would run out of memory. */
const LARGEST = 2e9

/** Bytes that tell what a file is, and nearly always where its samples lie. */
const HEAD = 65536
/** Bytes of a file that are decoded at a time. */
const PIECE = 8e6

const codingOf = (f: SampleFormat): string => `${f.bits}-bit${f.kind === 'float' ? ' float' : ''}`

/** A channel's samples in shared memory, where there is any. */
export const shared = (audio: AudioData): AudioData => ({
  ...audio,
  channels: audio.channels.map(sharedCopy),
})

/** The hash that a recording is known by. */
async function identify({ channels, sampleRate }: AudioData, pool: WorkerPool): Promise<string> {
  const hashes = await inPieces(
    pool,
    channels.length,
    ({ worker, claims, who }) => worker.hashes(channels, claims, who),
    undefined,
    'short',
  )
  return hashOf(hashes, sampleRate)
}

/** What lies before and after the samples of a file. */
interface Around {
  readonly before: Uint8Array<ArrayBuffer>
  readonly after: Uint8Array<ArrayBuffer>
}

const bytesOf = async (b: Blob): Promise<Uint8Array<ArrayBuffer>> => new Uint8Array(await b.arrayBuffer())

const endOf = (layout: Layout): number => layout.at + layout.frames * frameBytes(layout)

const around = async (file: Blob, layout: Layout): Promise<Around> => ({
  before: await bytesOf(file.slice(0, layout.at)),
  after: await bytesOf(file.slice(endOf(layout))),
})

/** Tempo stated in a file's tags, BPM. */
function tagged({ before, after }: Around, layout: Layout, pool: WorkerPool): Promise<number | null> {
  const rest = withoutSamples(
    before.subarray(0, layout.chunk.from),
    after.subarray(layout.chunk.to - endOf(layout)),
  )
  return pool.run((w) => w.tags(rest), undefined, 'short')
}

interface Uncompressed {
  readonly layout: Layout
  readonly audio: AudioData
  readonly peaks: readonly Peaks[]
  /** Its pieces, if they were to be kept. */
  readonly bytes: readonly (Blob | null)[]
}

/** Stretches of about so many bytes that peaks can be made of. */
function piecesOf(layout: Layout, bytes: number): FrameRange[] {
  const { frames } = layout
  const whole = Math.ceil(frames / PEAK_PIECE)
  const count = Math.min(whole, Math.ceil((frames * frameBytes(layout)) / bytes))
  return splitFrames(whole, count).map(({ from, to }) => ({
    from: from * PEAK_PIECE,
    to: Math.min(frames, to * PEAK_PIECE),
  }))
}

/**
 * Decodes an uncompressed file piece by piece on all workers.
 *
 * @param head its beginning; @param copied keeps the bytes of its samples, too
 */
async function uncompressed(
  file: Blob,
  head: Uint8Array,
  copied: boolean,
  pool: WorkerPool,
): Promise<Uncompressed> {
  const layoutIn = isAiff(head) ? aiffLayout : wavLayout
  const layout = layoutIn(head, file.size) ?? layoutIn(new Uint8Array(await file.arrayBuffer()))!
  const { sampleRate, frames } = layout
  const isolated = typeof SharedArrayBuffer !== 'undefined'
  const into = isolated ? Array.from({ length: layout.channels }, () => sharedMemory(frames)) : null
  const pieces = piecesOf(layout, into ? PIECE : Infinity)
  const made = await inPieces(
    pool,
    pieces.length,
    ({ worker, claims, who }) => worker.decode(file, layout, into, pieces, copied, claims, who),
    undefined,
    'short',
  )
  const channels = into ?? made[0]!.channels!
  const peaks = channels.map((_, c) =>
    joinPeaks(
      made.map((m) => m.peaks[c]!),
      frames,
    ),
  )
  return { layout, audio: { sampleRate, channels }, peaks, bytes: made.map((m) => m.bytes) }
}

const headOf = (file: Blob): Promise<Uint8Array> => bytesOf(file.slice(0, HEAD))

/**
 * Decodes a WAV or AIFF file that was kept.
 *
 * @param id what its recording is known by; @throws InputError when the file is no longer the same
 */
export async function decodeKept(
  file: Blob,
  id: string,
  pool: WorkerPool,
): Promise<Pick<Uncompressed, 'audio' | 'peaks'>> {
  const { audio, peaks } = await uncompressed(file, await headOf(file), false, pool)
  if ((await identify(audio, pool)) !== id)
    throw new InputError('A recording of this session is damaged in this browser; bring its file in again.')
  return { audio, peaks }
}

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
  await pool.run((w) => w.checkFinite(audio.channels))
  const id = await identify(audio, pool)
  const taggedBpm = await pool.run((w) => w.tags(bytes))
  const coding = `decoded at ${decoded.sampleRate / 1000} kHz`
  return { id, audio, coding, warnings: [], taggedBpm, peaks: null, file: null }
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
    const head = await headOf(file)
    if (!isWav(head) && !isAiff(head))
      return await throughBrowser(new Uint8Array(await file.arrayBuffer()), pool)
    const { layout, audio, peaks, bytes } = await uncompressed(file, head, true, pool)
    const rest = await around(file, layout)
    const [id, taggedBpm] = await Promise.all([
      identify(audio, pool),
      // Damaged tags are no reason to refuse audio.
      tagged(rest, layout, pool).catch(() => null),
    ])
    return {
      id,
      audio,
      coding: codingOf(layout.format),
      warnings: layout.warnings,
      taggedBpm,
      peaks,
      file: new Blob([rest.before, ...(bytes as Blob[]), rest.after]),
    }
  } catch (e) {
    if (e instanceof InputError) throw new InputError(`“${file.name}”: ${e.message}`)
    throw e
  }
}
