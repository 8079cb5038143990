// All-pole envelopes through harmonics: what is known of the voices they are found from.
import { describe, expect, it } from 'vitest'
import { randomFrom } from '../dsp/random'
import { allPoleFitter } from './all-pole'

const RATE = 44100
const ORDER = 46

/** Coefficients with poles at frequencies and widths, Hz. */
function withPoles(poles: readonly (readonly [number, number])[]): Float64Array {
  const a = new Float64Array(ORDER + 1)
  a[0] = 1
  for (const [hz, width] of poles) {
    const r = Math.exp((-Math.PI * width) / RATE)
    const c = 2 * r * Math.cos((2 * Math.PI * hz) / RATE)
    for (let k = ORDER; k > 0; k--) a[k]! += -c * a[k - 1]! + r * r * (a[k - 2] ?? 0)
  }
  return a
}

/** Power of 1 / A at a frequency, Hz. */
function powerAt(a: Float64Array, hz: number): number {
  let [re, im] = [0, 0]
  a.forEach((v, k) => {
    re += v * Math.cos((2 * Math.PI * hz * k) / RATE)
    im += v * Math.sin((2 * Math.PI * hz * k) / RATE)
  })
  return 1 / (re * re + im * im)
}

/** Powers at the harmonics of a pitch, as far as they go. */
const sampled = (a: Float64Array, hz: number): Float64Array =>
  Float64Array.from({ length: Math.floor(RATE / 2 / hz) - 1 }, (_, m) => powerAt(a, (m + 1) * hz))

/** Frequency of the peak nearest to one, Hz. */
function peakNear(a: Float64Array, hz: number): number {
  let best = 0
  for (let f = 0.7 * hz; f < 1.4 * hz; f += 2)
    if (powerAt(a, f) >= powerAt(a, f - 2) && powerAt(a, f) > powerAt(a, f + 2))
      if (Math.abs(f - hz) < Math.abs(best - hz)) best = f
  return best
}

/** Linear prediction from the same harmonics, by Levinson's recursion: where a fit begins. */
function predicted(powers: Float64Array, hz: number): Float64Array {
  const r = Array.from({ length: ORDER + 1 }, (_, k) =>
    powers.reduce((s, p, m) => s + p * Math.cos((2 * Math.PI * (m + 1) * hz * k) / RATE), 0),
  )
  const a = new Float64Array(ORDER + 1)
  a[0] = 1
  let error = r[0]! * (1 + 1e-6)
  for (let m = 1; m <= ORDER; m++) {
    let sum = 0
    for (let k = 0; k < m; k++) sum += a[k]! * r[m - k]!
    const before = Float64Array.from(a)
    for (let k = 1; k <= m; k++) a[k]! -= (sum / error) * before[m - k]!
    error *= 1 - (sum / error) ** 2
  }
  return a
}

const flat = (): Float64Array => withPoles([])
// Formants of Peterson & Barney 1952 (men's "hod" and "who'd", from memory), with common widths.
const VOWELS = [
  [[730, 80], [1090, 90], [2440, 120]],
  [[300, 80], [870, 90], [2240, 120]],
] as const // prettier-ignore

describe('an all-pole fit', () => {
  it.each([130, 165, 220])(
    'finds the formants between harmonics of %i Hz, where prediction is drawn to them',
    (hz) => {
      let [found, drawn] = [0, 0]
      for (const poles of VOWELS) {
        const truth = withPoles(poles)
        const powers = sampled(truth, hz)
        const a = predicted(powers, hz)
        const off = (x: Float64Array): number =>
          Math.max(...poles.map(([f]) => Math.abs(peakNear(x, f) / peakNear(truth, f) - 1)))
        drawn = Math.max(drawn, off(a))
        expect(allPoleFitter(ORDER, 1e-6).fit(powers, powers.length, RATE / hz, a, ORDER, 1)).toBe(true)
        found = Math.max(found, off(a))
      }
      expect(found).toBeLessThan(0.035)
      expect(found).toBeLessThan(0.6 * drawn)
    },
  )

  it('is the same at any level, and leaves what begins at the truth where it is', () => {
    const truth = withPoles(VOWELS[0])
    const powers = sampled(truth, 120)
    const fitter = allPoleFitter(ORDER, 1e-9)
    const [a, loud] = [Float64Array.from(truth), flat()]
    const quiet = flat()
    fitter.fit(powers, powers.length, RATE / 120, a, ORDER, 1)
    for (const f of [300, 730, 1500, 2440, 6000])
      expect(10 * Math.log10(powerAt(a, f) / powerAt(truth, f))).toBeCloseTo(0, 0)
    fitter.fit(powers, powers.length, RATE / 120, quiet, ORDER, 1)
    fitter.fit(powers.map((p) => 1e6 * p), powers.length, RATE / 120, loud, ORDER, 1) // prettier-ignore
    quiet.forEach((v, k) => expect(loud[k]!).toBeCloseTo(v, 6))
  })

  it('rings out whatever the harmonics are, or says that it found nothing', () => {
    const random = randomFrom(5)
    const hard = [
      Float64Array.from({ length: 100 }, (_, m) => (m === 0 ? 1 : 0)),
      Float64Array.from({ length: 100 }, (_, m) => (m === 7 ? 1 : 1e-9)),
      Float64Array.from({ length: 100 }, () => random() ** 8),
      Float64Array.from({ length: 100 }, () => 1),
    ]
    const fitter = allPoleFitter(ORDER, 1e-4)
    for (const powers of hard)
      for (const order of [2, 13, ORDER]) {
        const a = flat()
        const done = fitter.fit(powers, 100, 205.3, a, order, 0.999)
        const y = new Float64Array(20000)
        y[0] = 1
        for (let i = 0; i < y.length; i++)
          for (let k = 1; k <= Math.min(i, ORDER); k++) y[i]! -= a[k]! * y[i - k]!
        expect(Math.max(...y.subarray(19000).map(Math.abs))).toBeLessThan(done ? 0.5 : 1e-9)
      }
    const untouched = withPoles(VOWELS[1])
    expect(fitter.fit(new Float64Array(50), 50, 300, untouched, ORDER, 1)).toBe(false)
    expect([...untouched]).toEqual([...withPoles(VOWELS[1])])
  })
})
