// Places by a network and by rises, with networks whose answer is known.
import { describe, expect, it } from 'vitest'
import { chance } from '../../../bench/corpus/chance'
import { linesFrom } from '../../../bench/corpus/corpus'
import type { Piece } from '../../../bench/corpus/types'
import { chances, logOdds, type Chooser } from './judge'
import { likelyStart, PLACES, PLACES_APART } from './likely-start'
import { PLACE_WEIGHTS } from './place-weights'
import { heardAround } from './start-rises'
import { START_WEIGHTS } from './start-weights'

/** Says the same whatever it hears. @param odds log-odds of every place */
const saying = (odds: (place: number) => number): Chooser => ({
  mean: [0],
  spread: [1],
  hidden: [[0, 0]],
  outputs: Array.from({ length: PLACES }, (_, k) => [0, odds(k)]),
})
const middle = (PLACES - 1) / 2
const nothing = new Float32Array(1)
const ms = (seconds: number): number => 1000 * seconds

/** How far from the truth networks put the starts of a recording that no rise surely is, ms. */
function errors(networks: readonly Chooser[], p: Piece): number[][] {
  const random = chance(5)
  return p.onsets.flatMap((onset) => {
    const around = (onset + random.loose(0.012)) * p.sampleRate
    const { rises, levels } = heardAround(p.channels, around, p.sampleRate)
    const likely = rises.map((r) => ({
      late: (r.at - around) / p.sampleRate,
      odds: logOdds(START_WEIGHTS, r.features),
    }))
    if (likely.some((l) => l.odds >= 0)) return []
    const off = (network: Chooser): number =>
      Math.abs(ms(around / p.sampleRate + likelyStart(network, levels, likely) - onset))
    return [networks.map(off)]
  })
}

describe('a likely start', () => {
  it('is the mean of the likeliest places, not of all', () => {
    const one = saying((k) => (k === middle + 3 ? 0 : -50))
    const there = { late: 3 * PLACES_APART, odds: 5 }
    expect(ms(likelyStart(one, nothing, [there]))).toBeCloseTo(ms(there.late), 1)
    const two = saying((k) => (k === middle - 10 || k === middle - 8 ? 1 : k === middle + 18 ? 1.5 : -50))
    const rise = { late: -9 * PLACES_APART, odds: 0 }
    expect(ms(likelyStart(two, nothing, [rise]))).toBeCloseTo(ms(rise.late), 1)
  })

  it('is the likeliest rise where the network says nothing', () => {
    const rises = [
      { late: -0.02, odds: -1 },
      { late: 0.011, odds: 1 },
    ]
    expect(
      ms(
        likelyStart(
          saying(() => 0),
          nothing,
          rises,
        ),
      ),
    ).toBeCloseTo(11, 0)
    const both = rises.map((r) => ({ ...r, late: r.late < 0 ? 0.007 : r.late }))
    const between = ms(
      likelyStart(
        saying(() => 0),
        nothing,
        both,
      ),
    )
    expect(between).toBeGreaterThan(8)
    expect(between).toBeLessThan(11)
  })

  it('never leaves the places that there are', () => {
    for (const k of [0, PLACES - 1]) {
      const said = saying((c) => (c === k ? 9 : -9))
      const late = (k - middle) * PLACES_APART
      expect(ms(likelyStart(said, nothing, [{ late: 2 * late, odds: 9 }]))).toBeCloseTo(ms(late), 1)
    }
  })

  it('has chances that follow what is heard and add up to 1', () => {
    const hears: Chooser = {
      mean: [1],
      spread: [2],
      hidden: [[5, 0]],
      outputs: [
        [2, 0],
        [-2, 0.5],
      ],
    }
    const [low, high] = [0, 2].map((v) => chances(hears, Float32Array.of(v)))
    expect(low!.reduce((s, v) => s + v, 0)).toBeCloseTo(1, 12)
    expect(high![0]).toBeGreaterThan(0.9)
    // By hand: tanh(5 * (0 - 1) / 2) against a difference of outputs of 4 and 0.5.
    expect(low![1]).toBeCloseTo(1 / (1 + Math.exp(-(4 * Math.tanh(2.5) + 0.5))), 9)
  })

  it('is nearer where the fitted network is heard than by the rises alone', () => {
    // After twelve plucked and struck lines: two each of a bowed, a blown and a reed instrument.
    const swelling = linesFrom(9000)
      .slice(12, 24)
      .filter((_, i) => i % 4 < 2)
    const all = swelling.flatMap((make) => errors([PLACE_WEIGHTS, saying(() => 0)], make()))
    expect(all.length).toBeGreaterThan(70)
    const [heard, alone] = [0, 1].map((n) => all.filter((e) => e[n]! < 10).length / all.length)
    expect(heard).toBeGreaterThan(0.63)
    expect(heard! - alone!).toBeGreaterThan(0.1)
  })
})
