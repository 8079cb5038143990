// Reading at any speed: nothing but the signal is heard, whatever is asked for at a time.
import { describe, expect, it } from 'vitest'
import { db, rms } from '../../../tests/support/measure'
import { noise, sine } from '../../../tests/support/signals'
import { openReader } from './reader'
import { readBetween } from './sinc'

const RATE = 44100

const read = (
  inputs: readonly Float32Array[],
  start: number,
  step: number,
  length: number,
  base = 0,
): Float32Array[] => {
  const outs = inputs.map(() => new Float32Array(length))
  openReader(inputs.length, step, start).read(inputs, base, start, step, outs)
  return outs
}

describe('a reader', () => {
  it.each([0.3, 0.8, 1 / 1.05, 1.05, 1.9, 3.7, 9.1])(
    'leaves a tone where it belongs, at a step of %f',
    (step) => {
      // The band ends 2.8 % of the recording's below the lower Nyquist frequency, and 11 % of what is left at least.
      const passed = Math.max(1 / Math.max(1, step) - 0.028, 0.885 / Math.max(1, step))
      for (const share of [0.05, 0.3, 0.7, 0.9, 1]) {
        const hz = ((share * RATE) / 2) * passed
        const [out] = read([sine(hz, 6, RATE)], 3000.37, step, 12000)
        const wanted = Float32Array.from(
          out!,
          (_, i) => 0.5 * Math.sin((2 * Math.PI * hz * (3000.37 + i * step)) / RATE),
        )
        const error = out!.map((v, i) => v - wanted[i]!)
        expect(db(rms(error) / rms(wanted)), `${hz.toFixed(0)} Hz`).toBeLessThan(-100)
      }
    },
  )

  it.each([1.05, 1.5, 2.1, 5, 12])('lets nothing fold back at a step of %f', (step) => {
    for (const above of [1.001, 1.05, 1.3]) {
      const hz = ((RATE / 2) * above) / step
      if (hz < RATE / 2) expect(rms(read([sine(hz, 6, RATE)], 3000, step, 8000)[0]!)).toBeLessThan(0.354e-5)
    }
  })

  it('reads with steps of any length, of which nearly nothing is left', () => {
    const x = noise(3, RATE, 0.5, 8)
    for (const step of [300, 6000, 130000]) {
      const [out] = read([x], 0, step, Math.ceil(x.length / step) + 1)
      // A mean over so many samples, as far as a filter of 0.7 s tells them.
      expect(rms(out!), `${step}`).toBeLessThan(2 / Math.sqrt(Math.min(step, 4000)))
    }
  })

  it('reads any number of signals as each alone, wherever they begin', () => {
    const inputs = [1, 2, 3].map((seed) => noise(0.5, RATE, 0.5, seed))
    for (const [start, step] of [
      [100.25, 0.8],
      [-2000, 1.37],
      [19000, 40],
    ] as const) {
      const alone = inputs.map((x) => read([x], start, step, 5001)[0]!)
      for (const count of [2, 3])
        expect(read(inputs.slice(0, count), start, step, 5001)).toEqual(alone.slice(0, count))
      const later = inputs.map((x) => {
        const moved = new Float32Array(x.length + 5000)
        moved.set(x, 5000)
        return moved
      })
      expect(read(later, start, step, 5001, -5000)).toEqual(alone)
    }
  })

  it('gives the same whatever is asked for at a time, back and forth', () => {
    const x = noise(1, RATE, 0.5, 4)
    const step = 0.8
    const [whole] = read([x], 0, step, 40000)
    const reader = openReader(1, step, 0)
    for (const at of [30000, 0, 20000, 20500, 100, 39000])
      for (const [from, size] of [
        [at, 1],
        [at + 1, 64],
        [at + 65, 900],
      ] as const) {
        const out = new Float32Array(size)
        reader.read([x], 0, from * step, step, [out])
        // Places are the same to the last bit of a double; the kernel is read with them in single precision.
        out.forEach((v, i) => expect(Math.abs(v - whole![from + i]!)).toBeLessThan(2e-7))
      }
  })

  it.each([0.7, 1, 2.3, 9])('looks no farther than it says, at a step of %f', (step) => {
    const x = noise(2, RATE, 0.5, 6)
    for (const start of [20000, 30717.9, 40000.5]) {
      const reader = openReader(1, step, start - 5000)
      const [from, to] = [reader.from(start), reader.to(start + 999 * step)]
      const seen = x.map((v, i) => (i >= from && i < to ? v : NaN))
      const out = new Float32Array(1000)
      reader.read([seen], 0, start, step, [out])
      const wanted = read([x], start, step, 1000)[0]!
      out.forEach((v, i) => expect(Math.abs(v - wanted[i]!)).toBeLessThan(1e-6))
    }
  })
})

describe('between two samples', () => {
  /** The tone that would be read, and what is. */
  const both = (share: number, place: number, length: number) => {
    const hz = (share * RATE) / 2
    const out = new Float32Array(length)
    readBetween(sine(hz, 1, RATE), place, out)
    const wanted = out.map((_, i) => 0.5 * Math.sin((2 * Math.PI * hz * (place + i)) / RATE))
    return { out, wanted }
  }

  it.each([0.1, 0.5, 0.7003])('a tone is where it belongs, %f samples after one', (part) => {
    for (const share of [0.01, 0.1, 0.3, 0.5, 0.7, 0.9, 0.92, 0.94]) {
      const { out, wanted } = both(share, 3000 + part, 5000)
      const error = out.map((v, i) => v - wanted[i]!)
      expect(db(rms(error) / rms(wanted)), `${share} of the band`).toBeLessThan(-55)
      expect(Math.abs(db(rms(out) / rms(wanted))), `${share} of the band`).toBeLessThan(0.02)
    }
  })

  it('is read the same however much is asked for at a time, and nothing before and after the signal', () => {
    const x = noise(0.05, RATE, 0.5, 4)
    const all = new Float32Array(x.length + 400)
    readBetween(x, -200.3125, all)
    expect(rms(all, 0, 150)).toBe(0)
    expect(rms(all, all.length - 150, all.length)).toBe(0)
    for (const size of [1, 7, 1500]) {
      const parts = new Float32Array(all.length)
      for (let at = 0; at < all.length; at += size)
        readBetween(x, -200.3125 + at, parts.subarray(at, Math.min(all.length, at + size)))
      expect(parts).toEqual(all)
    }
  })
})
