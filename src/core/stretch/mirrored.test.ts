// Noise that lasts longer: nothing of it is heard again, and nothing else is.
import { describe, expect, it } from 'vitest'
import { breathing, humming } from '../../../tests/support/breaths'
import { sharpestCorner } from '../../../tests/support/measure'
import { defaultAttacks, measure } from '../analysis/analyse'
import { hiss } from '../../../tests/support/textures'
import { isLevel, mirrored } from './mirrored'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH } from './types'

const RATE = 44100

describe('a mirrored piece', () => {
  const source = { sampleRate: RATE, channels: [hiss(1, RATE, 1), hiss(1, RATE, 2)] }

  it('begins and ends as the recording does, and runs back in between', () => {
    const [place, back, fade] = [20000, 1000, 200]
    const out = mirrored(source.channels, place, back, fade)
    source.channels.forEach((x, c) => {
      const y = out[c]!
      expect(y.length).toBe(back + fade)
      // At its very ends a fade is one of its two sounds but for a hair.
      expect(y[0]).toBeCloseTo(x[place]!, 3)
      expect(y[y.length - 1]).toBeCloseTo(x[place + 1.5 * fade - 1]!, 3)
      for (let i = fade; i < back; i += 37) expect(y[i]).toBe(x[place - 1 - i])
    })
  })

  it('is refused where what comes before is louder', () => {
    const fading = { sampleRate: RATE, channels: [hiss(1, RATE, 1).map((v, i) => (i < 20000 ? v : 0.1 * v))] }
    expect(isLevel(fading, 22000, 1000)).toBe(true)
    expect(isLevel(fading, 20600, 1000)).toBe(false)
  })
})

describe('breaths and consonants with Line', () => {
  const { channels, noises } = breathing()
  const x = channels[0]!
  const attacks = defaultAttacks(measure(channels, RATE).transients, RATE).map((t) => t.at)
  const before = humming(x, x, noises, 1)
  const render = (ratio: number): Float32Array =>
    stretchAudio(
      { channels, sampleRate: RATE },
      [
        { source: 0, target: 0 },
        { source: x.length, target: Math.round(ratio * x.length) },
      ],
      attacks,
      { ...DEFAULT_STRETCH, method: 'line' },
    )[0]!

  it.each([1.25, 1.5, 2])('do not hum, and keep their level, at %f', (ratio) => {
    const out = render(ratio)
    for (const [kind, { hum, level }] of humming(x, out, noises, ratio)) {
      expect(hum - before.get(kind)!.hum, kind).toBeLessThan(0.15)
      expect(Math.abs(level), kind).toBeLessThan(0.3)
    }
    expect(sharpestCorner(out, RATE) / sharpestCorner(x, RATE)).toBeLessThan(1.2)
  })
})
