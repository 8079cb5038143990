// Dances: what their truth says is what sounds, on drums of a kit and on a frame drum.
import { describe, expect, it } from 'vitest'
import { onsetScore } from '../../tests/support/measure'
import { defaultAttacks, measure } from '../../src/core/analysis/analyse'
import { dancesFrom } from './dances'
import type { Piece } from './types'

const ROUND = 5
/** A jig and a reel by each. */
const dances = (first: number): Piece[] => [first, first + 2].map((i) => dancesFrom(3000)[i]!())

const [onKit, onFrame] = [dances(0), dances(ROUND)]

/** Power of the sample to sample difference, as a share of the power: more the brighter. */
function brightness(x: Float32Array): number {
  let [steps, power] = [0, 0]
  for (let i = 1; i < x.length; i++) {
    steps += (x[i]! - x[i - 1]!) ** 2
    power += x[i]! ** 2
  }
  return steps / power
}

describe.each([
  ['a kit', onKit],
  ['a frame drum', onFrame],
])('on %s', (_, pieces) => {
  it('strokes lie on beats of the meter and half-way between them', () => {
    expect(pieces.map((p) => p.meter!.beatsPerBar)).toEqual([6, 4])
    for (const { beats, downbeats, onsets } of pieces) {
      const grid = beats!.flatMap((t, i) => [t, i ? t + (t - beats![i - 1]!) / 2 : (t + beats![1]!) / 2])
      const away = onsets.map((t) => Math.min(...grid.map((g) => Math.abs(g - t))))
      expect(Math.max(...away)).toBeLessThan(0.03)
      expect(downbeats!.every((t) => beats!.includes(t))).toBe(true)
    }
  })

  it('they sound where the truth has them', () => {
    for (const { channels, sampleRate, onsets } of pieces) {
      const found = defaultAttacks(measure(channels, sampleRate).transients, sampleRate)
      const times = found.map((t) => t.at / sampleRate)
      expect(onsetScore(onsets, times, 0.01).f).toBeGreaterThan(0.9)
    }
  })
})

it('a frame drum is darker than a kit', () => {
  const [kit, frame] = [onKit, onFrame].map((d) => brightness(d[0]!.channels[0]!))
  expect(frame).toBeLessThan(0.6 * kit!)
})
