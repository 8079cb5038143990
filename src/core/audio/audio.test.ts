// Dither, resampling and peaks.
import fc from 'fast-check'
import { hashAudio } from '../hash'
import { describe, expect, it } from 'vitest'
import { rms } from '../../../tests/support/measure'
import { noise, sine } from '../../../tests/support/signals'
import { toMono } from './buffer'
import { tpdf } from './dither'
import { buildPeaks, joinPeaks, PEAK_PIECE, peaksOfPiece, readPeaks } from './peaks'
import { resample } from './resample'
import { encodeSamples } from './wav-write'

describe('TPDF dither', () => {
  it('makes the error of a quantizer white in mean and variance, whatever the signal', () => {
    // Lipshitz, Wannamaker & Vanderkooy (JAES 1992): with triangular dither of 2 LSB the total error has mean 0 and
    // variance 1/12 + 1/6 = 1/4 LSB² for every input.
    for (const input of [0.1, 0.25, 0.5, 0.77]) {
      const n = 100_000
      const bytes = encodeSamples([new Float32Array(n).fill(input / 32768)], '16')
      const v = new DataView(bytes.buffer)
      let mean = 0
      let square = 0
      for (let i = 0; i < n; i++) {
        const e = v.getInt16(2 * i, true) - input
        mean += e / n
        square += (e * e) / n
      }
      expect(Math.abs(mean)).toBeLessThan(0.01)
      expect(square - mean * mean).toBeCloseTo(0.25, 2)
    }
  })

  it('depends on the place and the channel only, and leaves exact samples alone', () => {
    expect(tpdf(123, 0)).toBe(tpdf(123, 0))
    expect(tpdf(123, 0)).not.toBe(tpdf(123, 1))
    const x = Float32Array.from([0, 1 / 32768, -0.5])
    expect([...new Int16Array(encodeSamples([x], '16').buffer)]).toEqual([0, 1, -16384])
  })
})

describe('resampling', () => {
  it.each([
    [44100, 48000, 997],
    [48000, 44100, 997],
    [44100, 96000, 15000],
    [96000, 44100, 15000],
    [44100, 48000, 21000],
    [96000, 44100, 20500],
    [192000, 44100, 20000],
  ])('keeps a sine from %i to %i Hz', (from, to, hz) => {
    const out = resample({ sampleRate: from, channels: [sine(hz, 0.5, from)] }, to).channels[0]!
    const wanted = sine(hz, 0.5, to)
    const skip = Math.round(0.02 * to)
    const error = out.map((x, i) => x - wanted[i]!)
    // 100 dB below the tone, away from the ends.
    expect(rms(error, skip, out.length - skip)).toBeLessThan(0.3536 * 10 ** (-100 / 20))
  })

  it('lets nothing fold back when the rate falls', () => {
    for (const hz of [22100, 23000, 30000]) {
      const out = resample({ sampleRate: 96000, channels: [sine(hz, 0.5, 96000)] }, 44100).channels[0]!
      expect(rms(out, 1000, out.length - 1000)).toBeLessThan(0.3536 * 10 ** (-100 / 20))
    }
  })

  it('returns the same object at the same rate', () => {
    const audio = { sampleRate: 44100, channels: [noise(0.1, 44100)] }
    expect(resample(audio, 44100)).toBe(audio)
  })
})

describe('peaks', () => {
  it('hold every sample of each column at any zoom', () => {
    const x = noise(1, 44100, 1, 3)
    const peaks = buildPeaks(x)
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 40000, noNaN: true }),
        fc.double({ min: 1, max: 4000, noNaN: true }),
        (from, step) => {
          const out = readPeaks(peaks, x, from, step, new Float32Array(16))
          for (let c = 0; c < 8; c++) {
            const a = Math.max(0, Math.ceil(from + c * step))
            const b = Math.min(x.length, Math.floor(from + (c + 1) * step))
            for (let i = a; i < b; i++) {
              if (x[i]! < out[2 * c]! || x[i]! > out[2 * c + 1]!) return false
            }
          }
          return true
        },
      ),
    )
  })

  it('of pieces are those of the whole, at every level', () => {
    for (const length of [0, 1, 63, 20000, PEAK_PIECE, 5 * PEAK_PIECE + 12345, 140 * PEAK_PIECE]) {
      const x = noise(length / 44100, 44100, 1, 3).subarray(0, length)
      const whole = buildPeaks(x)
      const wanted = whole.levels.map((l) => [l.block, hashAudio([l.values], 1)])
      for (const size of [1, 2, 37].map((k) => k * PEAK_PIECE)) {
        const starts = Array.from({ length: Math.max(1, Math.ceil(length / size)) }, (_, i) => i * size)
        const pieces = starts.map((from) => peaksOfPiece(x.subarray(from, from + size)))
        const made = joinPeaks(pieces, length)
        expect(made.levels.map((l) => [l.block, hashAudio([l.values], 1)])).toEqual(wanted)
        expect(made.length).toBe(length)
      }
      whole.levels.forEach(({ block, values }, k) => {
        expect(values.length).toBe(2 * Math.ceil(length / block))
        if (k > 0) expect(block).toBe(4 * whole.levels[k - 1]!.block)
      })
      expect(whole.levels.at(-1)!.values.length).toBeLessThanOrEqual(256)
    }
  })

  it('never show more than one finest block beyond a column, and nothing outside', () => {
    const x = new Float32Array(44100)
    x[20000] = 1
    const peaks = buildPeaks(x)
    const out = readPeaks(peaks, x, 0, 441, new Float32Array(200))
    const high = [...out]
      .filter((_, i) => i % 2)
      .map((v, c) => [v, c] as const)
      .filter(([v]) => v > 0)
    for (const [, c] of high) expect(Math.abs(c - 20000 / 441)).toBeLessThan(2)
    expect([...readPeaks(peaks, x, -5000, 1000, new Float32Array(4))]).toEqual([0, 0, 0, 0])
  })

  it('the mono sum is the mean', () => {
    expect([...toMono([Float32Array.from([1, 0.5]), Float32Array.from([0, -0.5])])]).toEqual([0.5, 0])
  })
})
