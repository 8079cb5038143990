// The measures themselves, against plain sums.
import { describe, expect, it } from 'vitest'
import { locate } from './measure'
import { noise } from './signals'

const NOISE = noise(6000, 1, 1, 1)

/** The same by its definition, place by place. */
function plainly(pattern: Float32Array, signal: Float32Array, first: number, last: number) {
  let best = { at: first, correlation: -1 }
  for (let at = first; at <= last; at++) {
    let [dot, own, power] = [0, 0, 0]
    pattern.forEach((x, i) => {
      const y = signal[at + i]!
      dot += x * y
      own += x * x
      power += y * y
    })
    const correlation = dot / Math.sqrt(own * power)
    if (correlation > best.correlation) best = { at, correlation }
  }
  return best
}

describe('where a stretch is found', () => {
  it.each([
    [300, 0, 5700],
    [1025, 2000, 3100],
    [40, 17, 60],
  ])('%i samples among others are where the definition finds them', (count, first, last) => {
    // Of other noise: no place is right, and the nearest to right must be found all the same.
    const pattern = noise(count, 1, 1, 2)
    const reach = (last - first) / 2
    const found = locate(pattern, 0, count, NOISE, first + reach, reach)
    const { at, correlation } = plainly(pattern, NOISE, first, last)
    expect(found.at).toBe(at)
    expect(found.correlation).toBeCloseTo(correlation, 6)
  })

  it('is where it was cut out, however soft it sounds there', () => {
    const soft = NOISE.map((v, i) => (i < 2000 ? v : v / 100))
    const found = locate(NOISE, 4321, 500, soft, 3000, 2500)
    expect(found.at).toBe(4321)
    expect(found.correlation).toBeCloseTo(1, 4)
  })

  it('is nowhere in silence', () => {
    const found = locate(NOISE, 0, 500, new Float32Array(3000), 1000, 1000)
    expect(found.correlation).toBe(0)
  })
})
