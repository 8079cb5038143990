// Files for the browser tests, made in memory.
import { writeWav } from '../../src/core/audio/wav-write'
import { flacOf } from '../support/flac'
import { struck, strokes } from '../support/signals'
import { shower } from '../support/textures'

export interface TestFile {
  readonly name: string
  readonly mimeType: string
  readonly buffer: Buffer
}

const audio = (name: string, bytes: Uint8Array): TestFile => ({
  name,
  mimeType: 'audio/wav',
  buffer: Buffer.from(bytes),
})

/** A take of struck tones, stereo. */
export const takeFile = (name: string, seed: number, seconds: number, rate: number): TestFile =>
  audio(name, writeWav({ sampleRate: rate, channels: struck(seed, seconds, rate, 2).channels }, '24'))

/** Minutes of the same four seconds at 8 kHz. */
export function longFile(name: string, minutes: number): TestFile {
  const [few] = struck(11, 4, 8000, 1).channels
  const all = new Float32Array(minutes * 60 * 8000)
  for (let at = 0; at < all.length; at += few!.length) all.set(few!, at)
  return audio(name, writeWav({ sampleRate: 8000, channels: [all] }, '16'))
}

/** Rain, ten seconds of it. */
export const rainFile = (name: string): TestFile =>
  audio(name, writeWav({ sampleRate: 44100, channels: [shower(10, 44100, 400, 0.002, 3)] }, '24'))

/** Drum strokes half a second apart; the third and the sixth are flams of 24 ms. */
export function flamFile(name: string): TestFile {
  const beats = Array.from({ length: 8 }, (_, i) => 0.5 + i / 2)
  const hits = beats.flatMap((t, i): (readonly [number, number])[] =>
    i % 3 === 2
      ? [
          [t, 0.3],
          [t + 0.024, 0.5],
        ]
      : [[t, 0.5]],
  )
  return audio(name, writeWav({ sampleRate: 44100, channels: [strokes(5, 44100, ...hits)] }, '24'))
}

/** A take as FLAC, through libFLAC. */
export async function flacFile(
  name: string,
  seed: number,
  seconds: number,
  rate: number,
  bits: number,
): Promise<TestFile> {
  const x = struck(seed, seconds, rate, 1).channels[0]!
  const pcm = Int32Array.from(x, (v) => Math.round((2 ** (bits - 1) - 1) * v))
  return { name, mimeType: 'audio/flac', buffer: await flacOf(pcm, rate, 1, bits) }
}

const good = (): Buffer => takeFile('good.wav', 9, 0.2, 44100).buffer
const changed = (at: number, ...bytes: number[]): Buffer => {
  const b = good()
  Buffer.from(bytes).copy(b, at)
  return b
}
const nan = (): Buffer => {
  const x = new Float32Array(1000)
  x[500] = NaN
  return Buffer.from(writeWav({ sampleRate: 44100, channels: [x] }, '32f'))
}

/** Bad files and the sentence that each must get. */
export const BAD_FILES: readonly (readonly [string, TestFile, RegExp])[] = [
  ['empty', audio('empty.wav', Buffer.alloc(0)), /“empty\.wav”: The file is empty; choose a recording\./],
  [
    'text renamed',
    audio('notes.wav', Buffer.from('Bar 12: the cittern is late again, ask for another take.\n'.repeat(20))),
    /“notes\.wav”: This is no audio file Unwarp knows; choose .+ recording\./,
  ],
  [
    'truncated before its samples',
    audio('cut.wav', good().subarray(0, 40)),
    /“cut\.wav”: The WAV file ends before its samples begin; .+\./,
  ],
  ['no channels', audio('none.wav', changed(22, 0, 0)), /“none\.wav”: The WAV header says 0 channels; .+\./],
  [
    'not a number',
    audio('nan.wav', nan()),
    /“nan\.wav”: The file holds a sample that is not a number \(frame 500\); .+\./,
  ],
  [
    'unsupported codec',
    audio('adpcm.wav', changed(20, 2, 0)),
    /“adpcm\.wav”: The WAV file is compressed with Microsoft ADPCM, .+\./,
  ],
]

/** A file whose header promises more samples than there are: it comes in, with a word about it. */
export const shortFile = (): TestFile => {
  const whole = takeFile('short.wav', 8, 2, 44100)
  return { ...whole, buffer: whole.buffer.subarray(0, Math.round(whole.buffer.length / 2)) }
}
