// Weights by the place in the period, against sums over all pairs of samples.
import { describe, expect, it } from 'vitest'
import { hann } from '../dsp/windows'
import { randomFrom } from '../dsp/random'
import { periodWeights } from './period-weights'

/** Mean power of samples less than 0.15 periods from a sample's place, by a Hann kernel over places. */
const nearPower = (squares: Float64Array, window: Float32Array, period: number, at: number): number => {
  let [sum, share] = [0, 0]
  for (let i = 0; i < squares.length; i++) {
    const turns = (i - at) / period
    const d = Math.abs(turns - Math.round(turns))
    const w = d < 0.15 ? window[i]! * (0.5 + 0.5 * Math.cos((Math.PI * d) / 0.15)) : 0
    sum += w * squares[i]!
    share += w
  }
  return sum / share
}

/** Power that is greatest at one place of the period. */
const pulses = (n: number, period: number, shift: number): Float64Array =>
  Float64Array.from({ length: n }, (_, i) => Math.exp(1.5 * Math.cos((2 * Math.PI * (i - shift)) / period)))

describe('weights by the place in the period', () => {
  it.each([
    [23.7, 0],
    [23.7, 11],
    [50, 25],
    [113.3, 60],
    [7.31, 3],
  ])('are the inverse of what is left near it (period %f, pulses at %i)', (period, shift) => {
    const n = Math.round(30 * period)
    const [squares, window, weights] = [pulses(n, period, shift), hann(n), new Float32Array(n)]
    const unlike = periodWeights()(squares, window, n, period, weights)
    let [mean, log, count] = [0, 0, 0]
    for (let i = n >> 3; i < n - (n >> 3); i++) {
      const near = nearPower(squares, window, period, i)
      const product = (weights[i]! * near) / window[i]!
      expect(product).toBeGreaterThan(0.97)
      expect(product).toBeLessThan(1.03)
      mean += near
      log += Math.log(near)
      count++
    }
    expect(unlike).toBeGreaterThan(1.3)
    const ratio = unlike / (mean / count / Math.exp(log / count))
    expect(ratio).toBeGreaterThan(0.99)
    expect(ratio).toBeLessThan(1.01)
    expect(periodWeights()(new Float64Array(n).fill(3), window, n, period, weights)).toBeCloseTo(1, 6)
  })

  it('take a hundredth of the mean power for the least that is left, and do not depend on what was weighed before', () => {
    const random = randomFrom(5)
    const [n, period] = [400, 40]
    const squares = Float64Array.from({ length: n }, (_, i) => (i % period === 0 ? 1 : 1e-9 * random()))
    const window = new Float32Array(n).fill(1)
    const weigh = periodWeights()
    const weights = new Float32Array(n)
    weigh(squares, window, n, period, weights)
    expect(weights[period / 2]).toBeCloseTo(100 * period, 3)
    const again = new Float32Array(n)
    weigh(pulses(n, 31, 4), window, n, 31, again)
    weigh(squares, window, n, period, again)
    expect(again).toEqual(weights)
  })
})
