// Vibrato and glides keep their level, and only what wavers is taken for it.
import { beforeAll, describe, expect, it } from 'vitest'
import { levelsOf, rising, toneWith, vibrato } from '../../../tests/support/vibrato'
import { noise, sine } from '../../../tests/support/signals'
import { loadFft } from '../dsp/fft'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH, type MethodName, type Span } from './types'
import { wavers } from './wavering'

const RATE = 44100
const SECONDS = 3
const EDGES = [750, 1500]
const SIZE = 4096

beforeAll(() => loadFft())

const spanOver = (from: number, to: number): Span => ({
  from,
  to,
  length: to - from,
  attackAtStart: false,
  attackAtEnd: false,
  joinsStart: true,
  joinsEnd: true,
})
const told = (...channels: Float32Array[]): readonly boolean[] =>
  wavers({ sampleRate: RATE, channels }, spanOver(0, channels[0]!.length), SIZE, EDGES)

describe('what wavers', () => {
  it.each([4, 5, 5.5, 6, 7])('is a vibrato too fast for long frames, %f times a second', (rate) => {
    expect(told(toneWith(vibrato(2000, 50, rate), SECONDS, RATE))).toEqual([false, true])
    expect(told(toneWith(vibrato(1000, 100, rate), SECONDS, RATE))).toEqual([true, false])
    // Harmonics of a low note waver where they are high.
    expect(told(toneWith(vibrato(300, 50, rate), SECONDS, RATE, 20))[1]).toBe(true)
  })

  it('is no steady tone, no slow vibrato, no low one, no noise and no silence', () => {
    expect(told(sine(1000, SECONDS, RATE))).toEqual([false, false])
    expect(told(toneWith(vibrato(2000, 50, 1), SECONDS, RATE))).toEqual([false, false])
    expect(told(toneWith(vibrato(500, 50), SECONDS, RATE))).toEqual([false, false])
    for (const seed of [1, 2, 3]) expect(told(noise(SECONDS, RATE, 0.5, seed))).toEqual([false, false])
    expect(told(new Float32Array(RATE))).toEqual([false, false])
  })

  // D1, E1, G1, A1 and B1: frames half as long have two harmonics in one bin, which beat there.
  it.each([36.7, 41.2, 49, 55, 61.7])('is no low note, whose harmonics beat in short frames: %f Hz', (hz) => {
    expect(told(toneWith(() => hz, SECONDS, RATE, 40))).toEqual([false, false])
  })

  it('is none too fast for shorter frames where these do not part harmonics', () => {
    for (const hz of [100, 110, 120]) {
      const x = [toneWith(vibrato(hz, 50), SECONDS, RATE, 40)]
      const source = { sampleRate: RATE, channels: x }
      const span = spanOver(0, x[0]!.length)
      expect(wavers(source, span, SIZE, [1500]), String(hz)).toEqual([true])
      expect(wavers(source, span, SIZE / 2, [1500], true), String(hz)).toEqual([false])
    }
    expect(
      wavers(
        { sampleRate: RATE, channels: [toneWith(vibrato(6000, 80), SECONDS, RATE)] },
        spanOver(0, SECONDS * RATE),
        SIZE / 2,
        [1500],
        true,
      ),
    ).toEqual([true])
  })

  it('is told of a span alone, and of all channels', () => {
    const wavering = toneWith(vibrato(2000, 50), SECONDS, RATE)
    const steady = sine(3500, SECONDS, RATE).map((v) => 0.3 * v)
    const x = new Float32Array(2 * wavering.length)
    x.set(steady)
    x.set(wavering, steady.length)
    const source = { sampleRate: RATE, channels: [x] }
    expect(wavers(source, spanOver(0, steady.length), SIZE, EDGES)).toEqual([false, false])
    expect(wavers(source, spanOver(steady.length, x.length), SIZE, EDGES)).toEqual([false, true])
    expect(told(steady, wavering)).toEqual([false, true])
    // Too short to look at.
    expect(wavers(source, spanOver(steady.length, steady.length + 1000), SIZE, EDGES)).toEqual([false, false])
  })
})

describe.each(['chords', 'mix'] as const)('a tone with %s', (method: MethodName) => {
  const levels = (x: Float32Array, ratio: number) => {
    const map = [
      { source: 0, target: 0 },
      { source: x.length, target: Math.round(x.length * ratio) },
    ]
    const sound = { ...DEFAULT_STRETCH, method }
    return levelsOf(stretchAudio({ channels: [x], sampleRate: RATE }, map, [], sound)[0]!, RATE)
  }

  it.each([
    [500, 50],
    [1000, 50],
    [2000, 50],
    [4000, 50],
    [5000, 80],
    [6000, 50],
    [6000, 80],
    [7000, 50],
    [1000, 100],
    [2000, 100],
  ])('at %d Hz that wavers by %d cents keeps its level', (hz, cents) => {
    for (const ratio of [0.75, 1.25, 1.5]) {
      const l = levels(toneWith(vibrato(hz, cents), SECONDS, RATE), ratio)
      expect(l.softest, String(ratio)).toBeGreaterThan(-0.35)
      expect(l.loudest, String(ratio)).toBeLessThan(0.1)
    }
  })

  it.each([0.5, 2, 3])('that wavers keeps its level at %f times its length', (ratio) => {
    const l = levels(toneWith(vibrato(2000, 50), 2 * SECONDS, RATE), ratio)
    expect(l.softest).toBeGreaterThan(-0.4)
    expect(l.loudest).toBeLessThan(0.1)
  })

  it.each([500, 1000, 2000, -500])('that glides by %d Hz a second keeps its level', (slope) => {
    for (const ratio of [0.75, 1.25, 1.5]) {
      const l = levels(toneWith(rising(slope > 0 ? 600 : 2500, slope), SECONDS, RATE), ratio)
      expect(l.softest, String(ratio)).toBeGreaterThan(-0.1)
      expect(l.loudest, String(ratio)).toBeLessThan(0.1)
    }
  })
})
