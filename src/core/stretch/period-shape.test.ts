// What periods have between their harmonics: against spectra that are known.
import { describe, expect, it } from 'vitest'
import { periodShape, REACH } from './period-shape'

const PERIOD = 147.3
const MARK = REACH * PERIOD + 0.4
const LENGTH = Math.floor(2 * REACH * PERIOD) + 1
const PLACE = { at: MARK, left: PERIOD, right: PERIOD, length: LENGTH }

/** Harmonics up to half the rate with these levels and phases at the mark. */
function harmonics(level: (h: number) => number, phase: (h: number) => number): Float64Array {
  const x = new Float64Array(LENGTH)
  for (let h = 1; 2 * h < PERIOD - 1; h++)
    for (let i = 0; i < LENGTH; i++)
      x[i]! += level(h) * Math.cos((2 * Math.PI * h * (i - MARK)) / PERIOD + phase(h))
  return x
}

/** Spectrum at so many times the pitch: magnitude against that of a harmonic, and phase at the mark. */
function at(x: Float64Array, times: number): [magnitude: number, phase: number] {
  let [re, im] = [0, 0]
  for (let i = 0; i < LENGTH; i++) {
    const turn = (2 * Math.PI * times * (i - MARK)) / PERIOD
    re += x[i]! * Math.cos(turn)
    im -= x[i]! * Math.sin(turn)
  }
  return [(2 * Math.hypot(re, im)) / PERIOD, Math.atan2(im, re)]
}

const angle = (a: number): number => Math.abs(a - 2 * Math.PI * Math.round(a / (2 * Math.PI)))

/** Shaped as the last of several periods that are alike. */
function shaped(x: Float64Array, deeper = 0, ratio = 1.3): Float64Array {
  const shape = periodShape(1, LENGTH)
  shape.begin()
  let out = x
  for (let k = 0; k < 4; k++) shape.shape([(out = x.slice())], PLACE, deeper, ratio)
  return out
}

describe('a period of a voice', () => {
  const late = (delay: number) => (h: number) => -2 * Math.PI * delay * h
  it.each([
    ['with its pulse at the mark', late(0)],
    ['with its pulse a quarter after it', late(0.25)],
    ['with its pulse half a period beside it', late(0.49)],
    ['whose lowest harmonics are the other way round', (h: number) => (h < 3 ? Math.PI * h : 0)],
    ['whose lowest come later', (h: number) => (h < 3 ? -1.4 * h : late(0.1)(h))],
  ])('%s is what it was at its harmonics, and between them as strong as both', (_, phase) => {
    const level = (h: number): number => 1 / (1 + 0.1 * h)
    const out = shaped(harmonics(level, phase))
    for (const h of [1, 2, 3, 4, 5, 8, 20, 50]) {
      const [magnitude, turned] = at(out, h)
      expect(magnitude / level(h)).toBeCloseTo(1, 1)
      expect(angle(turned - phase(h))).toBeLessThan(0.1)
      // A window around the mark would leave nothing where they are half a period beside it.
      const mean = (level(h) + level(h + 1)) / 2
      expect(20 * Math.log10(at(out, h + 0.5)[0] / mean)).toBeGreaterThan(-1)
    }
  })

  it('has below its first harmonic what is asked for, and nothing at 0 Hz', () => {
    const x = harmonics(() => 1, late(0.2))
    for (const ratio of [0.5, 0.75, 0.9]) {
      const out = shaped(x, 1 / ratio, ratio)
      const share = 0.5 + 0.5 * Math.cos(Math.PI * ratio)
      const wanted = 1 - share + share / ratio
      expect(20 * Math.log10(at(out, ratio)[0] / wanted)).toBeCloseTo(0, 0)
      expect(at(out, 0)[0]).toBeLessThan(0.002)
      expect(at(out, 1)[0]).toBeCloseTo(1, 1)
    }
    expect(at(shaped(x), 0.5)[0]).toBeCloseTo(0.5, 1)
  })

  it('keeps channels as they are to each other', () => {
    const [a, b] = [
      harmonics(() => 1, late(0.4)),
      harmonics(
        () => 0.5,
        (h) => late(0.4)(h) + 0.6,
      ),
    ]
    const shape = periodShape(2, LENGTH)
    shape.begin()
    shape.shape([a, b], PLACE, 0, 1.3)
    for (const times of [1, 1.5, 2, 2.5, 3, 4.5, 7, 7.5, 20.5]) {
      const [left, right] = [at(a, times), at(b, times)]
      expect(right[0] / left[0]).toBeCloseTo(0.5, 1)
      expect(angle(right[1] - left[1] - 0.6)).toBeLessThan(0.05)
    }
  })

  it('is finite where one neighbour is far, and the energy lies on the other side', () => {
    const [left, right] = [100, 800]
    const length = Math.ceil(REACH * (left + right))
    const shape = periodShape(1, length)
    shape.begin()
    const click = new Float64Array(length)
    click[Math.round(REACH * left + 2.5 * left)] = 1
    shape.shape([click], { at: REACH * left, left, right, length }, 1.3, 0.8)
    for (const v of click) expect(Math.abs(v)).toBeLessThan(3)
    expect(click.some((v) => v !== 0)).toBe(true)
  })

  it('is silence of silence, and finite however short', () => {
    for (const period of [2.2, 5, 21.7, 1660]) {
      const place = { at: REACH * period, left: period, right: 0.9 * period, length: Math.ceil(3.6 * period) }
      const shape = periodShape(1, place.length)
      shape.begin()
      const silent = new Float64Array(place.length)
      shape.shape([silent], place, 1.3, 0.8)
      expect(silent.every((v) => v === 0)).toBe(true)
      const click = new Float64Array(place.length)
      click[Math.round(place.at)] = 1
      shape.shape([click], place, 1.3, 0.8)
      for (const v of click) expect(Math.abs(v)).toBeLessThan(3)
    }
  })
})
