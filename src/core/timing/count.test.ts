// Counting: held tempos, known moments, half and double, taps.
import { describe, expect, it } from 'vitest'
import { InputError } from '../errors'
import { samples } from '../units'
import {
  AS_FOUND,
  countBeats,
  countTempo,
  sourceOfBeat,
  tapTempo,
  tempoFrom,
  withPoint,
  type Count,
} from './count'

const RATE = 1000
/** Beats at 120 from 0.5 s on, beat 1 at the third of them. */
const FOUND = {
  beatsPerBar: 4,
  beatUnit: 4,
  beats: Array.from({ length: 40 }, (_, i) => ({
    time: 0.5 + i / 2,
    beat: ((i + 2) % 4) + 1,
    confidence: 0.8,
  })),
}
const RANGE = { from: 0, to: 20000 }
const count = (over: Partial<Count> = {}) => countBeats(FOUND, { ...AS_FOUND, ...over }, RANGE, RATE)

describe('counting a recording', () => {
  it('takes the beats as found, counted from the first beat 1', () => {
    const c = count()
    expect(sourceOfBeat(c, 0)).toBe(1500)
    expect(c.beats[0]!.n).toBeLessThanOrEqual(-2)
    expect(countTempo(c, RATE)).toBeCloseTo(120, 6)
    c.beats.forEach((b, i) => i > 0 && expect(b.n).toBe(c.beats[i - 1]!.n + 1))
  })

  it('beat 1 is where a person says, and the nearest found beat gives way', () => {
    const c = count({ one: samples(2040) })
    expect(c.beats.filter((b) => Math.abs(b.source - 2000) < 100).map((b) => [b.source, b.n])).toEqual([
      [2040, 0],
    ])
    expect(sourceOfBeat(c, 1)).toBe(2500)
    expect(sourceOfBeat(c, -1)).toBe(1500)
  })

  it('is taken at half and at double the tempo with the same beats', () => {
    expect(countTempo(count({ times: 2 }), RATE)).toBeCloseTo(240, 6)
    const half = count({ times: 0.5 })
    expect(countTempo(half, RATE)).toBeCloseTo(60, 6)
    expect(sourceOfBeat(half, 0)).toBe(1500)
  })

  it('holds one tempo, and every further point holds what lies before it', () => {
    const held = count({ held: 100, one: samples(1000) })
    expect(sourceOfBeat(held, 10)).toBeCloseTo(7000, 6)
    const once = withPoint(
      { ...AS_FOUND, held: 100, one: samples(1000) },
      { source: samples(9000), bar: 4, beat: 1 },
      100,
    )
    const one = countBeats(FOUND, once, RANGE, RATE)
    expect(sourceOfBeat(one, 12)).toBe(9000)
    expect(sourceOfBeat(one, 6)).toBeCloseTo(5000, 6)
    // Its tempo goes on after it; a second point changes nothing before the first.
    expect(sourceOfBeat(one, 15)).toBeCloseTo(11000, 6)
    const twice = countBeats(
      FOUND,
      withPoint(once, { source: samples(17500), bar: 7, beat: 1 }, 100),
      RANGE,
      RATE,
    )
    for (const n of [0, 3, 7, 12]) expect(sourceOfBeat(twice, n)).toBeCloseTo(sourceOfBeat(one, n), 6)
    expect(sourceOfBeat(twice, 24)).toBe(17500)
  })

  it('points that contradict each other are said to', () => {
    const wrong = { ...AS_FOUND, one: samples(1000), points: [{ source: samples(5000), bar: 1, beat: 1 }] }
    expect(() => countBeats(FOUND, wrong, RANGE, RATE)).toThrow(InputError)
    expect(() => countBeats(FOUND, wrong, RANGE, RATE)).toThrow(/take one of the two points out/)
  })

  it('without any beats found, a held tempo still counts', () => {
    const none = { ...FOUND, beats: [] }
    expect(countBeats(none, AS_FOUND, RANGE, RATE).beats).toEqual([])
    expect(countBeats(none, { ...AS_FOUND, held: 90 }, RANGE, RATE).beats.length).toBeGreaterThan(29)
  })

  it('fits one tempo to everything from a place on, whatever lies before', () => {
    const beats = [
      ...[0.2, 0.9, 1.3].map((time) => ({ time, beat: 1, confidence: 0.9 })),
      ...Array.from({ length: 100 }, (_, i) => ({
        time: 2 + i * 0.6 + 0.004 * Math.sin(7 * i) + (i === 40 ? 0.09 : 0),
        beat: (i % 4) + 1,
        confidence: 0.9,
      })),
    ]
    const c = countBeats({ ...FOUND, beats }, AS_FOUND, { from: 0, to: 62000 }, RATE)
    expect(Math.abs(tempoFrom(c, 2000, RATE) - 100)).toBeLessThan(0.02)
    expect(() => tempoFrom(c, 61500, RATE)).toThrow(/fewer than four/)
  })

  it('taps: the median of their distances, without a missed one', () => {
    expect(tapTempo([0, 0.5])).toBeNull()
    expect(tapTempo([0, 0.5, 1.01, 2.0, 2.5, 3.0])).toBeCloseTo(120, 0)
  })
})
