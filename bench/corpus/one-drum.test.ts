// One drum: the truth counts the beats, wherever the loudest strokes lie.
import { describe, expect, it } from 'vitest'
import { evenLoopsFrom, offbeatsFrom } from './one-drum'

const made = offbeatsFrom(3000)
/** In four, and in three. */
const pieces = [made[0]!, made[1]!, made[4]!].map((make) => make())

/** Root mean square of 40 ms from a time on. */
function loudness(x: Float32Array, rate: number, time: number): number {
  const [from, n] = [Math.round((time - 0.005) * rate), Math.round(0.04 * rate)]
  const part = x.subarray(Math.max(0, from), from + n)
  return Math.sqrt(part.reduce((s, v) => s + v * v, 0) / n)
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
})
