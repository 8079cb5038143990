// The promises of every method: identity, exact length, local edits, any chunk size, one set of decisions.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { struck } from '../../../tests/support/signals'
import { targetLength, toTarget, type Knot, type TimeMap } from '../timing/time-map'
import { attacksOnCorners, cornersAfterAttacks, STRUCK } from './corners'
import { led } from './leads'
import { spansOf } from './spans'
import { openStretcher, stretchAudio } from './stretch'
import {
  DEFAULT_STRETCH,
  METHOD_NAMES,
  type Fill,
  type Formants,
  type MethodName,
  type Quality,
  type StretchSettings,
} from './types'

const RATES = [22050, 44100, 48000]
const SECONDS = 0.9

interface Case {
  readonly seed: number
  readonly rate: number
  readonly channels: number
  readonly settings: StretchSettings
  /** Shares of the length where knots lie, and the ratio of every segment. */
  readonly cuts: number[]
  readonly ratios: number[]
  readonly onAttacks: boolean
}

const cases = (pitches = [1]): fc.Arbitrary<Case> =>
  fc.record({
    seed: fc.integer({ min: 1, max: 1e6 }),
    rate: fc.constantFrom(...RATES),
    channels: fc.constantFrom(1, 2),
    settings: fc
      .record({
        method: fc.constantFrom<MethodName>(...METHOD_NAMES),
        quality: fc.constantFrom<Quality>('draft', 'fine'),
        fill: fc.constantFrom<Fill>('mirror', 'repeat', 'rest'),
        tail: fc.constantFrom(0, 40, 100),
        pitch: fc.constantFrom(...pitches),
        formants: fc.constantFrom<Formants>('keep', 'move'),
      })
      .map((s) => ({ ...DEFAULT_STRETCH, ...s })),
    cuts: fc.array(fc.double({ min: 0.02, max: 0.98, noNaN: true }), { minLength: 1, maxLength: 6 }),
    ratios: fc.array(fc.double({ min: 0.25, max: 4, noNaN: true }), { minLength: 7, maxLength: 7 }),
    onAttacks: fc.boolean(),
  })

function playedOf(c: Case) {
  return struck(c.seed, SECONDS, c.rate, c.channels)
}

/** A strictly rising map over the whole recording with the case's ratios. */
function mapOf(c: Case, length: number, attacks: readonly number[]): TimeMap {
  const places = c.cuts.map((x) => Math.round(x * length))
  const chosen = c.onAttacks
    ? places.map((p) => attacks.reduce((a, b) => (Math.abs(b - p) < Math.abs(a - p) ? b : a)))
    : places
  const sources = [...new Set([0, ...chosen, length])].sort((a, b) => a - b)
  const map: Knot[] = [{ source: 0, target: 0 }]
  sources.slice(1).forEach((source, i) => {
    const last = map[i]!
    map.push({
      source,
      target: last.target + Math.max(1, Math.round((source - last.source) * c.ratios[i % 7]!)),
    })
  })
  return map
}

const bits = (x: Float32Array): Uint8Array => new Uint8Array(x.buffer, x.byteOffset, x.byteLength)
const same = (a: Float32Array, b: Float32Array): boolean => Buffer.compare(bits(a), bits(b)) === 0

const RUNS = { numRuns: 30 }

/** The spans that are rendered. */
function renderedSpans(map: TimeMap, attacks: readonly number[], rate: number, settings: StretchSettings) {
  const struck = attacksOnCorners(map, attacks, rate)
  const settled = cornersAfterAttacks(map, struck, rate)
  return led(spansOf(settled, struck), settled, settings, rate)
}

/** Output samples from the first to the last span in which two maps of one length differ. */
function reachOf(
  one: TimeMap,
  other: TimeMap,
  attacks: readonly number[],
  rate: number,
  settings: StretchSettings,
): [number, number] {
  const spans = (map: TimeMap): [number, string][] =>
    renderedSpans(map, attacks, rate, settings).map((s) => [s.length, JSON.stringify(s)])
  const common = (a: [number, string][], b: [number, string][]): number => {
    let sum = 0
    for (let i = 0; a[i] && a[i]![1] === b[i]?.[1]; i++) sum += a[i]![0]
    return sum
  }
  const [a, b] = [spans(one), spans(other)]
  return [common(a, b), targetLength(one) - common(a.reverse(), b.reverse())]
}

describe('every method', () => {
  it('returns the recording bit for bit where the map changes nothing', () => {
    fc.assert(
      fc.property(cases(), (c) => {
        const { channels, sampleRate, attacks } = playedOf(c)
        const length = channels[0]!.length
        const shift = Math.round(c.ratios[0]! * 1000)
        const map = mapOf({ ...c, ratios: c.ratios.map(() => 1) }, length, attacks).map((k) => ({
          source: k.source,
          target: k.target + shift,
        }))
        const out = stretchAudio({ channels, sampleRate }, map, attacks, c.settings)
        return out.every((o, i) => same(o, channels[i]!))
      }),
      RUNS,
    )
  })

  it('gives exactly the samples its map asks for, all finite, none above the loudest by much', () => {
    fc.assert(
      fc.property(cases([1, 0.749, 1.26]), (c) => {
        const { channels, sampleRate, attacks } = playedOf(c)
        const map = mapOf(c, channels[0]!.length, attacks)
        const out = stretchAudio({ channels, sampleRate }, map, attacks, c.settings)
        let top = 0
        for (const x of channels) for (const v of x) top = Math.max(top, Math.abs(v))
        expect(out.map((o) => o.length)).toEqual(channels.map(() => targetLength(map)))
        // Formants that stay while the pitch moves are another balance of partials, which may peak higher.
        const room = c.settings.pitch !== 1 && c.settings.formants === 'keep' ? 2.5 : 1.6
        return out.every((o) => o.every((v) => Number.isFinite(v) && Math.abs(v) <= room * top))
      }),
      RUNS,
    )
  })

  it('gives the same samples in chunks of any size', () => {
    fc.assert(
      fc.property(
        cases([1, 1.26]),
        fc.integer({ min: 1, max: 65536 }),
        fc.integer({ min: 1, max: 700 }),
        (c, large, small) => {
          const { channels, sampleRate, attacks } = playedOf(c)
          const source = { channels, sampleRate }
          const map = mapOf(c, channels[0]!.length, attacks)
          const whole = stretchAudio(source, map, attacks, c.settings)
          for (const size of [large, small, 1]) {
            const reader = openStretcher(source, map, attacks, c.settings)
            const out = channels.map(() => new Float32Array(reader.length))
            const stop = size === 1 ? Math.min(3000, reader.length) : reader.length
            for (let at = 0; at < stop;) at += reader.read(out, at, Math.min(size, stop - at))
            if (!out.every((o, i) => same(o.subarray(0, stop), whole[i]!.subarray(0, stop)))) return false
          }
          return true
        },
      ),
      { numRuns: 24 },
    )
  })

  it('changes nothing outside the segments beside a moved knot', () => {
    fc.assert(
      fc.property(cases(), fc.double({ min: 0.2, max: 0.8, noNaN: true }), (c, share) => {
        const { channels, sampleRate, attacks } = playedOf(c)
        const source = { channels, sampleRate }
        const map = mapOf(c, channels[0]!.length, attacks)
        if (map.length < 3) return true
        const k = 1 + Math.floor(share * (map.length - 2))
        const [before, after] = [map[k - 1]!, map[k + 1]!]
        const target = Math.round(before.target + share * (after.target - before.target))
        if (target <= before.target || target >= after.target) return true
        const moved = map.map((x, i) => (i === k ? { ...x, target } : x))
        const [reachFrom, reachTo] = reachOf(map, moved, attacks, sampleRate, c.settings)
        // Only a corner that waits for the attack before it carries an edit over the knots beside it.
        const waits = (k: Knot): boolean => {
          const attack = attacks.findLast((x) => x < k.source)
          const struck = (m: TimeMap): boolean => k.target - toTarget(m, attack!) < STRUCK * sampleRate
          return (
            attack !== undefined && (k.source - attack < STRUCK * sampleRate || struck(map) || struck(moved))
          )
        }
        // And a segment that was or becomes untouched, or too short for frames: tones do not ring on through its ends.
        const turned = (m: TimeMap, k: Knot): number | undefined =>
          renderedSpans(m, attacks, sampleRate, c.settings).find((s) => s.from === k.source)?.shiftAtStart
        const ends = (k: Knot): boolean => {
          const [one, other] = [turned(map, k), turned(moved, k)]
          return one !== other && (one === undefined || other === undefined)
        }
        expect(reachFrom >= before.target || waits(before) || ends(before)).toBe(true)
        expect(reachTo <= after.target || waits(after) || ends(after)).toBe(true)
        const a = stretchAudio(source, map, attacks, c.settings)
        const b = stretchAudio(source, moved, attacks, c.settings)
        return a.every(
          (o, i) =>
            same(o.subarray(0, reachFrom), b[i]!.subarray(0, reachFrom)) &&
            same(o.subarray(reachTo), b[i]!.subarray(reachTo)),
        )
      }),
      RUNS,
    )
  })

  it('treats all channels alike: equal channels stay equal, and a scaled one stays scaled', () => {
    fc.assert(
      fc.property(cases([1, 0.749]), (c) => {
        const { channels, sampleRate, attacks } = playedOf({ ...c, channels: 1 })
        const left = channels[0]!
        const map = mapOf(c, left.length, attacks)
        const source = { channels: [left, Float32Array.from(left), left.map((x) => -0.5 * x)], sampleRate }
        const [a, b, inverted] = stretchAudio(source, map, attacks, c.settings)
        if (!same(a!, b!)) return false
        return a!.every((x, i) => Math.abs(inverted![i]! + 0.5 * x) < 2e-6)
      }),
      RUNS,
    )
  })
})
