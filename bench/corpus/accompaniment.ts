// Accompaniments: where bass and chords are struck in a bar, and the notes they strike.
import type { Chance } from './chance'
import { METERS } from './pieces'
import type { Event } from './sampler'
import { voicing } from './score'

/** Places of bass, chords and single chord notes in a bar, in beats. */
interface Bar {
  readonly bass: readonly number[]
  readonly chords: readonly number[]
  /** Chord notes one after the other, at these places. */
  readonly broken: readonly number[]
}

const every = (bar: number, step: number): number[] =>
  Array.from({ length: Math.round(bar / step) }, (_, i) => i * step)

/** By meter: bass and chords in turn, chords held, broken, and struck on every beat or more. */
export const BARS: Record<string, Record<'turns' | 'held' | 'broken' | 'struck', Bar>> = {
  '4/4': {
    turns: { bass: [0, 2], chords: [1, 3], broken: [] },
    held: { bass: [0], chords: [0], broken: [] },
    broken: { bass: [0], chords: [], broken: every(4, 0.5) },
    struck: { bass: [0, 2], chords: every(4, 1), broken: [] },
  },
  '3/4': {
    turns: { bass: [0], chords: [1, 2], broken: [] },
    held: { bass: [0], chords: [0], broken: [] },
    broken: { bass: [0], chords: [], broken: every(3, 0.5) },
    struck: { bass: [0], chords: every(3, 1), broken: [] },
  },
  '2/4': {
    turns: { bass: [0, 1], chords: [0.5, 1.5], broken: [] },
    held: { bass: [0, 1], chords: [0], broken: [] },
    broken: { bass: [0], chords: [], broken: every(2, 0.5) },
    struck: { bass: [0, 1], chords: every(2, 0.5), broken: [] },
  },
  '6/8': {
    turns: { bass: [0, 3], chords: [2, 5], broken: [] },
    held: { bass: [0, 3], chords: [0], broken: [] },
    broken: { bass: [0], chords: [], broken: every(6, 1) },
    struck: { bass: [0, 3], chords: [0, 2, 3, 5], broken: [] },
  },
}
export type Style = keyof (typeof BARS)[string]

/**
 * An accompaniment: bass on channel 1, chords on channel 2.
 *
 * @param harmony pitch classes of each bar's chord; @param at seconds of a beat
 */
export function styled(
  style: Style,
  meter: string,
  harmony: readonly (readonly number[])[],
  at: (beat: number) => number,
  random: Chance,
): Event[] {
  const bar = BARS[meter]!
  const length = METERS[meter]!.beatsPerBar
  const { bass, chords, broken } = bar[style]
  const low = 46 + random.whole(0, 8)
  const [strength, lean] = [random.between(0.4, 0.7), random.between(0, 0.2)]
  const fifths = random.often(0.5)
  const out: Event[] = []
  const strike = (beat: number, to: number, midi: number, level: number, channel: number): void => {
    const start = at(beat)
    out.push({ start, end: Math.max(start + 0.06, at(to) - 0.02), midi, level, channel })
  }
  harmony.forEach((classes, b) => {
    const first = b * length
    const leaning = (place: number): number => (place === 0 ? lean : 0)
    bass.forEach((place, i) => {
      const pitch = classes[fifths && i % 2 ? 2 : 0]!
      strike(first + place, first + (bass[i + 1] ?? length), 36 + pitch, 0.75 + leaning(place), 1)
    })
    chords.forEach((place, i) => {
      const next = chords[i + 1] ?? length
      const until = style === 'turns' ? Math.min(next, place + 0.7) : next
      for (const midi of voicing(classes, low, 3))
        strike(first + place, first + until, midi, strength + leaning(place), 2)
    })
    const notes = voicing(classes, low, 4)
    broken.forEach((place, i) => {
      const turn = [0, 1, 2, 3, 2, 1][i % 6]!
      strike(first + place, first + place + 1, notes[turn]!, strength + leaning(place), 2)
    })
  })
  return out
}
