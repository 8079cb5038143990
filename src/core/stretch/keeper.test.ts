// The level of noise with vocoders, and that tones are left alone.
import { describe, expect, it } from 'vitest'
import { db, rms } from '../../../tests/support/measure'
import { sine } from '../../../tests/support/signals'
import { hiss } from '../../../tests/support/textures'
import { hann } from '../dsp/windows'
import { levelKeeper } from './keeper'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH } from './types'

const RATE = 44100
const [SIZE, HOP] = [2048, 512]

/** Gains after each hop of an output that is a signal times a factor, where the signal itself was wanted. */
function gainsFor(x: Float32Array, factor: number): number[] {
  const window = hann(SIZE)
  const keeper = levelKeeper(SIZE / HOP)
  const gains: number[] = []
  const squares = (from: number, at: number, count: number): number => {
    let sum = 0
    for (let i = 0; i < count; i++) sum += (window[from + i]! * x[at + i]!) ** 2
    return sum
  }
  for (let at = 0; at + SIZE <= x.length; at += HOP) {
    keeper.expect(squares(0, at, SIZE))
    const parts = Float64Array.from({ length: SIZE / HOP }, (_, j) => factor ** 2 * squares(j * HOP, at, HOP))
    gains.push(keeper.finish(parts))
  }
  return gains
}

describe('the level with vocoders', () => {
  it.each(['chords', 'mix'] as const)('of noise with %s is kept within 0.18 dB', (method) => {
    // Of one channel, and of two that have nothing in common, which lose more.
    for (const seeds of [[3], [3, 8]])
      for (const ratio of [0.75, 1.1, 1.5, 2]) {
        const channels = seeds.map((seed) => hiss(6, RATE, seed))
        const { length } = channels[0]!
        const map = [
          { source: 0, target: 0 },
          { source: length, target: Math.round(ratio * length) },
        ]
        const out = stretchAudio({ channels, sampleRate: RATE }, map, [], { ...DEFAULT_STRETCH, method })
        out.forEach((y, c) => expect(Math.abs(db(rms(y) / rms(channels[c]!)))).toBeLessThan(0.18))
      }
  })

  it('a keeper makes up for what is missing but for a hundredth, and for no more than a fifth', () => {
    const x = hiss(2, RATE, 3)
    expect(gainsFor(x, 1 / 1.08).at(-1)).toBeCloseTo(1.07, 2)
    expect(gainsFor(x, 1.05).at(-1)).toBeCloseTo(1 / 1.05 + 0.01, 2)
    expect(gainsFor(x, 0.5).at(-1)).toBeCloseTo(1.2, 6)
  })

  it('a keeper leaves tones alone, whatever their phase', () => {
    const x = sine(440, 2, RATE)
    const gains = gainsFor(x, 1)
    expect(new Set(gains)).toEqual(new Set([1]))
  })
})
