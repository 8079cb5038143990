// A recording with its envelope warped: the same whatever else is made of it, and in whatever order.
import { describe, expect, it } from 'vitest'
import { db, rms } from '../../../tests/support/measure'
import { noise, periodic, sine } from '../../../tests/support/signals'
import type { Source } from './types'
import { warped } from './warped'

const RATE = 44100

/** A tone over some noise, and another beside it. */
function recording(): Source {
  const tone = periodic(201, 3, RATE)
  const hiss = noise(3, RATE, 0.02, 4)
  return {
    sampleRate: RATE,
    channels: [tone.map((v, i) => v + hiss[i]! + 0.02), tone.map((v, i) => 0.5 * v - hiss[i]!)],
  }
}

/** How far two signals lie apart, dB. */
const apart = (a: Float32Array, b: Float32Array): number =>
  db(rms(a.map((v, i) => v - b[i]!)) / rms(b) + 1e-12)

describe('a warped envelope', () => {
  it('is the same in parts as in the whole, whatever was asked for between', () => {
    const source = recording()
    const length = source.channels[0]!.length
    const fourth = (): number => 4 / 3
    const gliding = (place: number): number => 1 + place / length
    const whole = [fourth, gliding].map((warp) => warped(source, 0, length, warp))
    const other = recording()
    for (const [from, to] of [
      [50000, 60001],
      [59000, 61000],
      [0, 3],
      [length - 7, length],
    ] as const)
      for (const [k, warp] of [fourth, gliding].entries())
        warped(other, from, to, warp).forEach((part, c) =>
          expect(part).toEqual(whole[k]![c]!.slice(from, to)),
        )
  })

  it('leaves a recording as it is where it is not moved', () => {
    const source = recording()
    const length = source.channels[0]!.length
    warped(source, 0, length, () => 1).forEach((x, c) =>
      expect(apart(x, source.channels[c]!)).toBeLessThan(-110),
    )
  })

  it('moves, and keeps the level of both channels together, and what they stand beside 0 by', () => {
    const source = recording()
    const length = source.channels[0]!.length
    const [from, to] = [4410, length - 4410]
    const made = warped(source, from, to, () => 0.75)
    const power = (channels: readonly Float32Array[]): number =>
      channels.reduce((sum, x) => sum + rms(x) ** 2, 0)
    const before = source.channels.map((x) => x.slice(from, to))
    expect(Math.abs(db(power(made) / power(before))) / 2).toBeLessThan(0.02)
    expect(apart(made[0]!, before[0]!)).toBeGreaterThan(-20)
    const mean = made[0]!.reduce((sum, v) => sum + v, 0) / made[0]!.length
    expect(mean).toBeCloseTo(0.02, 3)
  })

  it.each([0.5, 1.33, 2])('keeps the level where steep gains lose much of it, at %d', (factor) => {
    const tone = sine(440, 2, RATE)
    const x = tone.map((v, i) => v + 0.5 * Math.sin(0.9 * i))
    const [y] = warped({ sampleRate: RATE, channels: [x] }, 8000, 80000, () => factor)
    expect(Math.abs(db(rms(y!) / rms(x, 8000, 80000)))).toBeLessThan(0.01)
  })

  it('knows nothing of an attack that it is kept apart from, nor is what it knows spoilt by it', () => {
    // Without a pitch, which is told by what comes after too.
    const hiss = (): Source => ({ sampleRate: RATE, channels: [noise(3, RATE, 0.3, 5)] })
    const source = hiss()
    const struck: Source = {
      sampleRate: RATE,
      // As much up as down, so that the mean stays.
      channels: source.channels.map((x) => x.map((v, i) => (i < 70000 ? v : v + (i & 1 ? 0.9 : -0.9)))),
    }
    const warp = (): number => 1.2
    const quiet = warped(source, 66000, 70000, warp, 70000)[0]!
    expect(apart(warped(struck, 66000, 70000, warp, 70000)[0]!, quiet)).toBeLessThan(-110)
    // The frames that reach beyond it are made anew.
    const plain = warped(hiss(), 66000, 70000, warp)[0]!
    expect(warped(source, 66000, 70000, warp)[0]!).toEqual(plain)
    expect(apart(plain, quiet)).toBeGreaterThan(-40)
  })
})
