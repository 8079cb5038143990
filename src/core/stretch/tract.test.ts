// Periods cut out without their tract: linear prediction against what it is known to do.
import { describe, expect, it } from 'vitest'
import { randomFrom } from '../dsp/random'
import { resonant } from '../../../tests/support/resonant'
import { cutLength, periodCutter } from './tract'

const RATE = 44100

describe('a period cut out', () => {
  const period = 367
  const voice = [resonant(RATE, period, [[620, 80], [1150, 90], [2500, 120]], 20 * period)] // prettier-ignore
  const longest = Math.ceil(RATE / 35)

  it('adds up to the voice when the periods come as they did', () => {
    const cutter = periodCutter(RATE, 1, longest)
    const sum = new Float32Array(voice[0]!.length + cutLength(RATE, longest))
    for (let k = 1; k < 19; k++) {
      const place = k * period
      cutter.cut(voice, place, period, period, 1)
      const from = place - cutter.middle
      const x = cutter.channels[0]!
      for (let i = 0; i < x.length; i++) if (from + i >= 0) sum[from + i]! += x[i]!
    }
    let [error, power] = [0, 0]
    for (let i = 8 * period; i < 16 * period; i++) {
      error += (sum[i]! - voice[0]![i]!) ** 2
      power += voice[0]![i]! ** 2
    }
    expect(10 * Math.log10(error / power)).toBeLessThan(-25)
  })

  it('has the tract of the period before it for 7 ms, and one of its own in another sound', () => {
    const other = resonant(RATE, period, [[400, 80], [2000, 90]], 20 * period) // prettier-ignore
    const [place, step] = [10 * period, 0.003 * RATE]
    const cutAfter = (since: readonly number[], anew: boolean): Float32Array => {
      const cutter = periodCutter(RATE, 1, longest)
      cutter.cut(voice, place, period, period, 1)
      if (anew) cutter.begin()
      for (const n of since) cutter.cut([other], place, period, period, 1, n)
      return cutter.channels[0]!.slice()
    }
    const own = cutAfter([Infinity], false)
    expect(cutAfter([step], false)).not.toEqual(own)
    expect(cutAfter([step, step], false)).not.toEqual(own)
    expect(cutAfter([step, step, step], false)).toEqual(cutAfter([step, step, Infinity], false))
    expect(cutAfter([step], true)).toEqual(cutAfter([Infinity], true))
  })

  it('has the power of the voice when repeated as it was, and half of it at twice the distance', () => {
    const cutter = periodCutter(RATE, 1, longest)
    cutter.cut(voice, 10 * period, period, period, 1)
    const x = voice[0]!.subarray(8 * period, 12 * period)
    const power = x.reduce((s, v) => s + v * v, 0) / x.length
    expect(10 * Math.log10(cutter.powerEvery(period) / power)).toBeCloseTo(0, 0)
    const alone = cutter.channels[0]!.reduce((s, v) => s + v * v, 0)
    expect(cutter.powerEvery(40000)).toBeCloseTo(alone / 40000, 8)
  })

  it('is the same at any level, treats channels alike, and is silent where nothing sounds', () => {
    const loud = periodCutter(RATE, 2, longest)
    loud.cut([voice[0]!, voice[0]!.map((v) => 0.25 * v)], 10 * period + 0.4, period, period + 3, 0.8)
    loud.channels[0]!.forEach((v, i) => expect(loud.channels[1]![i]!).toBeCloseTo(0.25 * v, 6))
    loud.cut([new Float32Array(9000), new Float32Array(9000)], 4000, period, period, 0.5)
    expect(loud.channels.every((x) => x.every((v) => v === 0))).toBe(true)
    expect(loud.powerEvery(period)).toBe(0)
  })

  it('has the harmonic below the first, and stands beside 0 as before', () => {
    const tone = Float32Array.from({ length: 9000 }, (_, i) => Math.sin((2 * Math.PI * i) / 100))
    for (const [x, place, around] of [
      [voice[0]!, 10 * period, period],
      [tone, 4025, 100],
    ] as const) {
      const cutter = periodCutter(RATE, 1, longest)
      const levelOf = (times: number): number => {
        let [re, im] = [0, 0]
        cutter.channels[0]!.forEach((v, i) => {
          re += v * Math.cos((2 * Math.PI * times * i) / around)
          im += v * Math.sin((2 * Math.PI * times * i) / around)
        })
        return Math.hypot(re, im)
      }
      for (const ratio of [0.75, 0.5]) {
        cutter.cut([x], place, around, around, ratio)
        const first = levelOf(1)
        const level = 20 * Math.log10(levelOf(ratio) / first)
        expect(level).toBeGreaterThan(-8)
        expect(level).toBeLessThan(10)
        const sum = Array.from({ length: 2 * around }, (_, i) => i - around).reduce(
          (s, d) => s + x[place + d]! * (0.5 + 0.5 * Math.cos((Math.PI * d) / around)),
          0,
        )
        expect(Math.abs(levelOf(0) - Math.abs(sum))).toBeLessThan(0.01 * first)
      }
    }
  })

  it('knows the power of the recording', () => {
    const cutter = periodCutter(RATE, 2, longest)
    const x = Float32Array.from({ length: 9000 }, (_, i) => 0.5 * Math.sin((2 * Math.PI * i) / 100))
    cutter.cut([x, x.map((v) => 2 * v)], 4012.3, 100, 100, 0.8)
    expect(cutter.power).toBeCloseTo(0.625, 4)
  })

  it('stays finite and bounded for noise, a square wave and a single click', () => {
    const random = randomFrom(3)
    const hard: Float32Array[] = [
      Float32Array.from({ length: 9000 }, () => 2 * random() - 1),
      Float32Array.from({ length: 9000 }, (_, i) => (i % 400 < 200 ? 1 : -1)),
      Float32Array.from({ length: 9000 }, (_, i) => (i === 4000 ? 1 : 0)),
    ]
    for (const x of hard)
      for (const rate of [8000, RATE, 192000]) {
        const cutter = periodCutter(rate, 1, Math.ceil(rate / 35))
        for (const ratio of [2, 1, 0.75]) {
          cutter.cut([x], 4000.3, 200, 190.5, ratio)
          const peak = cutter.channels[0]!.reduce((m, v) => Math.max(m, Math.abs(v)), 0)
          expect(peak).toBeLessThan(4)
        }
      }
  })
})
