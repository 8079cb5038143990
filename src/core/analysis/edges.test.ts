// The edges of what may come in: the whole analysis holds on all of it.
import { describe, expect, it } from 'vitest'
import { noise, sine, struck } from '../../../tests/support/signals'
import { onsetScore } from '../../../tests/support/measure'
import { analyse, defaultAttacks, measure } from './analyse'
import { joinOnsets, onsetFrames, onsetStrength } from './onset-strength'

const attacksIn = (channels: readonly Float32Array[], rate: number): number[] =>
  defaultAttacks(analyse(channels, rate).transients, rate).map((t) => t.at / rate)
const scored = (p: ReturnType<typeof struck>, channels: readonly Float32Array[]): number =>
  onsetScore(
    p.attacks.map((a) => a / p.sampleRate),
    attacksIn(channels, p.sampleRate),
    0.01,
  ).f

describe('silence and next to nothing', () => {
  it('silence: nothing found, nothing thrown', () => {
    const f = analyse([new Float32Array(44100)], 44100)
    expect([f.transients, f.notes, f.beats, f.keys].map((x) => x.length)).toEqual([0, 0, 0, 0])
    expect(f.tempo.bpm).toBe(0)
  })

  it('a single click is one transient, where it is', () => {
    const x = new Float32Array(44100)
    x[22050] = 0.9
    const times = attacksIn([x], 44100)
    expect(times.length).toBe(1)
    expect(Math.abs(times[0]! - 0.5)).toBeLessThan(0.001)
  })

  it('three tenths of a second, and a few samples', () => {
    const p = struck(3, 0.3, 44100, 2, 5)
    expect(attacksIn(p.channels, 44100).length).toBeGreaterThan(0)
    for (const n of [1, 2, 37, 500])
      expect(() => analyse([noise(1, 44100).subarray(0, n)], 44100)).not.toThrow()
  })
})

describe('odd but honest recordings', () => {
  const p = struck(5, 6, 44100, 2, 2.5)
  const clean = scored(p, p.channels)

  it('the clean one is found', () => expect(clean).toBeGreaterThan(0.93))

  it.each([
    ['inverted polarity on the right', (c: readonly Float32Array[]) => [c[0]!, c[0]!.map((v) => -v)]],
    ['a constant offset', (c: readonly Float32Array[]) => c.map((x) => x.map((v) => 0.5 * v + 0.4))],
    [
      'clipped',
      (c: readonly Float32Array[]) => c.map((x) => x.map((v) => Math.max(-0.25, Math.min(0.25, 3 * v)))),
    ],
    ['very quiet', (c: readonly Float32Array[]) => c.map((x) => x.map((v) => 0.01 * v))],
    ['six channels', (c: readonly Float32Array[]) => [c[0]!, c[1]!, c[0]!, c[1]!, c[0]!, c[1]!]],
  ])('%s: as good as clean, within 0.07', (_, change) =>
    expect(scored(p, change(p.channels))).toBeGreaterThan(clean - 0.07),
  )

  it('inverted polarity keeps its pitch', () => {
    const x = sine(330, 1, 44100)
    const { pitch } = measure([x, x.map((v) => -v)], 44100)
    const middle = pitch.f0[Math.floor(pitch.f0.length / 2)]!
    expect(Math.abs(1200 * Math.log2(middle / 330))).toBeLessThan(3)
  })

  it.each([8000, 192000])('%i Hz', (rate) => {
    const q = struck(6, 3, rate, 1, 2.5)
    expect(scored(q, q.channels)).toBeGreaterThan(0.85)
  })
})

it('made in parts, onset strength is the same to the last bit', () => {
  const p = struck(8, 3, 44100, 2, 3)
  const whole = onsetStrength(p.channels, 44100)
  const n = onsetFrames(p.channels, 44100)
  const parts = [0, 101, 350].map((from, i, all) =>
    onsetStrength(p.channels, 44100, undefined, { from, to: all[i + 1] ?? n }),
  )
  expect(joinOnsets(parts)).toEqual(whole)
})

it('a cancelled analysis stops at its next check', () => {
  let calls = 0
  const p = struck(9, 8, 44100, 1, 2)
  for (const share of [0.1, 0.5, 0.72, 0.9]) {
    calls = 0
    expect(() =>
      analyse(p.channels, 44100, [], (done) => {
        calls++
        if (done >= share) throw new Error('stop')
      }),
    ).toThrow('stop')
    expect(calls).toBeGreaterThan(0)
  }
})
