// Partials that lie beside the harmonics of their pitch are counted.
import { describe, expect, it } from 'vitest'
import { noise } from '../../../tests/support/signals'
import { partialCounter } from './inharmonic'
import type { Pitch } from './pitch/track'
import { mainSource } from './source'

const SECONDS = 2
const HOP = 0.01

/** A note of partials that fall by 6 dB an octave. @param place frequency of a partial, Hz; @param hz told as its pitch at a time */
function counted(
  rate: number,
  place: (h: number) => number,
  most: number,
  hz: (t: number) => number,
  hiss = 0,
) {
  const x = new Float32Array(SECONDS * rate)
  for (let h = 1; place(h) < most; h++)
    for (let i = 0; i < x.length; i++)
      x[i]! += (0.1 / h) * Math.sin((2 * Math.PI * place(h) * i) / rate + h * h)
  const breath = noise(SECONDS, rate, hiss, 3)
  const frames = SECONDS / HOP
  const pitch: Pitch = {
    hop: HOP,
    f0: Float32Array.from({ length: frames }, (_, i) => hz(i * HOP)),
    voicing: new Float32Array(frames).fill(1),
  }
  const source = mainSource([x.map((v, i) => v + breath[i]!)], rate)
  return partialCounter(source, pitch)(0, SECONDS)
}

describe('clear partials', () => {
  it.each([22050, 44100, 48000, 96000])('of a harmonic tone lie on its harmonics, at %i Hz', (rate) => {
    const { clear, beside } = counted(
      rate,
      (h) => 220 * h,
      6000,
      () => 221,
    )
    // Ten windows, 27 partials each.
    expect(clear).toBe(27 * 10)
    expect(beside).toBe(0)
  })

  // Fletcher, Blackham & Stratton (JASA 34, 1962): partial h of a piano string lies at h f0 sqrt(1 + B h²).
  it.each([
    [262, 4e-4],
    [330, 3e-4],
    [196, 1e-3],
  ])('of a string of %i Hz and stiffness %f lie where stiffness puts them', (hz, b) => {
    const place = (h: number): number => h * hz * Math.sqrt(1 + b * h * h)
    const { clear, beside } = counted(44100, place, 5000, () => hz)
    // Its pitch is what its first partials have; the two whose place is nearest to the limit may fall to either side.
    let [lower, upper] = [0, 0]
    let all = 0
    for (let h = 1; place(h) < 5000; h++) {
      all++
      const off = Math.abs(place(h) / place(1) - h)
      // Beyond half a pitch a partial is the next harmonic's.
      const away = Math.abs(off - Math.round(off))
      if (away > 0.15 + 0.004 * h) lower++
      if (away > 0.15 - 0.004 * h) upper++
    }
    expect(clear / all).toBeGreaterThan(9)
    expect(beside / clear).toBeGreaterThanOrEqual(lower / all - 0.02)
    expect(beside / clear).toBeLessThanOrEqual(upper / all + 0.02)
    expect(lower).toBeGreaterThan(0)
  })

  it('are not made of breath', () => {
    const { clear, beside } = counted(
      44100,
      (h) => 500 * h,
      2600,
      () => 500,
      0.05,
    )
    expect(clear).toBe(50)
    expect(beside).toBe(0)
  })

  it('are none where nothing has a pitch, or the pitch moves', () => {
    expect(
      counted(
        44100,
        (h) => 220 * h,
        6000,
        () => 0,
      ).clear,
    ).toBe(0)
    expect(
      counted(
        44100,
        (h) => 220 * h,
        6000,
        (t) => 220 * 2 ** t,
      ).clear,
    ).toBe(0)
  })

  it('are none in silence', () => {
    expect(
      counted(
        44100,
        () => 9999,
        1,
        () => 220,
      ),
    ).toEqual({ clear: 0, beside: 0 })
  })
})
