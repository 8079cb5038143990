// WAV in and out: bit for bit at its own depth, odd files, bad files; checked against an independent library.
import fc from 'fast-check'
import { WaveFile } from 'wavefile'
import { describe, expect, it } from 'vitest'
import { InputError } from '../errors'
import type { AudioData } from './buffer'
import { readWav } from './wav-read'
import { wavHeader, writeWav, type WavDepth } from './wav-write'

const ascii = (s: string): number[] => [...s].map((c) => c.charCodeAt(0))
const u32 = (n: number): number[] => [n & 255, (n >> 8) & 255, (n >> 16) & 255, (n >>> 24) & 255]
const u16 = (n: number): number[] => [n & 255, (n >> 8) & 255]
const chunk = (id: string, body: number[], size = body.length): number[] => [
  ...ascii(id),
  ...u32(size),
  ...body,
  ...(body.length % 2 ? [0] : []),
]
const riff = (...chunks: number[][]): Uint8Array => {
  const body = [...ascii('WAVE'), ...chunks.flat()]
  return Uint8Array.from([...ascii('RIFF'), ...u32(body.length), ...body])
}
const fmt = (tag: number, channels: number, rate: number, bits: number, extra: number[] = []): number[] => {
  const step = (bits / 8) * channels
  return chunk('fmt ', [
    ...u16(tag),
    ...u16(channels),
    ...u32(rate),
    ...u32(rate * step),
    ...u16(step),
    ...u16(bits),
    ...extra,
  ])
}
const message = (bytes: Uint8Array): string => {
  try {
    readWav(bytes)
  } catch (e) {
    if (e instanceof InputError) return e.message
    throw e
  }
  return 'no error'
}

/** Audio whose samples lie on the lattice of a depth, so that nothing may change on the way. */
const onLattice = (depth: WavDepth): fc.Arbitrary<AudioData> => {
  const scale = depth === '16' ? 32768 : 8388608
  const sample =
    depth === '32f'
      ? fc.float({ min: -2, max: 2, noNaN: true })
      : fc.integer({ min: -scale, max: scale - 1 }).map((n) => n / scale)
  return fc
    .record({
      channels: fc.integer({ min: 1, max: 4 }),
      rate: fc.constantFrom(8000, 44100, 48000, 96000),
      frames: fc.integer({ min: 1, max: 200 }),
    })
    .chain(({ channels, rate, frames }) =>
      fc
        .array(fc.array(sample, { minLength: frames, maxLength: frames }), {
          minLength: channels,
          maxLength: channels,
        })
        .map((rows) => ({ sampleRate: rate, channels: rows.map((r) => Float32Array.from(r)) })),
    )
}

describe('writing and reading', () => {
  for (const depth of ['16', '24', '32f'] as const)
    it(`gives ${depth}-bit audio back bit for bit`, () => {
      fc.assert(
        fc.property(onLattice(depth), (audio) => {
          const bytes = writeWav(audio, depth)
          const read = readWav(bytes)
          expect(read.audio).toEqual(audio)
          expect(writeWav(read.audio, depth)).toEqual(bytes)
          expect(read.warnings).toEqual([])
        }),
        { numRuns: 60 },
      )
    })

  it('reads what an independent library writes, at every depth', () => {
    const ints: Record<string, number[]> = {
      '8': [0, 1, 127, 128, 200, 255],
      '16': [-32768, -1, 0, 1, 12345, 32767],
      '24': [-8388608, -1, 0, 1, 1234567, 8388607],
      '32': [-2147483648, -1, 0, 1, 1234567890, 2147483647],
    }
    for (const [bits, values] of Object.entries(ints)) {
      const file = new WaveFile()
      file.fromScratch(2, 44100, bits, [values, [...values].reverse()])
      const { audio, format } = readWav(file.toBuffer())
      const scale = 2 ** (Number(bits) - 1)
      const expected = values.map((v) => Math.fround((bits === '8' ? v - 128 : v) / scale))
      expect([...audio.channels[0]!]).toEqual(expected)
      expect([...audio.channels[1]!]).toEqual([...expected].reverse())
      expect(format).toEqual({ kind: 'int', bits: Number(bits) })
    }
    for (const bits of ['32f', '64']) {
      const file = new WaveFile()
      file.fromScratch(1, 48000, bits, [[0, 0.5, -1, 0.25]])
      expect([...readWav(file.toBuffer()).audio.channels[0]!]).toEqual([0, 0.5, -1, 0.25])
    }
  })

  it('writes what an independent library reads', () => {
    const x = Float32Array.from([0, 0.5, -0.5, 0.999, -1])
    for (const depth of ['16', '24', '32f'] as const) {
      const file = new WaveFile(writeWav({ sampleRate: 44100, channels: [x, x] }, depth))
      const scale = depth === '16' ? 32768 : depth === '24' ? 8388608 : 1
      const back = (file.getSamples(false, Float64Array) as unknown as Float64Array[])[0]!
      back.forEach((v, i) =>
        expect(Math.abs(v / scale - x[i]!)).toBeLessThan(depth === '16' ? 2 / 32768 : 1.2e-7),
      )
      expect((file.fmt as { sampleRate: number }).sampleRate).toBe(44100)
    }
  })

  it('clips at full scale instead of wrapping round', () => {
    for (const depth of ['16', '24'] as const) {
      const { audio } = readWav(
        writeWav({ sampleRate: 44100, channels: [Float32Array.from([1.5, -1.5])] }, depth),
      )
      expect(audio.channels[0]![0]).toBeGreaterThan(0.9999)
      expect(audio.channels[0]![1]).toBe(-1)
    }
  })
})

describe('odd files', () => {
  const samples = [...u16(0), ...u16(16384), ...u16(32767), ...u16(0x8000)]
  const wanted = [0, 0.5, Math.fround(32767 / 32768), -1]
  const left = (bytes: Uint8Array): number[] => [...readWav(bytes).audio.channels[0]!]

  it('reads chunks in any order, of odd length and unknown kind', () => {
    const list = chunk('LIST', [...ascii('INFO'), 1, 2, 3])
    expect(left(riff(list, chunk('data', samples), chunk('bext', [9]), fmt(1, 1, 44100, 16)))).toEqual(wanted)
  })

  it('reads WAVE_FORMAT_EXTENSIBLE', () => {
    const guid = [1, 0, 0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71]
    const extra = [...u16(22), ...u16(16), ...u32(4), ...guid]
    expect(left(riff(fmt(0xfffe, 1, 44100, 16, extra), chunk('data', samples)))).toEqual(wanted)
  })

  it('reads as far as it goes when the data chunk claims more than there is, and says so', () => {
    const read = readWav(riff(fmt(1, 1, 44100, 16), chunk('data', samples, 4000)))
    expect([...read.audio.channels[0]!]).toEqual(wanted)
    expect(read.warnings.join()).toMatch(/cut short/)
  })

  it('reads RF64 with its sizes in the ds64 chunk (EBU Tech 3306)', () => {
    const ds64 = chunk('ds64', [...u32(0), ...u32(0), ...u32(8), ...u32(0), ...u32(4), ...u32(0), ...u32(0)])
    const bytes = riff(ds64, fmt(1, 1, 44100, 16), chunk('data', samples, 0xffffffff))
    bytes.set(ascii('RF64'), 0)
    expect(left(bytes)).toEqual(wanted)
  })

  it('writes an RF64 header above 4 GiB', () => {
    const frames = 2 ** 29
    const header = wavHeader(2, 96000, frames, '32f')
    const v = new DataView(header.buffer)
    expect(String.fromCharCode(...header.subarray(0, 4))).toBe('RF64')
    expect(v.getBigUint64(28, true)).toBe(BigInt(frames) * 8n)
    expect(v.getBigUint64(20, true)).toBe(BigInt(frames) * 8n + BigInt(header.length - 8))
  })
})

describe('bad files', () => {
  const good = riff(fmt(1, 1, 44100, 16), chunk('data', [0, 0, 1, 0]))
  it.each([
    ['text', Uint8Array.from(ascii('these are only words, forty letters long')), /not a WAV file/],
    ['nothing', new Uint8Array(0), /not a WAV file/],
    ['cut before the format', good.slice(0, 20), /cut short or damaged/],
    ['cut before the samples', good.slice(0, 36), /ends before its samples/],
    ['no channels', riff(fmt(1, 0, 44100, 16), chunk('data', [0, 0])), /0 channels/],
    ['no samples', riff(fmt(1, 1, 44100, 16), chunk('data', [])), /no samples/],
    ['ADPCM', riff(fmt(2, 1, 44100, 16), chunk('data', [0, 0])), /Microsoft ADPCM/],
    ['a rate of nothing', riff(fmt(1, 1, 0, 16), chunk('data', [0, 0])), /rate of 0 Hz/],
    ['12-bit', riff(fmt(1, 1, 44100, 12), chunk('data', [0, 0, 0])), /12-bit/],
    ['not a number', riff(fmt(3, 1, 44100, 32), chunk('data', [0, 0, 0xc0, 0x7f])), /not a number/],
  ])('%s gives one clear sentence', (_name, bytes, pattern) => {
    const said = message(bytes)
    expect(said).toMatch(pattern)
    expect(said.trim().split(/(?<=\.)\s+(?=[A-Z])/)).toHaveLength(1)
  })

  it('never fails with anything but a sentence, whatever the bytes', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 120 }), fc.integer({ min: 0, max: 44 }), (junk, cut) => {
        message(Uint8Array.from([...good.slice(0, cut), ...junk]))
      }),
      { numRuns: 500 },
    )
  })
})
