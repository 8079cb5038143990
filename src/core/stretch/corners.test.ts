// Corners that fall into an attack: they wait, and attacks sound as recorded along the jumpiest maps.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { rms } from '../../../tests/support/measure'
import { struck } from '../../../tests/support/signals'
import { toTarget, type Knot } from '../timing/time-map'
import { attacksOnCorners, cornersAfterAttacks, STRUCK } from './corners'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH } from './types'

const RATE = 44100
const LEAST = Math.round(STRUCK * RATE)

/** Rising maps with slopes from a quarter to four, and attacks anywhere. */
const cases = fc
  .record({
    steps: fc.array(
      fc.tuple(fc.integer({ min: 40, max: 20000 }), fc.double({ min: 0.25, max: 4, noNaN: true })),
      {
        minLength: 2,
        maxLength: 8,
      },
    ),
    attacks: fc.uniqueArray(fc.integer({ min: 1, max: 80000 }), { maxLength: 30 }),
  })
  .map(({ steps, attacks }) => {
    const map: Knot[] = [{ source: 0, target: 0 }]
    for (const [step, slope] of steps) {
      const last = map[map.length - 1]!
      map.push({ source: last.source + step, target: last.target + Math.max(1, Math.round(step * slope)) })
    }
    return { map, attacks: attacks.sort((a, b) => a - b) }
  })

describe('corners after attacks', () => {
  it('rises, keeps its ends, and moves nothing but what follows an attack at once', () => {
    fc.assert(
      fc.property(cases, ({ map, attacks }) => {
        const settled = cornersAfterAttacks(map, attacks, RATE)
        expect(settled[0]).toEqual(map[0])
        expect(settled[settled.length - 1]).toEqual(map[map.length - 1])
        settled.forEach((k, i) => {
          const before = settled[i - 1]
          if (before) expect(k.source > before.source && k.target > before.target).toBe(true)
        })
        // Every attack lies where it did, unless a second one follows while the first still sounds.
        attacks.forEach((a, i) => {
          if (a >= map[map.length - 1]!.source || a - (attacks[i - 1] ?? -Infinity) < 5 * LEAST) return
          expect(Math.abs(toTarget(settled, a) - toTarget(map, a))).toBeLessThan(2.5)
        })
        const kept = cornersAfterAttacks(map, attacks, RATE, new Set(map.map((k) => k.source)))
        expect(kept).toEqual(map)
      }),
      { endOnFailure: true },
    )
  })

  it('rises where the next attack lies where the corner before it went to', () => {
    const map = [0, 40, 94, 134].map((source, i) => ({ source, target: [0, 10, 65, 75][i]! }))
    expect(cornersAfterAttacks(map, [1, 41], RATE)).toEqual([map[0], { source: 41, target: 11 }, map[3]])
  })

  it('takes a corner next to an attack for one that was put on it', () => {
    const map = [0, 10000, 20000, 30000].map((source, i) => ({ source, target: source + 500 * i * (3 - i) }))
    const attacks = attacksOnCorners(map, [5000, 9990, 10004, 19000, 20015], RATE)
    expect(attacks).toEqual([5000, 10000, 19000, 20000])
    expect(cornersAfterAttacks(map, attacks, RATE)).toEqual(map)
  })

  it.each([
    ['hits', 0.999],
    ['cuts', 0.999],
    ['chords', 0.9],
    ['mix', 0.9],
  ] as const)('%s keeps attacks that a corner follows after 4 ms', (method, least) => {
    const { channels, attacks, sampleRate } = { ...struck(3, 6, RATE, 1), sampleRate: RATE }
    const x = channels[0]!
    const chosen = attacks.filter((a, i) => i > 0 && i % 2 === 0 && a + RATE < x.length)
    expect(chosen.length).toBeGreaterThan(3)
    const map: Knot[] = [{ source: 0, target: 0 }]
    ;[...chosen, x.length].forEach((a, i) => {
      const last = map[map.length - 1]!
      const source = a === x.length ? a : a + Math.round(0.004 * RATE)
      map.push({ source, target: last.target + Math.round((source - last.source) * (i % 2 ? 1.8 : 0.55)) })
    })
    const y = stretchAudio({ channels, sampleRate }, map, attacks, { ...DEFAULT_STRETCH, method })[0]!
    const n = Math.round(0.008 * RATE)
    for (const a of chosen) {
      const at = Math.round(toTarget(map, a))
      let dot = 0
      for (let i = 0; i < n; i++) dot += x[a + i]! * y[at + i]!
      expect(dot / n / (rms(x, a, a + n) * rms(y, at, at + n))).toBeGreaterThan(least)
    }
  })
})
