import { describe, expect, it } from 'vitest'
import { chance } from '../corpus/chance'
import { fitRanking, isDue, RESTS, sendToRest, type Ranked } from './ranking'
import { logOdds } from '../../src/core/analysis/judge'

/** Recordings of ten hypotheses; the right one has the two first features alike, which no single feature tells. */
function alikeOnes(count: number, seed: number): Ranked[] {
  const random = chance(seed)
  return Array.from({ length: count }, () => {
    const right = random.whole(0, 9)
    const features = Array.from({ length: 10 }, (_, q) => {
      const [a, b] = [random.often(0.5) ? 1 : -1, random.loose(1)]
      return Float32Array.of(a, q === right ? a : -a, b)
    })
    return { features, right: features.map((_, q) => (q === right ? 1 : 0)) }
  })
}

describe('fitting a network that ranks', () => {
  it.each([5, 8])('learns from %i hidden units what no feature tells by itself', (hidden) => {
    const network = fitRanking(alikeOnes(150, 1), hidden, 30, 1e-5, 7)
    expect(network.hidden).toHaveLength(hidden)
    expect(network.output).toHaveLength(hidden + 1)
    const best = alikeOnes(100, 2).filter(({ features, right }) => {
      const z = features.map((f) => logOdds(network, f))
      return right[z.indexOf(Math.max(...z))] === 1
    })
    expect(best.length).toBe(100)
  })

  it('leaves out recordings none of whose hypotheses is right', () => {
    const sets = alikeOnes(40, 3)
    const lost = sets.map((s) => ({ ...s, right: s.right.map(() => 0) }))
    expect(fitRanking([...sets, ...lost], 4, 3, 1e-4)).toEqual(fitRanking(sets, 4, 3, 1e-4))
  })
})

describe('hypotheses without a chance', () => {
  it('are looked at again when they have rested; right ones and likely ones never rest', () => {
    const resting = new Uint8Array(4)
    sendToRest(resting, [0, 1, 0, 0], Float64Array.of(1e-6, 1e-6, 0.01, 1), 1.01)
    const seen = Array.from({ length: RESTS + 1 }, () => [0, 1, 2, 3].filter((q) => isDue(resting, q)))
    expect(seen).toEqual([...Array.from({ length: RESTS }, () => [1, 2, 3]), [0, 1, 2, 3]])
  })

  it('rest no longer for not having been looked at', () => {
    const resting = Uint8Array.of(2, 0)
    sendToRest(resting, [0, 1], Float64Array.of(0, 1), 1)
    expect([...resting]).toEqual([2, 0])
  })
})
