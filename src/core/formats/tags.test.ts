// Tempo in tags: files built byte by byte from their specifications.
import { describe, expect, it } from 'vitest'
import { wavLayout } from '../audio/wav-read'
import { writeWav } from '../audio/wav-write'
import { tempoInLoopChunk, tempoInTags, withoutSamples } from './tags'

const ascii = (text: string): number[] => [...text].map((c) => c.charCodeAt(0))
const le32 = (n: number): number[] => [n & 255, (n >> 8) & 255, (n >> 16) & 255, n >>> 24]
const synchsafe = (n: number): number[] => [(n >> 21) & 127, (n >> 14) & 127, (n >> 7) & 127, n & 127]

/** An ID3v2.3 tag with one text frame (id3.org, "ID3 tag version 2.3.0", sections 3.1, 3.3 and 4.2). */
function id3(frame: string, text: string): number[] {
  const body = [0, ...ascii(text)]
  const content = [...ascii(frame), 0, 0, 0, body.length, 0, 0, ...body]
  return [...ascii('ID3'), 3, 0, 0, ...synchsafe(content.length), ...content]
}

/** A WAV file with one more chunk. */
function wavWith(name: string, chunk: readonly number[]): Uint8Array {
  const wav = writeWav({ sampleRate: 8000, channels: [new Float32Array(80)] }, '16')
  const pad = chunk.length % 2 ? [0] : []
  const out = Uint8Array.from([...wav, ...ascii(name), ...le32(chunk.length), ...chunk, ...pad])
  out.set(le32(out.length - 8), 4)
  return out
}

const float = (x: number): number[] => [...new Uint8Array(Float32Array.of(x).buffer)]
const loop = (bpm: number): number[] => [...new Array<number>(20).fill(0), ...float(bpm)]

/** A silent MPEG-1 layer III frame, 128 kbit/s at 44.1 kHz (ISO/IEC 11172-3, header of clause 2.4.2.3). */
const mp3Frame = (): number[] => [0xff, 0xfb, 0x90, 0x64, ...new Array<number>(413).fill(0)]

/** A FLAC file's marker, stream info and a Vorbis comment (RFC 9639, sections 8.2 and 8.6). */
function flac(comment: string): Uint8Array {
  const info = [
    16,
    0,
    16,
    0,
    0,
    0,
    0,
    0,
    0,
    0,
    0x0a,
    0xc4,
    0x42,
    0xf0,
    0,
    0,
    0,
    0,
    ...new Array<number>(16).fill(0),
  ]
  const field = [...le32(comment.length), ...ascii(comment)]
  const comments = [...le32(0), ...le32(1), ...field]
  return Uint8Array.from([
    ...ascii('fLaC'),
    ...[0, 0, 0, info.length],
    ...info,
    ...[0x84, 0, 0, comments.length],
    ...comments,
  ])
}

describe('tempo in tags', () => {
  it('WAV: a loop chunk, and an ID3 chunk', async () => {
    expect(await tempoInTags(wavWith('acid', loop(117.5)))).toBe(117.5)
    expect(await tempoInTags(wavWith('id3 ', id3('TBPM', '96')))).toBe(96)
    expect(await tempoInTags(wavWith('note', [1, 2, 3]))).toBeNull()
  })

  it('WAV and AIFF: also without the samples', async () => {
    for (const [name, chunk, bpm] of [
      ['acid', loop(117.5), 117.5],
      ['id3 ', id3('TBPM', '96'), 96],
      ['note', [1, 2, 3], null],
    ] as const) {
      const wav = wavWith(name, chunk)
      const { chunk: samples } = wavLayout(wav)!
      const rest = withoutSamples(wav.slice(0, samples.from), wav.slice(samples.to))
      expect(rest.length).toBe(wav.length - (samples.to - samples.from))
      expect(await tempoInTags(rest)).toBe(bpm)
    }
    const be32 = (n: number): number[] => le32(n).reverse()
    const tag = id3('TBPM', '96')
    const common = [0, 1, 0, 0, 0, 1, 0, 16, 0x40, 0x0e, 0xac, 0x44, 0, 0, 0, 0, 0, 0]
    const before = [...ascii('FORM'), 0, 0, 0, 0, ...ascii('AIFFCOMM'), ...be32(common.length), ...common]
    const after = [...ascii('ID3 '), ...be32(tag.length), ...tag, ...(tag.length % 2 ? [0] : [])]
    const rest = withoutSamples(Uint8Array.from(before), Uint8Array.from(after))
    expect(new DataView(rest.buffer).getUint32(4)).toBe(rest.length - 8)
    expect(await tempoInTags(rest)).toBe(96)
  })

  it('MP3: ID3v2 TBPM', async () =>
    expect(
      await tempoInTags(
        Uint8Array.from([...id3('TBPM', '128'), ...mp3Frame(), ...mp3Frame(), ...mp3Frame()]),
      ),
    ).toBe(128))

  it('FLAC: a Vorbis comment', async () => expect(await tempoInTags(flac('BPM=104'))).toBe(104))

  it('nonsense is no tempo, and damaged tags no error', async () => {
    expect(tempoInLoopChunk(wavWith('acid', loop(0)))).toBeNull()
    expect(tempoInLoopChunk(wavWith('acid', loop(NaN)))).toBeNull()
    expect(await tempoInTags(wavWith('id3 ', id3('TBPM', 'fast')))).toBeNull()
    expect(await tempoInTags(Uint8Array.from(ascii('RIFF....WAVEjunk')))).toBeNull()
    expect(await tempoInTags(new Uint8Array(0))).toBeNull()
  })
})
