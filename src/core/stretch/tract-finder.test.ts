// The tract of a voice: where resonances between pulses and those of the prediction go over into each other.
import { beforeAll, expect, it } from 'vitest'
import { resonant } from '../../../tests/support/resonant'
import { loadFft } from '../dsp/fft'
import { tractFinder } from './tract-finder'

beforeAll(() => loadFft())

const RATE = 44100

/** Level of the tract at a frequency, dB. */
function levelAt(a: Float64Array, hz: number): number {
  let [re, im] = [0, 0]
  a.forEach((v, k) => {
    re += v * Math.cos((2 * Math.PI * hz * k) / RATE)
    im += v * Math.sin((2 * Math.PI * hz * k) / RATE)
  })
  return -10 * Math.log10(re * re + im * im)
}

const HZ = [200, 300, 430, 530, 700, 1200, 1840, 2480, 3500, 4600, 8000]

it.each([
  [80, 0],
  [100, 0],
  [250, 0],
  [350, 0],
  [350, 2],
  [337.5, 0],
  [472.5, 0],
])('goes over without a step at %f Hz, with a sine of %f at its pitch', (hz, sine) => {
  const period = Math.round(RATE / hz)
  const voice = resonant(RATE, period, [[530, 80], [1840, 90], [2480, 120]], 40 * period) // prettier-ignore
  const x = voice.map((v, i) => v + sine * Math.sin((2 * Math.PI * i) / period))
  const finder = tractFinder(RATE, 1, Math.ceil(RATE / 35))
  const told = (pitch: number): number[] => {
    const a = finder.find([x], 20 * period, RATE / pitch)
    return HZ.map((f) => levelAt(a, f))
  }
  const [below, above] = [told(hz * 0.9999), told(hz * 1.0001)]
  below.forEach((level, i) => expect(Math.abs(level - above[i]!)).toBeLessThan(0.1))
})

it('has a first formant between two harmonics louder than the prediction alone would', () => {
  const x = resonant(RATE, 200, [[530, 80], [1840, 90], [2480, 120]], 8000) // prettier-ignore
  const finder = tractFinder(RATE, 1, Math.ceil(RATE / 35))
  const rise = (a: Float64Array): number => levelAt(a, 530) - levelAt(a, 1200)
  const found = rise(finder.find([x], 4000, 200))
  // Below 80 Hz nothing is found between pulses.
  const plain = rise(finder.find([x], 4000, RATE / 79))
  expect(found).toBeGreaterThan(plain + 2)
})

it('finds resonances of high voices where much sounds beside the first harmonic, and leaves tones to the prediction', () => {
  const period = 126
  const finder = tractFinder(RATE, 1, Math.ceil(RATE / 35))
  const told = (x: Float32Array): number => finder.find([x], 4000, period).length
  const full = resonant(RATE, period, [[730, 80], [1090, 90], [2440, 120]], 8000) // prettier-ignore
  const turn = (2 * Math.PI) / period
  // Pulses 20 dB below a sine.
  const peak = full.map((v, i) => 0.1 * v + Math.sin(turn * i))
  const plain = told(new Float32Array(8000))
  expect(told(full)).toBeGreaterThan(plain)
  expect(told(peak)).toBe(plain)
  expect(finder.find([full], 4000, RATE / 530)).toHaveLength(plain)
})
