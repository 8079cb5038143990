// Grains: noise, rain and applause keep their level, colour and grit, and nothing repeats.
import { describe, expect, it } from 'vitest'
import { db, rms, steepest } from '../../../tests/support/measure'
import { noise } from '../../../tests/support/signals'
import { flatness, hiss, kurtosis, repetition, shower } from '../../../tests/support/textures'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH, type StretchSettings } from './types'

const RATE = 44100
const HOP = Math.round(0.03 * RATE)

const render = (x: Float32Array, ratio: number, over: Partial<StretchSettings> = {}): Float32Array =>
  stretchAudio(
    { channels: [x], sampleRate: RATE },
    [
      { source: 0, target: 0 },
      { source: x.length, target: Math.round(ratio * x.length) },
    ],
    [],
    { ...DEFAULT_STRETCH, method: 'grains', ...over },
  )[0]!

describe('Grains', () => {
  it.each([
    { name: 'hiss', x: hiss(6, RATE, 5), scatter: 100 },
    { name: 'hiss', x: hiss(6, RATE, 5), scatter: DEFAULT_STRETCH.scatter },
    { name: 'rain', x: shower(30, RATE, 400, 0.002, 3), scatter: DEFAULT_STRETCH.scatter },
    { name: 'applause', x: shower(30, RATE, 150, 0.006, 5), scatter: DEFAULT_STRETCH.scatter },
  ])(
    '$name keeps its level, distribution and colour without repeats at 1.5, scatter $scatter',
    ({ x, scatter }) => {
      const out = render(x, 1.5, { scatter })
      expect(Math.abs(db(rms(out) / rms(x)))).toBeLessThan(0.2)
      expect(Math.abs(kurtosis(out) - kurtosis(x))).toBeLessThan(0.1)
      expect(Math.abs(flatness(out) - flatness(x))).toBeLessThan(0.5)
      expect(repetition(out, HOP - 40, HOP + 40, 8)).toBeLessThan(0.02)
    },
  )

  it.each([
    { name: 'rain', x: shower(20, RATE, 400, 0.002, 3) },
    { name: 'applause', x: shower(20, RATE, 150, 0.006, 5) },
  ])('$name keeps its level and grit with grains of any size and scatter', ({ x }) => {
    for (const size of [10, 60, 400])
      for (const scatter of [0, 100])
        for (const ratio of [0.75, 1.5]) {
          const out = render(x, ratio, { size, scatter })
          const what = `${size} ms, ${scatter} %, ${ratio}`
          expect(Math.abs(db(rms(out) / rms(x))), what).toBeLessThan(0.2)
          expect(Math.abs(kurtosis(out) - kurtosis(x)), what).toBeLessThan(0.2)
        }
  })

  it.each([0.7, 1.25, 2])(
    'reach out of no recording, which may begin and end within a sound: at %f',
    (ratio) => {
      const x = Float32Array.from({ length: RATE }, (_, i) => Math.cos((2 * Math.PI * 300 * i) / RATE))
      for (const scatter of [0, 50, 100])
        expect(steepest(render(x, ratio, { scatter })) / steepest(x), `${scatter}`).toBeLessThan(1.5)
    },
  )

  it('chance repeats', () => {
    const x = noise(1, RATE, 0.5, 5)
    expect(render(x, 1.3)).toEqual(render(x, 1.3))
  })
})
