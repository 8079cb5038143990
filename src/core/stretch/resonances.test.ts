// Resonances told between pulses: against poles that are known, where harmonics lie far from them.
import { beforeAll, describe, expect, it } from 'vitest'
import { speaker } from '../../../tests/support/speaker'
import { resonant } from '../../../tests/support/resonant'
import { lowered, predictor } from '../../../tests/support/voice'
import { noise } from '../../../tests/support/signals'
import { rms } from '../../../tests/support/measure'
import { loadFft } from '../dsp/fft'
import { resonanceFinder, type Resonances } from './resonances'

beforeAll(() => loadFft())

const longestAt = (rate: number): number => Math.ceil(rate / 35)

/** Frequencies of the maxima of a power below some frequency, Hz, by steps of 2 Hz. */
const maximaOf = (powerAt: (hz: number) => number, highest: number): number[] =>
  Array.from({ length: highest / 2 - 100 }, (_, i) => 200 + 2 * i).filter(
    (hz) => powerAt(hz) > powerAt(hz - 2) && powerAt(hz) >= powerAt(hz + 2),
  )

/** Power of what was found at a frequency, Hz. */
function powerAt(finder: Resonances, hz: number, rate: number): number {
  const powers = new Float64Array(1)
  finder.powersAt(Float64Array.of(Math.cos((2 * Math.PI * hz * finder.apart) / rate)), powers)
  return powers[0]!
}

const maxima = (finder: Resonances, rate: number, highest: number): number[] =>
  maximaOf((hz) => powerAt(finder, hz, rate), highest)

/** Maxima by ordinary linear prediction of 20 ms, emphasized and at a quarter of the rate. */
function ordinary(x: Float32Array, from: number, rate: number): number[] {
  const low = lowered(x.subarray(from, from + Math.round(0.02 * rate)))
  const a = predictor(low.map((v, i) => v - 0.97 * (low[i - 1] ?? 0)), 13) // prettier-ignore
  return maximaOf((hz) => {
    let [re, im] = [0, 0]
    a.forEach((v, k) => {
      re += v * Math.cos((8 * Math.PI * hz * k) / rate)
      im += v * Math.sin((8 * Math.PI * hz * k) / rate)
    })
    return 1 / (re * re + im * im)
  }, 4000)
}

const mean = (all: readonly number[]): number => all.reduce((sum, v) => sum + v, 0) / all.length

const nearest = (all: readonly number[], hz: number): number =>
  Math.min(...all.map((v) => Math.abs(v / hz - 1)))

/** Of men's vowels, Hz, from memory of G. E. Peterson & H. L. Barney, "Control methods used in a study of the vowels", JASA 24(2), 1952. */
const VOWELS = [
  [730, 1090, 2440],
  [530, 1840, 2480],
  [390, 1990, 2550],
] as const
const WIDTHS = [80, 90, 120] as const

/** How far formants that are found are from those of the vowels, and by ordinary prediction. @param places periods; @param hiss noise, share of the voice's level */
function deviations(period: number, places: readonly number[], hiss = 0) {
  const rate = 44100
  const finder = resonanceFinder(rate, 1, longestAt(rate))
  const [off, others] = [[] as number[], [] as number[]]
  VOWELS.forEach((vowel, k) => {
    const voice = resonant(rate, period, vowel.map((f, i) => [f, WIDTHS[i]!] as const), 30 * period) // prettier-ignore
    const noises = noise(1, rate, Math.sqrt(3) * hiss * rms(voice), k + 1)
    const x = voice.map((v, i) => v + noises[i]!)
    for (const at of places) {
      expect(finder.find([x], at * period, period)).toBe(1)
      const [found, plain] = [maxima(finder, rate, 4000), ordinary(x, Math.round((at - 2) * period), rate)]
      for (const f of vowel) {
        off.push(nearest(found, f))
        others.push(nearest(plain, f))
      }
    }
  })
  return { off, others }
}

describe('resonances told between pulses', () => {
  it.each([
    [120, 0.004, 0.011],
    [165, 0.004, 0.011],
    [220, 0.004, 0.011],
    [262, 0.004, 0.011],
    [330, 0.007, 0.02],
    [392, 0.01, 0.04],
  ])('lie where they are, with pulses at %i Hz, within %f, %f at most', (hz, least, most) => {
    const { off, others } = deviations(Math.round(44100 / hz), [15, 15.25, 15.5, 15.75])
    expect(mean(off)).toBeLessThan(least)
    expect(mean(off)).toBeLessThan(0.25 * mean(others))
    expect(Math.max(...off)).toBeLessThan(most)
  })

  it('lie there in noise 40 dB below the voice too, where ordinary prediction is far off', () => {
    const { off, others } = deviations(167, Array.from({ length: 12 }, (_, i) => 12 + i / 2), 0.01) // prettier-ignore
    expect(mean(off)).toBeLessThan(0.006)
    expect(mean(off)).toBeLessThan(mean(others) / 8)
  })

  it.each([16000, 22050, 48000, 96000])('at %i Hz alike', (rate) => {
    const finder = resonanceFinder(rate, 1, longestAt(rate))
    const period = Math.round(rate / 180)
    const x = resonant(rate, period, [[530, 80], [1840, 90], [2480, 120]], 30 * period) // prettier-ignore
    expect(finder.find([x], 15 * period, period)).toBe(1)
    for (const f of [530, 1840, 2480]) expect(nearest(maxima(finder, rate, 4000), f)).toBeLessThan(0.02)
    expect(finder.highest).toBeGreaterThan(4000)
    expect(finder.highest).toBeLessThan(rate / 2)
  })

  it('are those of all channels, at any level, whatever was found before', () => {
    const rate = 44100
    const period = 201
    const x = resonant(rate, period, [[530, 80], [1840, 90]], 30 * period) // prettier-ignore
    const told = (voice: readonly Float32Array[], before?: Float32Array): number[] => {
      const finder = resonanceFinder(rate, voice.length, longestAt(rate))
      if (before) finder.find([before], 9000, 1200)
      finder.find(voice, 3000, period)
      return [300, 530, 1000, 1840, 3000].map((hz) =>
        Math.log(powerAt(finder, hz, rate) / powerAt(finder, 200, rate)),
      )
    }
    const alone = told([x])
    expect(told([x], noise(0.5, rate, 1, 1))).toEqual(alone)
    for (const others of [
      [x.map((v) => v / 1000)],
      [x, x.map((v) => -v / 2)],
      [x, new Float32Array(x.length)],
    ])
      told(others).forEach((v, i) => expect(v).toBeCloseTo(alone[i]!, 2))
  })

  it('are none of tones without pulses', () => {
    const rate = 44100
    const finder = resonanceFinder(rate, 1, longestAt(rate))
    for (let hz = 100; hz < 300; hz += 10) {
      const turn = (2 * Math.PI * hz) / rate
      const tones = Float32Array.from({ length: rate }, (_, i) => Math.sin(turn * i) + 0.5 * Math.sin(2 * turn * i + 1)) // prettier-ignore
      expect(finder.find([tones], 9000, rate / hz)).toBe(0)
    }
  })

  it('are none of noise and of bars, which sound all through their period', () => {
    const rate = 44100
    const finder = resonanceFinder(rate, 1, longestAt(rate))
    for (const hz of [110, 165, 220, 262, 330]) {
      const turn = (2 * Math.PI * hz) / rate
      const hiss = noise(0.5, rate, 0.02, 3)
      // A free bar's partials: N. H. Fletcher & T. D. Rossing, "The physics of musical instruments", 2nd ed. 1998, section 2.15.
      const bar = hiss.map((v, i) => v + Math.sin(turn * i) + 0.3 * Math.sin(2.756 * turn * i + 1) + 0.1 * Math.sin(5.404 * turn * i + 2)) // prettier-ignore
      for (const x of [bar, noise(0.5, rate, 0.5, hz)])
        for (const at of [9000, 12000, 15000, 18000]) expect(finder.find([x], at, rate / hz)).toBe(0)
    }
  })

  it('are none in silence, and finite in what is no voice', () => {
    const rate = 44100
    const finder = resonanceFinder(rate, 1, longestAt(rate))
    expect(finder.find([new Float32Array(rate)], 9000, 300)).toBe(0)
    const sines = Array.from({ length: 60 }, (_, k) =>
      Float32Array.from({ length: rate }, (_, i) => Math.sin((2 * Math.PI * (80 + 5 * k) * i) / rate)),
    )
    for (const x of [noise(1, rate, 1, 2), new Float32Array(rate).fill(1), ...sines]) {
      if (finder.find([x], 9000, 210) === 0) continue
      for (let hz = 0; hz < finder.highest; hz += 5) {
        const power = powerAt(finder, hz, rate)
        expect(power).toBeGreaterThan(0)
        expect(power).toBeLessThan(Infinity)
      }
    }
  })
})

it('tells what is struck by pulses from what is moved all through its periods', () => {
  const rate = 44100
  const finder = resonanceFinder(rate, 1, longestAt(rate))
  const poles = [[730, 80], [1090, 90], [2440, 120]] as const // prettier-ignore
  for (const period of [200, 300, 400]) {
    expect(finder.find([resonant(rate, period, poles, 30 * period)], 12 * period, period)).toBe(1)
    expect(finder.struck).toBeGreaterThan(0.7)
  }
  // Folds that open and close for two thirds of a short period.
  const { channels, vowels, pitchAt } = speaker({ hz: 300, jitter: 0, shimmer: 0, breath: 0, swing: 0 })
  vowels.forEach(({ from }, v) => {
    finder.find(channels, (from + 0.3) * rate, rate / pitchAt(v, from + 0.3))
    expect(finder.struck).toBeLessThan(0.3)
  })
})
