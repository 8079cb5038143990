// Candidates among their like: soft ones that come round again are believed, others are not.
import { beforeAll, describe, expect, it } from 'vitest'
import { onsetScore } from '../../../tests/support/measure'
import { noise, sine, strokes } from '../../../tests/support/signals'
import { loadFft } from '../dsp/fft'
import { ALIKE_NAMES, company, REGIONS, type Crowd } from './alike'
import { defaultAttacks, measure } from './analyse'
import { crowdOf, gather } from './transients'

const RATE = 44100
beforeAll(() => loadFft())

/** A crowd of candidates, each with a time, log-odds and one shape or another. */
const crowd = (list: readonly (readonly [time: number, odds: number, shape: number])[]): Crowd => ({
  times: Float64Array.from(list, ([t]) => t),
  odds: Float32Array.from(list, ([, z]) => z),
  shapes: Float32Array.from(list.flatMap(([, , s]) => new Array<number>(REGIONS).fill(s))),
  line: 0.3,
  seconds: 60,
})
const features = (list: Parameters<typeof crowd>[0], i: number): Record<string, number> => {
  const out = new Float32Array(ALIKE_NAMES.length)
  company(crowd(list))(i, out)
  return Object.fromEntries(ALIKE_NAMES.map((name, k) => [name, out[k]!]))
}

describe('the company of a candidate', () => {
  const beat = Array.from({ length: 12 }, (_, k): [number, number, number] => [10 + 0.5 * k, 4, -1])
  const at = (time: number, shape: number) => {
    const list = [...beat, [time, -1, shape] as [number, number, number]].sort((a, b) => a[0] - b[0])
    return features(
      list,
      list.findIndex(([t]) => t === time),
    )
  }

  it('tells what comes round again from what does not', () => {
    const [inTime, between] = [at(13.505, -1), at(13.62, -1)]
    expect(inTime['comes round again among its like']).toBeGreaterThan(0.8)
    expect(between['comes round again among its like']).toBeLessThan(0.4)
  })

  it('tells what sounds like others that are likely from what does not', () => {
    const [like, other] = [at(13.62, -1.1), at(13.62, 1)]
    expect(like['how likely its like are']).toBeGreaterThan(0.9)
    expect(other['how likely its like are']).toBeLessThan(0.3)
    expect(other['comes round again among its like']).toBeLessThan(0.1)
  })

  it('is those within 20 s: nothing farther away counts, so that time grows with length alone', () => {
    const far = [...beat, ...beat.map(([t, z, s]): [number, number, number] => [t + 35, z, s])]
    expect(features(far, 3)).toEqual(features(beat, 3))
  })

  it('does not ask a candidate for itself', () => {
    const [alone] = [features([[10, 5, -1]], 0)]
    expect(alone['how likely its like are']).toBe(0)
    expect(alone['comes round again']).toBe(0)
    expect(alone['likeliest beside it']).toBe(0)
  })
})

describe('soft strokes under a loud held chord', () => {
  /** Strokes four to a loud one, the others far softer than the chord. */
  const level = (k: number): number => (k % 4 ? 0.0018 + 0.0002 * ((7 * k) % 10) : 0.15)
  const soft = Array.from({ length: 64 }, (_, k) => [0.5 + 0.23 * k, level(k)] as const)
  const chord = [220, 277.2, 329.6, 440].map((hz) => sine(hz, 16, RATE, 0.06))
  const hiss = noise(16, RATE, 0.001, 3)
  const x = strokes(16, RATE, ...soft).map((v, i) => v + hiss[i]! + chord.reduce((sum, c) => sum + c[i]!, 0))

  it('are found by their company, of which too few stand out by themselves', () => {
    const m = measure([x], RATE)
    const found = defaultAttacks(m.transients, RATE).map((t) => t.at / RATE)
    const all = gather(m.curve, m.held, m.singleLine, RATE)
    const { odds } = crowdOf(all, 16)
    const alone = [...all.times].filter((_, i) => odds[i]! > 0)
    const truth = soft.map(([t]) => t)
    expect(onsetScore(truth, alone, 0.05).f).toBeLessThan(0.85)
    expect(onsetScore(truth, found, 0.05).f).toBeGreaterThan(0.97)
  })
})
