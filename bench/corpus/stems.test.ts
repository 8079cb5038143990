// Single tracks: what stands in their bars.
import { describe, expect, it } from 'vitest'
import { bassEvents, chordEvents } from './stems'
import { chance } from './chance'

/** C, F, G and A minor, twice. */
const HARMONY = [
  [0, 4, 7],
  [5, 9, 0],
  [7, 11, 2],
  [9, 0, 4],
].flatMap((chord) => [chord, chord])
const BARS: Record<string, number> = { '4/4': 4, '3/4': 3, '2/4': 2, '6/8': 6 }

describe.each(Object.entries(BARS))('in %s', (meter, beats) => {
  const seeds = [1, 2, 3, 4, 5, 6]

  it('a bass has the root of every bar on its first beat, and one note at a time', () => {
    for (const seed of seeds) {
      const events = bassEvents(HARMONY, meter, chance(seed))
      HARMONY.forEach(([root], b) => {
        const first = events.find((e) => e.start === b * beats)
        expect(first!.midi % 12).toBe(root)
      })
      events.slice(1).forEach((e, i) => {
        expect(e.start).toBeGreaterThan(events[i]!.start)
        expect(events[i]!.end).toBeLessThanOrEqual(e.start)
      })
    }
  })

  it('chords are those of their bars, in patterns that come back', () => {
    for (const seed of seeds) {
      const events = chordEvents(HARMONY, meter, chance(seed))
      for (const e of events) expect(HARMONY[Math.floor(e.start / beats)]).toContain(e.midi % 12)
      const places = (b: number): string =>
        events
          .filter((e) => Math.floor(e.start / beats) === b)
          .map((e) => e.start - b * beats)
          .join(' ')
      // Fills stand in every fourth bar only.
      expect([places(4), places(5), places(6)]).toEqual([places(0), places(1), places(2)])
    }
  })
})

it('players differ', () => {
  const patterns = [1, 2, 3, 4].map((seed) =>
    bassEvents(HARMONY, '4/4', chance(seed))
      .map((e) => `${e.start} ${e.midi}`)
      .join(),
  )
  expect(new Set(patterns).size).toBe(4)
})
