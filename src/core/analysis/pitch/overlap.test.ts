// Soft notes under the one before: the start is where the new note begins to sound; glides stay where they are.
import { beforeAll, describe, expect, it } from 'vitest'
import { noise } from '../../../../tests/support/signals'
import { loadFft } from '../../dsp/fft'
import { samples } from '../../units'
import { measure } from '../analyse'
import { mainSource } from '../source'
import { startsUnderneath } from './overlap'

const RATE = 44100
const SECONDS = 1.6
const BEGINS = 0.8
beforeAll(() => loadFft())

/** Adds a tone of eight partials with pitch and level over time. */
function add(out: Float32Array, hz: (t: number) => number, level: (t: number) => number): Float32Array {
  let phase = 0
  out.forEach((_, i) => {
    const t = i / RATE
    phase += (2 * Math.PI * hz(t)) / RATE
    let sum = 0
    for (let h = 1; h <= 8; h++) sum += Math.sin(h * phase + h * h) / h
    out[i]! += 0.2 * level(t) * sum
  })
  return out
}
const smooth = (x: number): number => (x <= 0 ? 0 : x >= 1 ? 1 : x * x * (3 - 2 * x))

/** Where a transient at `at` is put, seconds. */
function placed(x: Float32Array, at: number): number {
  const { held } = measure([x], RATE)
  const given = [{ at: samples(Math.round(at * RATE)), strength: 0.7 }]
  return startsUnderneath(given, held, mainSource([x], RATE))[0]!.at / RATE
}

describe('a note that begins under the one before', () => {
  it.each([
    [131, 147, 0.1],
    [220, 185, 0.08],
    [440, 494, 0.06],
  ])('from %i to %i Hz over %f s starts where it begins to sound', (old, now, fade) => {
    const x = noise(SECONDS, RATE, 0.0005, 3)
    add(
      x,
      () => old,
      (t) => smooth(t / 0.05) * (1 - smooth((t - BEGINS - fade / 2) / fade)),
    )
    add(
      x,
      () => now,
      (t) => smooth((t - BEGINS) / (1.5 * fade)),
    )
    // Found where the new note is the louder of the two.
    const found = BEGINS + fade
    expect(placed(x, found) - BEGINS).toBeLessThan(0.45 * fade)
    expect(placed(x, found)).toBeGreaterThan(BEGINS - 0.01)
  })

  it('and one that is reached by a glide stays where it was found', () => {
    const x = add(
      noise(SECONDS, RATE, 0.0005, 4),
      (t) => 220 * 2 ** ((3 / 12) * smooth((t - BEGINS) / 0.1)),
      () => 1,
    )
    expect(placed(x, BEGINS + 0.08)).toBeCloseTo(BEGINS + 0.08, 4)
  })

  it('and one of the same pitch, or after silence, too', () => {
    const level = (t: number): number => (t < 0.7 ? 1 : smooth((t - BEGINS) / 0.05))
    const x = add(noise(SECONDS, RATE, 0.0005, 5), (t) => (t < 0.75 ? 220 : 247), level)
    expect(placed(x, BEGINS + 0.02)).toBeCloseTo(BEGINS + 0.02, 4)
    const same = add(noise(SECONDS, RATE, 0.0005, 6), () => 220, level)
    expect(placed(same, BEGINS + 0.02)).toBeCloseTo(BEGINS + 0.02, 4)
  })
})
