// Files of the command line: audio in, audio and JSON out, every error one sentence.
import { closeSync, mkdirSync, openSync, readFileSync, writeFileSync, writeSync } from 'node:fs'
import { isAiff, readAiff } from '../core/audio/aiff'
import type { AudioData } from '../core/audio/buffer'
import type { DecodedFile } from '../core/audio/pcm'
import { readWav } from '../core/audio/wav-read'
import { writeWav, type WavDepth } from '../core/audio/wav-write'
import { InputError } from '../core/errors'
import { isFlac, readFlac } from './flac'

/** Bytes of a file. @throws InputError when it cannot be read */
export function readBytes(path: string): Uint8Array {
  try {
    return readFileSync(path)
  } catch (e) {
    const missing = (e as NodeJS.ErrnoException).code === 'ENOENT'
    throw new InputError(
      missing ? `There is no file “${path}”; check its name.` : `The file “${path}” cannot be read.`,
    )
  }
}

/** Decodes a WAV, AIFF or FLAC file. @throws InputError with the file's name and what is wrong */
export async function readAudio(path: string): Promise<DecodedFile> {
  const bytes = readBytes(path)
  if (bytes.length === 0) throw new InputError(`“${path}” is empty; choose a WAV, AIFF or FLAC recording.`)
  try {
    if (isFlac(bytes)) return await readFlac(bytes)
    return isAiff(bytes) ? readAiff(bytes) : readWav(bytes)
  } catch (e) {
    if (e instanceof InputError) throw new InputError(`“${path}”: ${e.message}`)
    throw e
  }
}

/** @throws InputError when it fails */
function writing<T>(path: string, work: () => T): T {
  try {
    return work()
  } catch {
    throw new InputError(`“${path}” cannot be written; check that its folder exists and is yours.`)
  }
}

const write = (path: string, data: Uint8Array | string): void =>
  writing(path, () => writeFileSync(path, data))

/** A file that is written bit by bit. */
export function openForWriting(path: string): { write(bytes: Uint8Array): void; close(): void } {
  const file = writing(path, () => openSync(path, 'w'))
  return {
    write: (bytes) => void writing(path, () => writeSync(file, bytes)),
    close: () => closeSync(file),
  }
}

export const makeFolder = (path: string): void =>
  void writing(path, () => mkdirSync(path, { recursive: true }))

export const writeAudio = (path: string, audio: AudioData, depth: WavDepth): void =>
  write(path, writeWav(audio, depth))

/** Writes JSON to a file, or to stdout without one. */
export function writeJson(path: string | undefined, value: unknown): void {
  const text = JSON.stringify(value, null, 1) + '\n'
  if (path === undefined) process.stdout.write(text)
  else write(path, text)
}
