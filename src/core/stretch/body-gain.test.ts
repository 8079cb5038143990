// A note keeps its power over its length, whatever of it is copied.
import { describe, expect, it } from 'vitest'
import { rms } from '../../../tests/support/measure'
import { sine, struck } from '../../../tests/support/signals'
import { bodyGain, keepPower, mappedEnergy } from './body-gain'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH, type Readable, type Span } from './types'

const RATE = 44100
const reading = (x: Float32Array): Readable => ({
  sampleRate: RATE,
  count: 1,
  length: x.length,
  read: (_, from, to, out, at) => out.set(x.subarray(from, to), at),
})
const span = (length: number, attackAtStart = true): Span => ({
  from: 0,
  to: 10000,
  length,
  attackAtStart,
  attackAtEnd: true,
  joinsStart: true,
  joinsEnd: true,
})
/** At one speed all the way. */
const even = (s: Span) => ({ at: s.length, place: s.to, reach: 0 })
const gainOf = (x: Readable, s: Span, turn = even(s)): number => bodyGain(x, s, 1000, turn)
/** Power 4 for the first thousand samples, 1 after. */
const loudFirst = reading(new Float32Array(10000).map((_, i) => (i < 1000 ? 2 : 1)))

describe('the gain after an attack', () => {
  it.each([8000, 12500, 15000])('makes a note of 10000 samples as powerful over %i', (length) => {
    const gain = gainOf(loudFirst, span(length))
    const power = 4 * 1000 + gain ** 2 * (length - 1000)
    expect(power).toBeCloseTo((length / 10000) * (4 * 1000 + 9000), 0)
  })
  it.each([8000, 15000])('knows what is read at another speed at first: 10000 samples over %i', (length) => {
    // Power 4 for the head, 2 up to 3000, 1 after.
    const falling = reading(new Float32Array(10000).map((_, i) => (i < 1000 ? 2 : i < 3000 ? Math.SQRT2 : 1)))
    const turn = { at: 1000 + (2000 * length) / 20000, place: 3000, reach: 0 }
    const gain = gainOf(falling, span(length), turn)
    const body = 2 * (turn.at - 1000) + (length - turn.at)
    expect(4 * 1000 + gain ** 2 * body).toBeCloseTo((length / 10000) * (4 * 1000 + 2 * 2000 + 7000), 0)
  })
  it('is never more than 0.8 dB', () => {
    const click = reading(new Float32Array(10000).map((_, i) => (i < 1000 ? 10 : 1)))
    expect(20 * Math.log10(gainOf(click, span(20000)))).toBeCloseTo(0.8, 2)
    expect(20 * Math.log10(gainOf(click, span(5000)))).toBeCloseTo(-0.8, 2)
  })
  it('is exactly 1 for tones, silence, an unchanged length and without an attack', () => {
    expect(gainOf(reading(sine(440, 1, RATE)), span(12500))).toBe(1)
    expect(gainOf(reading(new Float32Array(10000)), span(12500))).toBe(1)
    expect(gainOf(loudFirst, span(10000))).toBe(1)
    expect(gainOf(loudFirst, span(12500, false))).toBe(1)
  })
  it.each([
    ['chords', 0.75],
    ['chords', 1.5],
    ['mix', 0.75],
    ['mix', 1.5],
  ] as const)('keeps the level of struck tones with %s at %f within 0.1 dB', (method, ratio) => {
    const { channels, attacks } = struck(4, 8, RATE, 1, 4)
    const [x] = channels as [Float32Array]
    const map = [
      { source: 0, target: 0 },
      { source: x.length, target: Math.round(x.length * ratio) },
    ]
    const [y] = stretchAudio({ channels, sampleRate: RATE }, map, attacks, { ...DEFAULT_STRETCH, method })
    expect(Math.abs(20 * Math.log10(rms(y!) / rms(x)))).toBeLessThan(0.1)
  })
})

/** Strokes whose pitch falls from 200 Hz to 45 within a few periods, 170 ms apart, over a low tone. */
function falling(): { channels: Float32Array[]; attacks: number[] } {
  const attacks = Array.from({ length: 24 }, (_, k) => Math.round((0.1 + 0.17 * k) * RATE))
  const x = sine(61, 4.2, RATE, 0.1)
  for (const a of attacks)
    for (let i = 0; i < 0.15 * RATE; i++) {
      const t = i / RATE
      const turns = 45 * t + 155 * 0.03 * (1 - Math.exp(-t / 0.03))
      x[a + i]! += 0.6 * Math.exp(-t / 0.05) * Math.sin(2 * Math.PI * turns)
    }
  return { channels: [x], attacks }
}

describe('short spans', () => {
  it.each([
    ['chords', 0.75],
    ['chords', 1.25],
    ['chords', 1.5],
    ['mix', 0.75],
    ['mix', 1.25],
    ['mix', 1.5],
  ] as const)('of strokes that fall in pitch keep their level with %s at %f', (method, ratio) => {
    const { channels, attacks } = falling()
    const x = channels[0]!
    const map = [
      { source: 0, target: 0 },
      { source: x.length, target: Math.round(x.length * ratio) },
    ]
    const [y] = stretchAudio({ channels, sampleRate: RATE }, map, attacks, { ...DEFAULT_STRETCH, method })
    expect(Math.abs(20 * Math.log10(rms(y!) / rms(x)))).toBeLessThan(0.2)
  })

  it('have the energy that their map gives each part, at one speed or at several', () => {
    const recorded = [new Float32Array(3000).map((_, i) => (i < 1000 ? 9 : i < 1500 ? 2 : i < 2000 ? 1 : 9))]
    const part = { ...span(1500), from: 1000, to: 2000 }
    expect(mappedEnergy(recorded, part)).toBeCloseTo(1.5 * (4 * 500 + 500), 6)
    // Two thirds of the time go to the first half.
    const share = (n: number): number => (n < 1000 ? n / 2000 : 0.5 + (n - 1000) / 1000)
    expect(mappedEnergy(recorded, { ...part, share })).toBeCloseTo(4 * 1000 + 500, 6)
  })

  it('have a part changed until all is as it should be, and nothing else', () => {
    const out = [new Float32Array(1000).map((_, i) => (i < 200 ? 2 : 1))]
    const before = out[0]!.slice()
    keepPower(out, 1500, 200, 900, 100, (needed) => needed)
    const after = out[0]!
    expect(after.reduce((sum, v) => sum + v * v, 0)).toBeCloseTo(1500, 1)
    expect(after.subarray(0, 200)).toEqual(before.subarray(0, 200))
    expect(after.subarray(900)).toEqual(before.subarray(900))
    const steps = after.subarray(200).map((v, i) => Math.abs(v - after[200 + Math.max(0, i - 1)]!))
    expect(Math.max(...steps)).toBeLessThan(0.01)
  })
})
