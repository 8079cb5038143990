// One frame step of the phase vocoder: peaks, regions and turns as plain loops find them.
import { describe, expect, it } from 'vitest'
import { randomFrom } from '../random'
import { workspace } from './kernels'

const HALF = 256
const CHANNELS = 2

/** Bins larger than two neighbours on either side; of equal ones the first. */
function plainPeaks(power: readonly number[]): number[] {
  return power.flatMap((v, k) => {
    if (k < 1 || k >= HALF) return []
    const left = [k - 2, k - 1].filter((i) => i >= 0).every((i) => v > power[i]!)
    const right = [k + 1, k + 2].filter((i) => i <= HALF).every((i) => v >= power[i]!)
    return left && right ? [k] : []
  })
}

/** @param steps levels that values are rounded to, so that many are alike */
function frames(seed: number, steps: number) {
  const { run, floats, ints } = workspace((6 * CHANNELS + 8) * HALF, 8)
  const random = randomFrom(seed)
  const spectrum = (): Float32Array => {
    const x = floats(2 * HALF * CHANNELS)
    x.set(x.map(() => Math.round(steps * (2 * random() - 1)) / steps))
    return x
  }
  const [now, back, previous] = [spectrum(), spectrum(), spectrum()]
  const [peaks, ends] = [ints(new Int32Array(HALF)), ints(new Int32Array(HALF))]
  const [power, turns] = [floats(HALF + 8), floats(2 * HALF)]
  const [n, b, p] = [now, back, previous].map((x) => x.byteOffset) as [number, number, number]
  const count = run.findTurns(
    n,
    b,
    p,
    CHANNELS,
    HALF,
    power.byteOffset,
    peaks.byteOffset,
    ends.byteOffset,
    turns.byteOffset,
  )
  return { run, now, back, previous, peaks, ends, turns, count }
}

describe('a step of the phase vocoder', () => {
  it.each([
    [1, 1e6],
    [2, 1e6],
    [3, 4],
    [4, 2],
    [5, 1],
  ])('finds peaks, the lowest bins between them and turns as plain loops do (%i, %i)', (seed, steps) => {
    const { run, now, back, previous, peaks, ends, turns, count } = frames(seed, steps)
    const bins = (x: Float32Array, k: number): [number, number][] =>
      Array.from({ length: CHANNELS }, (_, c) => [x[2 * (c * HALF + k)]!, x[2 * (c * HALF + k) + 1]!])
    const power = Array.from({ length: HALF + 1 }, (_, k) =>
      k === 0 || k === HALF
        ? 0
        : bins(now, k).reduce((sum, [re, im]) => {
            const own = Math.fround(Math.fround(re * re) + Math.fround(im * im))
            return Math.fround(sum + own)
          }, 0),
    )
    const wanted = plainPeaks(power)
    expect([...peaks.subarray(0, count)]).toEqual(wanted)
    expect(count).toBeGreaterThan(HALF / 12)
    const borders = wanted.map((from, i) => {
      const to = wanted[i + 1]
      if (to === undefined) return HALF
      const between = power.slice(from + 1, to)
      return from + 1 + between.indexOf(Math.min(...between))
    })
    expect([...ends.subarray(0, count)]).toEqual(borders)
    wanted.forEach((k, i) => {
      let [re, im] = [0, 0]
      bins(previous, k).forEach(([yr, yi], c) => {
        const [br, bi] = bins(back, k)[c]!
        re += yr * br + yi * bi
        im += yi * br - yr * bi
      })
      const norm = Math.hypot(re, im)
      // A constant offset's side stays as it is.
      if (k === 1 || norm === 0) return
      expect(turns[2 * i]).toBeCloseTo(re / norm, 6)
      expect(turns[2 * i + 1]).toBeCloseTo(im / norm, 6)
    })
    const before = now.slice()
    run.turnBins(now.byteOffset, CHANNELS, HALF, ends.byteOffset, turns.byteOffset, count)
    for (let k = 1, i = 0; k < HALF; k++) {
      while (ends[i]! <= k) i++
      const [tr, ti] = [turns[2 * i]!, turns[2 * i + 1]!]
      bins(before, k).forEach(([re, im], c) => {
        expect(bins(now, k)[c]![0]).toBeCloseTo(re * tr - im * ti, 6)
        expect(bins(now, k)[c]![1]).toBeCloseTo(re * ti + im * tr, 6)
      })
    }
  })
})
