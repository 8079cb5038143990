// AIFF: integers big-endian, sowt little-endian, floats; files built by hand from the specification.
import { describe, expect, it } from 'vitest'
import { readAiff } from './aiff'

const ascii = (s: string): number[] => [...s].map((c) => c.charCodeAt(0))
const be32 = (n: number): number[] => [(n >>> 24) & 255, (n >> 16) & 255, (n >> 8) & 255, n & 255]
const be16 = (n: number): number[] => [(n >> 8) & 255, n & 255]
const chunk = (id: string, body: number[]): number[] => [...ascii(id), ...be32(body.length), ...body]
/** 44100 Hz as an 80-bit extended number (AIFF 1.3, appendix). */
const RATE_44100 = [0x40, 0x0e, 0xac, 0x44, 0, 0, 0, 0, 0, 0]

function aiff(bits: number, channels: number, frames: number, data: number[], type?: string): Uint8Array {
  const comm = [
    ...be16(channels),
    ...be32(frames),
    ...be16(bits),
    ...RATE_44100,
    ...(type ? [...ascii(type), 0, 0] : []),
  ]
  const body = [
    ...ascii(type ? 'AIFC' : 'AIFF'),
    ...chunk('COMM', comm),
    ...chunk('SSND', [...be32(0), ...be32(0), ...data]),
  ]
  return Uint8Array.from([...ascii('FORM'), ...be32(body.length), ...body])
}

describe('AIFF', () => {
  it('reads 16-bit stereo at its rate', () => {
    const { audio, format } = readAiff(
      aiff(16, 2, 2, [...be16(16384), ...be16(0xc000), ...be16(0x8000), ...be16(0)]),
    )
    expect(audio.sampleRate).toBe(44100)
    expect(audio.channels.map((c) => [...c])).toEqual([
      [0.5, -1],
      [-0.5, 0],
    ])
    expect(format).toEqual({ kind: 'int', bits: 16 })
  })

  it('reads 24-bit, 8-bit, little-endian and float samples', () => {
    expect([...readAiff(aiff(24, 1, 2, [0x40, 0, 0, 0x80, 0, 0])).audio.channels[0]!]).toEqual([0.5, -1])
    expect([...readAiff(aiff(8, 1, 2, [0x40, 0x80])).audio.channels[0]!]).toEqual([0.5, -1])
    expect([...readAiff(aiff(16, 1, 2, [0, 0x40, 0, 0x80], 'sowt')).audio.channels[0]!]).toEqual([0.5, -1])
    expect([...readAiff(aiff(24, 1, 2, [0, 0, 0x40, 0, 0, 0x80], 'sowt')).audio.channels[0]!]).toEqual([
      0.5, -1,
    ])
    expect([...readAiff(aiff(32, 1, 1, be32(0x3f000000), 'fl32')).audio.channels[0]!]).toEqual([0.5])
  })

  it.each([
    ['compressed', aiff(16, 1, 1, [0, 0], 'ima4'), /compressed \(ima4\)/],
    ['without samples', aiff(16, 1, 0, []), /no samples/],
    ['without channels', aiff(16, 0, 1, [0, 0]), /0 channels/],
    ['cut short', aiff(16, 1, 1, [0, 0]).slice(0, 20), /common block/],
  ])('says what is wrong with a file that is %s', (_name, bytes, pattern) => {
    expect(() => readAiff(bytes)).toThrow(pattern)
  })
})
