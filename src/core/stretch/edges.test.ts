// Inputs that break stretchers: every method must give finite samples, the right number of them, and none much louder.
import { describe, expect, it } from 'vitest'
import { noise, sine } from '../../../tests/support/signals'
import type { TimeMap } from '../timing/time-map'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH, METHOD_NAMES } from './types'

const RATE = 44100
const length = RATE
const signal = (at: (i: number) => number): Float32Array => Float32Array.from({ length }, (_, i) => at(i))

const SIGNALS: Record<string, Float32Array> = {
  impulse: signal((i) => (i === 20000 ? 1 : 0)),
  sine: sine(440, 1, RATE),
  chirp: signal((i) => 0.5 * Math.sin((2 * Math.PI * (20 * i + (9000 * i * i) / length)) / RATE)),
  noise: noise(1, RATE, 0.5, 3),
  silence: signal(() => 0),
  'full-scale square': signal((i) => (i % 200 < 100 ? 1 : -1)),
}
const whole = (n: number, ratio: number): TimeMap => [
  { source: 0, target: 0 },
  { source: n, target: Math.max(1, Math.round(n * ratio)) },
]
const peak = (x: Float32Array): number => x.reduce((m, v) => Math.max(m, Math.abs(v)), 0)
const rms = (x: Float32Array): number => Math.sqrt(x.reduce((s, v) => s + v * v, 0) / x.length)
const DECIBEL = 10 ** (1 / 20)
/**
 * These shift the phases of partials or band-limit, so the peaks of what has a full spectrum (noise that never passes
 * its limit, a square wave, a chirp through all frequencies in a second) become others; their power does not. The
 * command line says so where it happens.
 */
const REPHASED = ['chords', 'mix', 'tape', 'grains']
const FULL = ['noise', 'full-scale square', 'chirp']

describe.each(METHOD_NAMES)('%s', (method) => {
  const settings = { ...DEFAULT_STRETCH, method }
  const stretch = (x: Float32Array, map: TimeMap, attacks: readonly number[] = [], pitch = 1): Float32Array =>
    stretchAudio({ channels: [x], sampleRate: RATE }, map, attacks, { ...settings, pitch })[0]!

  it.each(Object.keys(SIGNALS))('%s at 0.1, 0.7, 1.3 and 10 times', (name) => {
    const x = SIGNALS[name]!
    for (const ratio of [0.1, 0.7, 1.3, 10]) {
      const out = stretch(x, whole(x.length, ratio), name === 'impulse' ? [20000] : [])
      expect(out.length).toBe(Math.round(x.length * ratio))
      expect(out.every(Number.isFinite)).toBe(true)
      if (REPHASED.includes(method) && FULL.includes(name))
        expect(rms(out)).toBeLessThanOrEqual(rms(x) * DECIBEL)
      else expect(peak(out)).toBeLessThanOrEqual(peak(x) * DECIBEL + 1e-6)
    }
  })

  it('one sample, and nothing but a few', () => {
    for (const n of [1, 2, 7, 50]) {
      const x = noise(n / RATE + 1e-6, RATE, 0.5, 1).slice(0, n)
      for (const ratio of [0.25, 1.5, 4]) {
        const out = stretch(x, whole(n, ratio))
        expect(out.length).toBe(Math.max(1, Math.round(n * ratio)))
        expect(out.every(Number.isFinite)).toBe(true)
      }
    }
  })

  it('a map with segments of one sample', () => {
    const x = SIGNALS.noise!
    const map = [
      { source: 0, target: 0 },
      { source: 10000, target: 12000 },
      { source: 10001, target: 12400 },
      { source: 10400, target: 12401 },
      { source: length, target: 60000 },
    ]
    for (const pitch of [1, 1.3]) {
      const out = stretch(x, map, [10000, 10001], pitch)
      expect(out.length).toBe(60000)
      expect(out.every(Number.isFinite)).toBe(true)
    }
  })
})
