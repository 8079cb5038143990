// Flams and strums: several attacks that are one musical event.
import { describe, expect, it } from 'vitest'
import { flamsFrom } from '../../../bench/corpus/flams'
import { laterScore } from '../../../bench/fit/later'
import { strokes } from '../../../tests/support/signals'
import { defaultAttacks, measure } from './analyse'
import { LATER, laterRises, likelyLater, surelyLater } from './later-attacks'

const RATE = 44100
const laterAttacks = (...of: Parameters<typeof likelyLater>): number[] => surelyLater(likelyLater(...of))

describe('later attacks of an event', () => {
  it.each([44100, 48000, 96000, 192000])('a flam is found to a millisecond, at %d Hz', (rate) => {
    for (const gap of [0.016, 0.025, 0.035]) {
      const x = strokes(1, rate, [0.3, 0.3], [0.3 + gap, 0.5])
      const [later, ...more] = laterAttacks([x], rate, Math.round(0.3 * rate), 0.9)
      expect(Math.abs(later! / rate - 0.3 - gap)).toBeLessThan(0.001)
      expect(more).toEqual([])
    }
  })

  it('a single stroke has none, whatever its channels', () => {
    const x = strokes(1, RATE, [0.3, 0.5])
    expect(laterAttacks([x], RATE, 0.3 * RATE, 0.9)).toEqual([])
    expect(laterAttacks([x, x.map((v) => -v)], RATE, 0.3 * RATE, 0.9)).toEqual([])
  })

  it('rises lie where they may, in rising order, and their features are finite', () => {
    const x = strokes(1, RATE, [0.3, 0.3], [0.32, 0.5], [0.335, 0.5])
    const rises = laterRises([x], RATE, 0.3 * RATE, 0.9)
    expect(rises.length).toBeGreaterThanOrEqual(2)
    for (const r of rises) {
      expect(r.at).toBeGreaterThanOrEqual((0.3 + LATER[0] - 0.001) * RATE)
      expect(r.at).toBeLessThan((0.3 + LATER[1] + 0.001) * RATE)
      expect(r.features.every(Number.isFinite)).toBe(true)
    }
    expect(rises.map((r) => r.at)).toEqual(rises.map((r) => r.at as number).sort((a, b) => a - b))
  })

  it('nothing is claimed of silence, of ends and of low rates', () => {
    expect(laterAttacks([new Float32Array(RATE)], RATE, 1000, 0.9)).toEqual([])
    expect(laterAttacks([strokes(1, RATE, [0.9, 0.5])], RATE, 0.999 * RATE, 0.9)).toEqual([])
    expect(laterAttacks([strokes(1, 8000, [0.3, 0.3], [0.325, 0.5])], 8000, 2400, 0.9)).toEqual([])
  })

  it('a flam is one transient that keeps its second stroke', () => {
    const { transients } = measure([strokes(1, RATE, [0.3, 0.3], [0.325, 0.5])], RATE)
    const [flam] = transients.filter((t) => t.strength > 0.4)
    expect(Math.abs(flam!.at / RATE - 0.3)).toBeLessThan(0.001)
    expect(flam!.parts!.map((p) => Math.round((1000 * p) / RATE))).toEqual([325])
  })

  it('a slow strum is one transient at its first string', () => {
    // Every fifth maker, from the second on, strums chords made by code, half of them slowly.
    const strums = flamsFrom(9000)
      .filter((_, i) => i % 5 === 1)
      .slice(0, 4)
    let [events, found, firsts] = [0, 0, 0]
    for (const p of strums.map((make) => make())) {
      const starts = defaultAttacks(measure(p.channels, p.sampleRate).transients, p.sampleRate)
      events += p.events.length
      found += starts.length
      firsts += p.events.filter((e) =>
        starts.some((t) => Math.abs(t.at / p.sampleRate - e.start) < 0.003),
      ).length
    }
    expect(events).toBeGreaterThan(120)
    expect(firsts / events).toBeGreaterThan(0.98)
    expect(found / events).toBeLessThan(1.03)
  })

  it('most flams and strums made by code are found, and hardly anything else', () => {
    const scores = flamsFrom(9000)
      .filter((_, i) => i % 5 < 2)
      .slice(0, 6)
      .map((make) => laterScore(make()))
    const sum = (of: (s: (typeof scores)[0]) => number): number => scores.reduce((n, s) => n + of(s), 0)
    expect(sum((s) => s.there)).toBeGreaterThan(100)
    expect(sum((s) => s.right) / sum((s) => s.there)).toBeGreaterThan(0.6)
    expect(sum((s) => s.wrong) / sum((s) => s.found)).toBeLessThan(0.05)
  })
})
