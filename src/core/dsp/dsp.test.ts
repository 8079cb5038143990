// The arithmetic: FFT against a direct sum and an independent library, windows against tables, filter bank, STFT.
import FFT from 'fft.js'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { noise } from '../../../tests/support/signals'
import { lastAtOrBelow } from '../search'
import { realFft } from './fft'
import { HALVE_REACH, halve } from './decimate'
import { bankIn, logFilterBank } from './filterbank'
import { workspace } from './kernels/kernels'
import { randomFrom } from './random'
import { copyRange, sliceRange } from './signal'
import { frameReader } from '../../../tests/support/frames'
import { magnitudes } from './magnitudes'
import { besselI0, hann, kaiserBeta } from './windows'

describe('FFT', () => {
  it.each([32, 96, 256, 480, 2048])('of %i points agrees with the defining sum', (size) => {
    const x = noise(1, size, 1, 5)
    const packed = new Float32Array(size)
    realFft(size).forward(x, packed)
    for (const k of [1, 2, size / 4, size / 2 - 1]) {
      let [re, im] = [0, 0]
      for (let n = 0; n < size; n++) {
        re += x[n]! * Math.cos((2 * Math.PI * k * n) / size)
        im -= x[n]! * Math.sin((2 * Math.PI * k * n) / size)
      }
      expect(packed[2 * k]).toBeCloseTo(re, 3)
      expect(packed[2 * k + 1]).toBeCloseTo(im, 3)
    }
    expect(packed[0]).toBeCloseTo(
      x.reduce((a, b) => a + b, 0),
      3,
    )
    expect(packed[1]).toBeCloseTo(
      x.reduce((a, b, i) => a + (i % 2 ? -b : b), 0),
      3,
    )
  })

  it('agrees with fft.js in every bin', () => {
    const size = 1024
    const x = noise(1, size, 1, 6)
    const packed = new Float32Array(size)
    realFft(size).forward(x, packed)
    const other = new FFT(size)
    const out = other.createComplexArray()
    other.realTransform(out, [...x])
    for (let k = 2; k < size; k++) expect(Math.abs(packed[k]! - out[k]!)).toBeLessThan(2e-4)
  })

  it('comes back', () => {
    const x = noise(1, 2048, 1, 7)
    const [packed, back] = [new Float32Array(2048), new Float32Array(2048)]
    realFft(2048).forward(x, packed)
    realFft(2048).inverse(packed, back)
    x.forEach((v, i) => expect(Math.abs(back[i]! - v)).toBeLessThan(1e-6))
  })
})

describe('windows', () => {
  it('squared Hann windows at four overlaps sum to 1.5', () => {
    const w = hann(256)
    for (let i = 0; i < 64; i++) {
      let sum = 0
      for (let k = 0; k < 4; k++) sum += w[i + 64 * k]! ** 2
      expect(sum).toBeCloseTo(1.5, 6)
    }
  })

  it('I0 agrees with Abramowitz & Stegun, table 9.8 (e^-x I0(x))', () => {
    // The table's values, from memory: x = 1: 0.46575960, x = 5: 0.18354081, x = 10: 0.12783334.
    expect(Math.exp(-1) * besselI0(1)).toBeCloseTo(0.4657596, 6)
    expect(Math.exp(-5) * besselI0(5)).toBeCloseTo(0.1835408, 6)
    expect(Math.exp(-10) * besselI0(10)).toBeCloseTo(0.1278333, 6)
  })

  it('β for 60 dB is 5.653 (Oppenheim & Schafer, "Discrete-Time Signal Processing", eq. 7.75; from memory)', () => {
    expect(kaiserBeta(60)).toBeCloseTo(5.653, 2)
  })
})

describe('filter bank', () => {
  it('covers the range with 24 centres an octave where the transform is fine enough, and weights sum up evenly', () => {
    const bank = logFilterBank(4096, 44100)
    const center = (i: number): number => {
      let [sum, weight] = [0, 0]
      for (let k = bank.start[i]!; k < bank.start[i + 1]!; k++) {
        sum += bank.weights[k]! * (bank.first[i]! + k - bank.start[i]!)
        weight += bank.weights[k]!
      }
      return ((sum / weight) * 44100) / 4096
    }
    const octaveUp = center(bank.count - 1) / center(bank.count - 25)
    expect(octaveUp).toBeGreaterThan(1.95)
    expect(octaveUp).toBeLessThan(2.05)
    const space = workspace(8192)
    const flat = space.floats(bank.count)
    bankIn(space, bank)(space.floats(2049).fill(1), flat)
    for (const v of flat) expect(v).toBeGreaterThanOrEqual(1)
  })
})

describe('frames', () => {
  it('a sine peaks in its bin with half the window sum times its amplitude', () => {
    const size = 1024
    const k = 40
    const x = Float32Array.from({ length: 4096 }, (_, i) => 0.5 * Math.cos((2 * Math.PI * k * i) / size))
    const spectrum = new Float32Array(size)
    frameReader(size).read(x, 512, spectrum)
    const mags = magnitudes(spectrum, new Float32Array(size / 2 + 1))
    expect(mags.indexOf(Math.max(...mags))).toBe(k)
    expect(mags[k]).toBeCloseTo((0.5 * size) / 4, 2)
  })

  it('reads zeros outside the signal', () => {
    expect([...sliceRange(Float32Array.from([1, 2, 3]), -1, 5)]).toEqual([0, 1, 2, 3, 0, 0])
    expect([...copyRange(Float32Array.from([1, 2, 3]), 2, 9, new Float32Array(3).fill(7))]).toEqual([3, 7, 7])
  })
})

describe('small tools', () => {
  it('finds the last entry at or below', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 50 })),
        fc.integer({ min: -1, max: 51 }),
        (values, x) => {
          const sorted = values.sort((a, b) => a - b)
          return (
            lastAtOrBelow(sorted.length, (i) => sorted[i]!, x) === sorted.filter((v) => v <= x).length - 1
          )
        },
      ),
    )
  })

  it('random numbers are even and repeat', () => {
    const [a, b] = [randomFrom(9), randomFrom(9)]
    let sum = 0
    for (let i = 0; i < 10000; i++) {
      const v = a()
      expect(v).toBe(b())
      sum += v
    }
    expect(sum / 10000).toBeCloseTo(0.5, 1)
  })
})

describe('halving the rate', () => {
  const tone = (hz: number): Float32Array =>
    Float32Array.from({ length: 4000 }, (_, i) => Math.sin((2 * Math.PI * hz * i) / 44100))
  const level = (x: Float32Array): number => Math.max(...x.subarray(100, 1800).map(Math.abs))

  it('keeps what fits below the new limit, sample for sample, and drops what would fold back by 60 dB', () => {
    const x = tone(3000)
    const y = halve(x)
    for (let i = 0; i < y.length; i++) expect(y[i]!).toBeCloseTo(x[HALVE_REACH + 2 * i]!, 3)
    expect(level(halve(tone(8000)))).toBeGreaterThan(0.97)
    expect(level(halve(tone(15000)))).toBeLessThan(1e-3)
  })
})
