// The highest frequencies: their level as fft.js has it, and quiet cymbals over a loud tone found by them.
import FFT from 'fft.js'
import { describe, expect, it } from 'vitest'
import { noise, sine } from '../../../tests/support/signals'
import { brillianceMeter, brillianceRise } from './brilliance'
import { findCandidates, levelRise } from './candidates'
import { onsetStrength } from './onset-strength'
import { brightStart } from './refine'

const RATE = 44100
const HITS = [0.5, 0.8, 1.1, 1.4, 1.7, 2, 2.3, 2.6].map((t) => Math.round(t * RATE))

/** Noise differenced four times that dies away within 60 ms at every hit, far below a loud low tone in a quiet room. */
function cymbals(): Float32Array {
  const low = sine(110, 3.2, RATE)
  const room = noise(3.2, RATE, 1, 4)
  const hiss = noise(0.1, RATE, 1, 5)
  const x = low.map((v, i) => 0.5 * v + 0.00002 * room[i]!)
  for (const at of HITS)
    for (let i = 4; i < hiss.length; i++) {
      const bright = hiss[i]! - 4 * hiss[i - 1]! + 6 * hiss[i - 2]! - 4 * hiss[i - 3]! + hiss[i - 4]!
      x[at + i]! += 0.00025 * bright * Math.exp(-i / (0.015 * RATE))
    }
  return x
}

describe('the highest frequencies', () => {
  it('have the level that a reference transform gives them', () => {
    const x = noise(0.2, RATE, 0.3, 6)
    const size = 256
    const fft = new FFT(size)
    const spectrum = fft.createComplexArray() as number[]
    const at = 4000
    const windowed = Array.from(
      { length: size },
      (_, i) => x[at - size / 2 + i]! * (0.5 - 0.5 * Math.cos((2 * Math.PI * i) / size)),
    )
    fft.realTransform(spectrum, windowed)
    let power = 0
    for (let k = 0; k < size / 2; k++) {
      const hz = (k * RATE) / size
      if (hz >= 11000 && hz <= 20000) power += spectrum[2 * k]! ** 2 + spectrum[2 * k + 1]! ** 2
    }
    // The window's squares sum to 3/8; a sine's power is half its peak's square.
    const expected = Math.log(power / ((size * size * 0.375) / 4))
    expect(brillianceMeter([x], RATE)(at)).toBeCloseTo(expected, 1)
  })

  it('do not vanish when one channel is the other upside down, and say nothing below 32 kHz', () => {
    const x = noise(0.2, RATE, 0.3, 6)
    const both = brillianceMeter([x, x.map((v) => -v)], RATE)
    expect(both(4000)).toBeCloseTo(brillianceMeter([x], RATE)(4000), 5)
    const low = brillianceMeter([x], 22050)
    expect(low(4000)).toBe(low(100))
  })

  it('rise where quiet cymbals begin under a loud tone, and nowhere else', () => {
    const meter = brillianceMeter([cymbals()], RATE)
    const hop = 220
    const top = Float32Array.from({ length: Math.floor((3.1 * RATE) / hop) }, (_, f) => meter(f * hop))
    const rise = brillianceRise(top)
    rise.forEach((v, f) => {
      const near = Math.min(...HITS.map((h) => Math.abs(f * hop - h)))
      if (near < hop) expect(v).toBeGreaterThan(1)
      if (near > 5 * hop && f > 3) expect(v).toBeLessThan(0.45)
    })
  })

  it('show the attacks of such cymbals to a millisecond, and each is a candidate', () => {
    const x = cymbals()
    for (const at of HITS) expect(Math.abs(brightStart([x], at + 150, RATE) - at)).toBeLessThan(0.001 * RATE)
    const curve = onsetStrength([x], RATE)
    const flat = new Float32Array(curve.values.length)
    const found = findCandidates(curve, flat, levelRise(curve.level), brillianceRise(curve.top))
    const places = found.filter((c) => c.cause === 'top').map((c) => curve.start + c.frame * curve.hop)
    for (const at of HITS) expect(Math.min(...places.map((p) => Math.abs(p - at)))).toBeLessThan(0.008 * RATE)
    expect(places.length).toBe(HITS.length)
  })
})
