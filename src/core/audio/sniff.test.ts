// Rates out of headers built by hand from the formats' specifications.
import { describe, expect, it } from 'vitest'
import { statedRate } from './sniff'

const ascii = (s: string): number[] => [...s].map((c) => c.charCodeAt(0))
const bytes = (...parts: number[][]): Uint8Array => Uint8Array.from([...parts.flat(), ...Array(64).fill(0)])
const flac = (rate: number): number[] => [
  ...ascii('fLaC'),
  0,
  0,
  0,
  34,
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
  rate >> 12,
  (rate >> 4) & 255,
  (rate & 15) << 4,
]
const ogg = (packet: number[]): number[] => [
  ...ascii('OggS'),
  ...Array(22).fill(0),
  1,
  packet.length,
  ...packet,
]

describe('stated rates', () => {
  it.each([
    ['FLAC', bytes(flac(96000)), 96000],
    ['FLAC at 44.1 kHz', bytes(flac(44100)), 44100],
    ['Vorbis', bytes(ogg([1, ...ascii('vorbis'), 0, 0, 0, 0, 2, 0x44, 0xac, 0, 0])), 44100],
    ['Opus', bytes(ogg(ascii('OpusHead'))), 48000],
    // MPEG-1 layer III, 128 kbit/s: 0xFFFB; rate index 1 is 48 kHz.
    ['MP3', bytes([0xff, 0xfb, 0x94, 0x00]), 48000],
    [
      'MP3 behind an ID3 tag',
      bytes([...ascii('ID3'), 4, 0, 0, 0, 0, 0, 5, 1, 2, 3, 4, 5, 0xff, 0xfb, 0x90, 0x00]),
      44100,
    ],
    ['MPEG-2 layer III', bytes([0xff, 0xf3, 0x90, 0x00]), 22050],
    [
      'M4A',
      bytes(
        [0, 0, 0, 12, ...ascii('ftypM4A ')],
        [0, 0, 0, 0],
        ascii('mp4a'),
        Array(24).fill(0),
        [0xbb, 0x80, 0, 0],
      ),
      48000,
    ],
  ])('%s', (_name, file, rate) => expect(statedRate(file)).toBe(rate))

  it('says nothing of anything else', () => {
    expect(statedRate(bytes(ascii('plain words')))).toBeUndefined()
    expect(statedRate(new Uint8Array(0))).toBeUndefined()
  })
})
