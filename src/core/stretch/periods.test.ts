// The jump after which a tone goes on as if there had been none.
import { describe, expect, it } from 'vitest'
import { noise, sine } from '../../../tests/support/signals'
import { bestLag, lagSearch } from './periods'

describe('the best lag', () => {
  it.each([
    [44100, 110],
    [44100, 441],
    [44100, 1318.5],
    [44100, 3000],
    [48000, 700],
    [96000, 880],
    [11025, 220],
  ])('at %i Hz is whole periods of a tone of %f Hz, to three thousandths of a sample', (rate, hz) => {
    const x = sine(hz, 1, rate)
    const search = lagSearch(rate, 0.004, 0.026)
    for (const way of [1, -1] as const)
      for (let place = 0.3 * rate; place < 0.6 * rate; place += 0.0171 * rate) {
        const lag = bestLag(search, [x], Math.round(place), way)
        const periods = ((lag.length + lag.between) * hz) / rate
        expect(lag.match).toBeGreaterThan(0.98)
        expect(Math.abs(lag.between)).toBeLessThanOrEqual(0.5)
        expect((Math.abs(periods - Math.round(periods)) * rate) / hz).toBeLessThan(0.003)
      }
  })

  it('is within its limits for noise, and poor', () => {
    const x = noise(1, 44100, 0.5, 3)
    const search = lagSearch(44100, 0.004, 0.026)
    const lag = bestLag(search, [x], 20000, 1)
    expect(lag.length).toBeGreaterThanOrEqual(176)
    expect(lag.length).toBeLessThanOrEqual(1147)
    expect(lag.match).toBeLessThan(0.4)
  })
})
