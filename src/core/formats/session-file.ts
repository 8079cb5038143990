// The session file: a zip with the document, its recordings as WAV and what was found in them.
import { deflateSync, strFromU8, strToU8, unzipSync, Zip, ZipPassThrough } from 'fflate'
import { array, number, object, string, ValidationError } from 'yup'
import type { Findings } from '../analysis/analyse'
import { lengthOf, type AudioData } from '../audio/buffer'
import { plainMemory } from '../audio/pcm'
import { readWav } from '../audio/wav-read'
import { BYTES_PER_SAMPLE, encodeSamples, wavHeader, type WavDepth } from '../audio/wav-write'
import { InputError } from '../errors'
import { hashAudio } from '../hash'
import { parseSession } from '../session/schema'
import type { Recording, Session } from '../session/types'
import { readFindings, writeFindings } from './findings-file'

/** Ending of a session file's name. */
export const SESSION_ENDING = '.unwarp'
const FORMAT = 'unwarp session'
const MANIFEST = 'session.json'
/** Largest file that is written, as it is the largest that can be read whole, bytes; below the 4 GiB of a plain zip. */
export const LARGEST_SESSION = 2e9
/** Room for all in it but the audio. */
const REST = 64e6
/** Frames encoded at a time. */
const BLOCK = 1 << 18

/** Everything a session file holds. */
export interface SessionContents {
  readonly session: Session
  /** By id, each at its own rate. */
  readonly recordings: ReadonlyMap<string, AudioData>
  /** By id of their recording; recordings not named are to be analysed. */
  readonly findings: ReadonlyMap<string, Findings>
}

/** True when the bytes begin as a zip archive does (APPNOTE 4.3.7). */
export const isZip = (head: Uint8Array): boolean =>
  head[0] === 0x50 && head[1] === 0x4b && head[2] === 3 && head[3] === 4

const whole = (x: number, limit: number): boolean =>
  Number.isInteger(x * limit) && x >= -1 && x * limit < limit && !Object.is(x, -0)

/** The smallest sample format that holds every sample exactly. */
export function exactDepth(channels: readonly Float32Array[]): WavDepth {
  let depth: WavDepth = '16'
  for (const x of channels)
    for (let i = 0; i < x.length; i++) {
      if (depth === '16' && !whole(x[i]!, 32768)) depth = '24'
      if (depth === '24' && !whole(x[i]!, 8388608)) return '32f'
    }
  return depth
}

/** A name that every file system takes. */
export const fileName = (name: string): string =>
  [...name]
    .map((ch) => ('/\\:*?"<>|'.includes(ch) || ch.charCodeAt(0) < 32 ? '-' : ch))
    .join('')
    .replace(/[. ]+$/, '')
    .slice(0, 80) || 'untitled'

/** A compressed file given in one push; fflate's own streaming one writes wrong distances for data that begin with zeros. */
class Deflated extends ZipPassThrough {
  override compression = 8
  protected override process(chunk: Uint8Array, final: boolean): void {
    this.ondata(null, deflateSync(chunk, { level: 6 }), final)
  }
}

/** Paths of the n-th recording and its findings. */
function pathsOf(r: Recording, n: number): { audio: string; json: string; floats: string } {
  const number = String(n + 1).padStart(2, '0')
  return {
    audio: `recordings/${number} ${fileName(r.name.replace(/\.[^.]+$/, ''))}.wav`,
    json: `findings/${number}.json`,
    floats: `findings/${number}.bin`,
  }
}

/** 32-bit floats, little-endian. */
function floatBytes(x: Float32Array): Uint8Array {
  const bytes = new Uint8Array(4 * x.length)
  const v = new DataView(bytes.buffer)
  for (let i = 0; i < x.length; i++) v.setFloat32(4 * i, x[i]!, true)
  return bytes
}

function bytesToFloats(bytes: Uint8Array): Float32Array {
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  return Float32Array.from({ length: bytes.length >> 2 }, (_, i) => v.getFloat32(4 * i, true))
}

/**
 * Writes a session with its recordings and findings. The same contents give the same bytes.
 *
 * @param sink     given the file's bytes in order
 * @param progress told the share done, 0-1; may throw to cancel
 * @throws InputError when the recordings are too large for one file
 */
export function writeSessionFile(
  { session, recordings, findings }: SessionContents,
  sink: (bytes: Uint8Array) => void,
  progress?: (done: number) => void,
): void {
  const audioOf = (r: Recording): AudioData => {
    const audio = recordings.get(r.id)
    if (!audio) throw new InputError(`“${r.name}” is not loaded yet; wait a moment and save again.`)
    return audio
  }
  const all = session.recordings.map((r, i) => {
    const audio = audioOf(r)
    return { r, audio, paths: pathsOf(r, i), depth: exactDepth(audio.channels) }
  })
  const sizes = all.map(
    ({ audio, depth }) => lengthOf(audio) * audio.channels.length * BYTES_PER_SAMPLE[depth],
  )
  const total = sizes.reduce((a, b) => a + b, 0)
  if (total > LARGEST_SESSION - REST)
    throw new InputError(
      'The recordings are larger than 2 GB together, more than one session file holds; duplicate the session and save each half of its tracks.',
    )
  const zip = new Zip((error, bytes) => {
    if (error) throw error
    sink(bytes)
  })
  const add = (file: ZipPassThrough): ZipPassThrough => {
    file.mtime = new Date(1980, 0, 1)
    zip.add(file)
    return file
  }
  const put = (path: string, bytes: Uint8Array): void => add(new Deflated(path)).push(bytes, true)
  const manifest = {
    format: FORMAT,
    version: 1,
    session,
    recordings: all.map(({ r, paths }) => ({
      id: r.id,
      audio: paths.audio,
      findings: findings.has(r.id) ? { json: paths.json, floats: paths.floats } : null,
    })),
  }
  put(MANIFEST, strToU8(JSON.stringify(manifest, null, 1)))
  let done = 0
  for (const { r, audio, paths, depth } of all) {
    const { channels, sampleRate } = audio
    const frames = lengthOf(audio)
    const file = add(new ZipPassThrough(paths.audio))
    file.push(wavHeader(channels.length, Math.round(sampleRate), frames, depth))
    for (let at = 0; at < frames; at += BLOCK) {
      const block = channels.map((c) => c.subarray(at, at + BLOCK))
      const bytes = encodeSamples(block, depth, at)
      file.push(bytes)
      progress?.((done += bytes.length) / total)
    }
    file.push(new Uint8Array((frames * channels.length * BYTES_PER_SAMPLE[depth]) & 1), true)
    const found = findings.get(r.id)
    if (!found) continue
    const written = writeFindings(found)
    put(paths.json, strToU8(written.json))
    put(paths.floats, floatBytes(written.floats))
  }
  zip.end()
}

const manifestSchema = object({
  format: string().oneOf([FORMAT]).required(),
  version: number()
    .oneOf([1], 'it was made by a newer version of Unwarp; open it with that version')
    .required(),
  session: object().required(),
  recordings: array(
    object({
      id: string().required(),
      audio: string().required(),
      findings: object({ json: string().required(), floats: string().required() }).nullable().defined(),
    }),
  ).required(),
})

const damaged = (what: string): InputError => new InputError(`This session file cannot be opened: ${what}.`)

function unpack(bytes: Uint8Array): Record<string, Uint8Array> {
  try {
    return unzipSync(bytes)
  } catch {
    throw damaged('it is damaged or was cut short; copy it again from where it came')
  }
}

function manifestOf(files: Record<string, Uint8Array>): ReturnType<typeof manifestSchema.validateSync> {
  const text = files[MANIFEST]
  if (!text)
    throw new InputError('This is a zip archive but no session file; unpack it and bring in the recordings.')
  try {
    return manifestSchema.validateSync(JSON.parse(strFromU8(text)), { strict: true })
  } catch (e) {
    if (e instanceof ValidationError) throw damaged(e.errors[0]!)
    throw damaged('its document is damaged')
  }
}

/**
 * Reads a session file.
 *
 * @param bytes    the whole file
 * @param progress told the share done, 0-1; may throw to cancel
 * @param allocate gives the memory for a channel's samples
 * @returns a document equal to the one that was saved, and recordings equal sample by sample; findings of another
 *          version of the analysis are left out
 * @throws InputError with one sentence when it is no session file, or damaged
 */
export function readSessionFile(
  bytes: Uint8Array,
  progress?: (done: number) => void,
  allocate = plainMemory,
): SessionContents {
  const files = unpack(bytes)
  const manifest = manifestOf(files)
  const session = parseSession(manifest.session)
  const recordings = new Map<string, AudioData>()
  const findings = new Map<string, Findings>()
  session.recordings.forEach((r, i) => {
    const entry = manifest.recordings.find((m) => m.id === r.id)
    const file = entry && files[entry.audio]
    if (!file) throw damaged(`the recording “${r.name}” is missing from it`)
    const { channels } = readWav(file, allocate).audio
    if (hashAudio(channels, r.sampleRate) !== r.id)
      throw damaged(`the recording “${r.name}” in it is damaged`)
    recordings.set(r.id, { sampleRate: r.sampleRate, channels })
    const [json, floats] = entry.findings ? [files[entry.findings.json], files[entry.findings.floats]] : []
    const found = json && floats && readFindings({ json: strFromU8(json), floats: bytesToFloats(floats) })
    // Findings of other samples would send edits past the end.
    if (found && found.transients.every((t) => t.at < r.length)) findings.set(r.id, found)
    progress?.((i + 1) / session.recordings.length)
  })
  return { session, recordings, findings }
}
