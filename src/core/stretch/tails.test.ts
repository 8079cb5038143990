// Hits: what rings on after a stroke keeps the level and the colour that the map puts there.
import { describe, expect, it } from 'vitest'
import { db, rms } from '../../../tests/support/measure'
import { noise, sine } from '../../../tests/support/signals'
import { cymbal, tailChange } from '../../../tests/support/tails'
import { bestTurn, lagSearch } from './periods'
import { stretchAudio } from './stretch'
import { fillTail } from './tails'
import { DEFAULT_STRETCH, type Fill } from './types'

const RATE = 44100

const withHits = (x: Float32Array, ratio: number, stroke: number, fill: Fill): Float32Array => {
  const map = [
    { source: 0, target: 0 },
    { source: x.length, target: Math.round(x.length * ratio) },
  ]
  const sound = { ...DEFAULT_STRETCH, method: 'hits', fill } as const
  return stretchAudio({ channels: [x], sampleRate: RATE }, map, [stroke], sound)[0]!
}

describe('what tells tails', () => {
  const { x, stroke } = cymbal(2, RATE, 3)

  it('finds none in the recording itself, and none but its own chance in the same cymbal struck again', () => {
    expect(tailChange(x, x, RATE, 1, stroke)).toEqual({ wavering: 0, farthest: 0 })
    expect(tailChange(x, cymbal(2, RATE, 30).x, RATE, 1, stroke).wavering).toBeLessThan(1)
  })

  it('finds highs that come back, and a level that swells', () => {
    const bright = noise(2.3, RATE, 0.02, 8)
    const back = x.map((v, i) => v + (i > RATE ? bright[i]! - bright[i - 1]! : 0))
    expect(tailChange(x, back, RATE, 1, stroke).farthest).toBeGreaterThan(3)
    const swelling = x.map((v, i) => v * (1 + 0.4 * Math.sin((2 * Math.PI * 3 * i) / RATE)))
    expect(tailChange(x, swelling, RATE, 1, stroke).wavering).toBeGreaterThan(1.5)
  })
})

describe('a cymbal with Hits does not pump', () => {
  const { x, stroke } = cymbal(3, RATE, 5)

  it.each([
    [0.5, 'mirror'],
    [0.75, 'mirror'],
    [1.1, 'mirror'],
    [1.25, 'mirror'],
    [2, 'mirror'],
    [4, 'mirror'],
    [1.25, 'repeat'],
    [2, 'repeat'],
    [4, 'repeat'],
  ] as const)('at %f by %s', (ratio, fill) => {
    const { wavering, farthest } = tailChange(x, withHits(x, ratio, stroke, fill), RATE, ratio, stroke)
    expect(wavering).toBeLessThan(0.8)
    expect(Math.abs(farthest)).toBeLessThan(7)
  })

  it('nor two channels against each other', () => {
    const other = cymbal(3, RATE, 50).x
    const map = [
      { source: 0, target: 0 },
      { source: x.length, target: Math.round(1.5 * x.length) },
    ]
    const sound = { ...DEFAULT_STRETCH, method: 'hits' } as const
    const out = stretchAudio({ channels: [x, other], sampleRate: RATE }, map, [stroke], sound)
    out.forEach((y, c) => {
      expect(tailChange([x, other][c]!, y, RATE, 1.5, stroke).wavering).toBeLessThan(0.9)
    })
  })
})

describe('a drum that rings', () => {
  const stroke = Math.round(0.2 * RATE)
  const ring = (partials: readonly number[]): Float32Array =>
    Float32Array.from({ length: Math.round(2.2 * RATE) }, (_, i) => {
      const t = (i - stroke) / RATE
      return t < 0
        ? 0
        : partials.reduce((sum, hz) => sum + 0.3 * Math.sin(2 * Math.PI * hz * t) * Math.exp(-2 * t), 0)
    })

  it.each([
    [[92, 211], 'mirror'],
    [[147, 311], 'mirror'],
    [[92, 211], 'repeat'],
    [[147, 311], 'repeat'],
  ] as const)('does not waver: %o Hz by %s', (partials, fill) => {
    const x = ring(partials)
    const off = [1.25, 1.6, 2].map(
      (ratio) => tailChange(x, withHits(x, ratio, stroke, fill), RATE, ratio, stroke).wavering,
    )
    expect(Math.max(...off)).toBeLessThan(0.6)
  })
})

describe('reading a tail', () => {
  const places = Float32Array.from({ length: 2 * RATE }, (_, i) => i)
  /** Where every output sample is read from, by a recording whose samples are their places. */
  const read = (length: number, mirrored: boolean, share?: (n: number) => number): Float32Array => {
    const out = [new Float32Array(length)]
    const span = {
      from: 0,
      to: places.length,
      length,
      attackAtStart: true,
      attackAtEnd: true,
      joinsStart: true,
      joinsEnd: true,
      ...(share ? { share } : {}),
    }
    const source = { sampleRate: RATE, channels: [places] }
    fillTail(source, span, places.length - 1, mirrored, out, length, () => undefined)
    return out[0]!
  }

  it.each([
    [0.5, false],
    [0.8, false],
    [1.2, false],
    [1.2, true],
    [2, false],
    [2, true],
    [4, true],
  ])('%f times as long is never far from its place, mirrored: %s', (ratio, mirrored) => {
    const length = Math.round(places.length * ratio)
    const y = read(length, mirrored)
    const first = Math.round(0.1 * RATE)
    for (let n = first; n < length - first; n += 97)
      expect(Math.abs(y[n]! - n / ratio) / RATE).toBeLessThan(0.06)
  })

  it.each([true, false])('follows a map that bends, mirrored: %s', (mirrored) => {
    const length = 3 * RATE
    const share = (n: number): number => (n / length) ** 1.3
    const y = read(length, mirrored, share)
    for (let n = Math.round(0.2 * RATE); n < length - 0.1 * RATE; n += 97)
      expect(Math.abs(y[n]! - share(n) * places.length) / RATE).toBeLessThan(0.06)
  })

  it('begins as recorded, runs on but for what it must, and leaves the attack alone', () => {
    for (const mirrored of [true, false]) {
      const y = read(Math.round(places.length * 1.25), mirrored)
      for (let n = 0; n < 0.05 * RATE; n++) expect(y[n]).toBe(n)
      let steps = 0
      for (let n = 1; n < y.length; n++) if (Math.abs(Math.abs(y[n]! - y[n - 1]!) - 1) > 1e-2) steps++
      expect(steps / y.length).toBeLessThan(0.15)
      expect(Math.min(...y.subarray(RATE / 10))).toBeGreaterThan(0.03 * RATE)
    }
  })
})

describe('a place to turn', () => {
  it.each([
    [110, 1],
    [110, -1],
    [261.6, 1],
    [261.6, -1],
  ] as const)('of a tone of %f Hz goes on in its phase, read in direction %i', (hz, way) => {
    const x = sine(hz, 1, RATE)
    const search = lagSearch(RATE, 0.02, 0.055)
    const place = 20011
    const back = bestTurn(search, [x], place, way, Math.round(0.012 * RATE))
    const from = place - way * back
    const off = Float32Array.from({ length: 400 }, (_, i) => x[place + way * i]! - x[from - way * i]!)
    expect(db(rms(off) / rms(x))).toBeLessThan(-24)
  })
})
