// Rhythms are alike a whole number of their patterns later, whatever the tempo does.
import { describe, expect, it } from 'vitest'
import { LONGEST_REPEAT, patternRepeats } from './pattern'
import { RATE, type Rhythm } from './rhythm'

/** Strokes of a pattern of `beats` beats, each on one of the twelfths of a beat, over beats at the given times. */
function rhythm(times: readonly number[], beats: number, strokes: readonly number[]): Rhythm {
  const length = times[times.length - 1]! + 0.5
  const frames = Math.ceil(length * RATE)
  const onset = new Float32Array(frames)
  for (let i = 0; i + 1 < times.length; i++)
    for (const s of strokes) {
      const place = s / 12 - (i % beats)
      if (place < 0 || place >= 1) continue
      onset[Math.round((times[i]! + place * (times[i + 1]! - times[i]!)) * RATE)] = 1
    }
  const regions = [onset, onset, onset]
  const level = new Float32Array(frames)
  return { frames, onset, regions, level, events: [], brilliance: -4, first: 0, last: length, length }
}

const steady = Array.from({ length: 49 }, (_, i) => 0.1 + 0.5 * i)
/** From 120 BPM to a third slower. */
const slowing = steady.map((t) => t + (0.3 * t * t) / steady[48]!)

describe.each([
  ['at one tempo', steady],
  ['while it slows down', slowing],
])('%s', (_, times) => {
  it.each([
    [2, [0, 9, 15, 18]],
    [3, [0, 8, 24, 27]],
    [4, [0, 18, 30, 36]],
  ])('a pattern of %d beats is like itself after as many', (beats, strokes) => {
    const alike = patternRepeats(rhythm(times, beats, strokes), times)
    for (let lag = 1; lag <= LONGEST_REPEAT; lag++)
      if (lag % beats) expect(alike[lag]).toBeLessThan(0.6)
      else expect(alike[lag]).toBeGreaterThan(0.8)
  })
})

it('what is shorter than a repeat, or silent, is like nothing', () => {
  const times = steady.slice(0, 3)
  expect([...patternRepeats(rhythm(times, 2, [0, 18]), times).subarray(3)]).toEqual(
    new Array(LONGEST_REPEAT - 2).fill(0),
  )
  expect(Math.max(...patternRepeats(rhythm(steady, 2, []), steady))).toBe(0)
})
