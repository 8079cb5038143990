// Samples of uncompressed files a piece at a time, their layout told by the file's beginning.
import { describe, expect, it } from 'vitest'
import { WaveFile } from 'wavefile'
import { randomFrom } from '../dsp/random'
import { aiffLayout } from './aiff'
import { decodeFrames, frameBytes, type Layout } from './pcm'
import { readWav, wavLayout } from './wav-read'
import { writeWav } from './wav-write'

const FRAMES = 1003
const random = randomFrom(3)
const channelsOf = (count: number): Float32Array[] =>
  Array.from({ length: count }, () => Float32Array.from({ length: FRAMES }, () => 1.9 * (random() - 0.5)))

/** A file decoded a few frames at a time, each time from bytes of their own. */
function inPieces(bytes: Uint8Array, layout: Layout, size: number): Float32Array[] {
  const channels = Array.from({ length: layout.channels }, () => new Float32Array(layout.frames))
  for (let from = 0; from < layout.frames; from += size) {
    const to = Math.min(layout.frames, from + size)
    const [start, end] = [from, to].map((f) => layout.at + f * frameBytes(layout))
    const out = channels.map((c) => c.subarray(from, to))
    decodeFrames(layout, bytes.slice(start, end), out, from)
  }
  return channels
}

describe('an uncompressed file in pieces', () => {
  it.each(['8', '16', '24', '32', '32f', '64'])('gives at %s bits what it gives at once', (depth) => {
    for (const count of [1, 2, 3]) {
      const file = new WaveFile()
      const scale = depth.endsWith('f') || depth === '64' ? 1 : 2 ** (Number(depth) - 1)
      const samples = channelsOf(count).map((c) =>
        Array.from(c, (v) => (scale === 1 ? v : Math.floor(v * scale) + (depth === '8' ? 128 : 0))),
      )
      file.fromScratch(count, 48000, depth, samples)
      const bytes = file.toBuffer()
      const whole = readWav(bytes).audio.channels
      expect(Math.max(...whole[0]!)).toBeGreaterThan(0.9)
      for (const size of [1, 2, 101, FRAMES]) expect(inPieces(bytes, wavLayout(bytes)!, size)).toEqual(whole)
    }
  })

  it('names the frame of the file that is no number', () => {
    const channels = channelsOf(2)
    channels[1]![777] = NaN
    const bytes = writeWav({ sampleRate: 44100, channels }, '32f')
    expect(() => inPieces(bytes, wavLayout(bytes)!, 100)).toThrow(/frame 777/)
  })
})

describe('the beginning of a file', () => {
  const whole = writeWav({ sampleRate: 44100, channels: channelsOf(2) }, '24')

  it('tells where the samples of a WAV file lie, or that it is too short to tell', () => {
    expect(wavLayout(whole.slice(0, 64), whole.length)).toEqual(wavLayout(whole))
    for (const bytes of [13, 20, 30, 40]) expect(wavLayout(whole.slice(0, bytes), whole.length)).toBeNull()
    expect(() => wavLayout(whole.slice(0, 40))).toThrow(/ends before its samples/)
  })

  it('is not taken for a file that is cut short', () => {
    expect(wavLayout(whole.slice(0, 64), whole.length)!.warnings).toEqual([])
    expect(wavLayout(whole.slice(0, 64), whole.length - 600)).toMatchObject({
      frames: FRAMES - 100,
      warnings: [expect.stringMatching(/cut short/)],
    })
  })

  it('does the same of an AIFF file', () => {
    const ascii = (s: string): number[] => [...s].map((c) => c.charCodeAt(0))
    const common = [0, 2, 0, 0, 0, 3, 0, 16, 0x40, 0x0e, 0xac, 0x44, 0, 0, 0, 0, 0, 0]
    const samples = [0, 0, 0, 0, 0, 0, 0, 0, 64, 0, 192, 0, 0, 1, 0, 2, 0x80, 0, 0x7f, 0xff]
    const file = Uint8Array.from([
      ...ascii('FORM'),
      ...[0, 0, 0, 4 + 26 + 28],
      ...ascii('AIFFCOMM'),
      ...[0, 0, 0, common.length, ...common],
      ...ascii('SSND'),
      ...[0, 0, 0, samples.length, ...samples],
    ])
    const layout = aiffLayout(file)!
    expect(layout).toMatchObject({ frames: 3, channels: 2, chunk: { from: 38, to: file.length } })
    expect(aiffLayout(file.slice(0, layout.at), file.length)).toEqual(layout)
    for (const bytes of [13, 30, 40, 50]) expect(aiffLayout(file.slice(0, bytes), file.length)).toBeNull()
    expect(inPieces(file, layout, 2)).toEqual([
      Float32Array.of(0.5, 1 / 32768, -1),
      Float32Array.of(-0.5, 2 / 32768, 32767 / 32768),
    ])
  })
})
