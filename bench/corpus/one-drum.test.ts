// One drum: the truth counts the beats, wherever the loudest strokes lie.
import { describe, expect, it } from 'vitest'
import { median, onsetScore } from '../../tests/support/measure'
import { defaultAttacks, measure } from '../../src/core/analysis/analyse'
import { evenLoopsFrom, offbeatsFrom } from './one-drum'
import type { Piece } from './types'

const made = offbeatsFrom(3000)
/** In four, and in three. */
const pieces = [made[0]!, made[1]!, made[4]!].map((make) => make())

/** Root mean square of 40 ms from a time on. */
function loudness(x: Float32Array, rate: number, time: number): number {
  const [from, n] = [Math.round((time - 0.005) * rate), Math.round(0.04 * rate)]
  const part = x.subarray(Math.max(0, from), from + n)
  return Math.sqrt(part.reduce((s, v) => s + v * v, 0) / n)
}

/** How many of its strokes sound within 10 ms of where the truth has them, as an F-measure. */
const heardInPlace = ({ channels, sampleRate, onsets }: Piece): number => {
  const found = defaultAttacks(measure(channels, sampleRate).transients, sampleRate)
  const times = found.map((t) => t.at / sampleRate)
  return onsetScore(onsets, times, 0.01).f
}

describe.each(pieces.map((p) => [p.name, p] as const))('%s', (_, p) => {
  const { beats, downbeats, onsets, meter, bpm } = p
  const between = beats!.slice(1).map((t, i) => (t + beats![i]!) / 2)

  it('has beats as far apart as its tempo says, and a beat 1 in every bar', () => {
    const mean = (beats!.at(-1)! - beats![0]!) / (beats!.length - 1)
    expect(Math.abs(60 / mean / bpm! - 1)).toBeLessThan(0.1)
    expect(downbeats!.map((t) => beats!.indexOf(t) % meter!.beatsPerBar)).toEqual(downbeats!.map(() => 0))
  })

  it('is struck half-way between any two beats, louder than on them', () => {
    for (const t of between) expect(Math.min(...onsets.map((o) => Math.abs(o - t)))).toBeLessThan(0.03)
    const mean = (times: readonly number[]): number =>
      times.reduce((s, t) => s + loudness(p.channels[0]!, p.sampleRate, t), 0) / times.length
    const inBars = beats!.filter((t) => !downbeats!.includes(t))
    expect(mean(between)).toBeGreaterThan(1.5 * mean(inBars))
  })

  it('sounds where the truth has it', () => {
    expect(heardInPlace(p)).toBeGreaterThan(0.9)
  })
})

describe('a loop of even strokes', () => {
  const loops = evenLoopsFrom(3000).map((make) => make())

  it('is as long as its bars', () => {
    for (const { channels, sampleRate, downbeats, meter, bpm } of loops) {
      const bars = (channels[0]!.length / sampleRate / 60) * (bpm! / meter!.beatsPerBar)
      expect(Math.abs(bars - downbeats!.length)).toBeLessThan(1e-3)
    }
  })

  it('is struck on every beat, or on the dotted ones of 6/8, none of them far away', () => {
    for (const { beats, onsets, meter } of loops) {
      const every = meter!.beatUnit === 8 ? 3 : 1
      for (const t of beats!.filter((_, i) => i % every === 0))
        expect(Math.min(...onsets.map((o) => Math.abs(o - t)))).toBeLessThan(0.045)
    }
  })

  // Strokes anywhere would lie a sixteenth of a beat away at the median, 27 ms at the fastest.
  it('is even: strokes lie near whole parts of its beats', () => {
    const away = loops.map(({ beats, onsets, bpm }) => {
      const beat = 60 / bpm!
      const medians = [1, 2, 3, 4].map((parts) => {
        const places = onsets.map((t) => ((t - beats![0]!) / beat) * parts)
        return (median(places.map((k) => Math.abs(k - Math.round(k)))) * beat) / parts
      })
      return Math.min(...medians)
    })
    expect(Math.max(...away)).toBeLessThan(0.015)
    expect(median(away)).toBeLessThan(0.006)
  })

  it('sounds where the truth has it', () => {
    for (const loop of loops.slice(0, 5)) expect(heardInPlace(loop)).toBeGreaterThan(0.9)
  })
})
