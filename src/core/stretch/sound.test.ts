// What an ear would notice: attacks, joins, level, pitch.
import { describe, expect, it } from 'vitest'
import { db, rms } from '../../../tests/support/measure'
import { noise, sine, struck } from '../../../tests/support/signals'
import { crossfadeGains, crossfadeTo } from './joins'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH, type Fill, type StretchSettings } from './types'

const RATE = 44100
const settings = (over: Partial<StretchSettings>): StretchSettings => ({ ...DEFAULT_STRETCH, ...over })
const whole = (length: number, ratio: number) => [
  { source: 0, target: 0 },
  { source: length, target: Math.round(length * ratio) },
]

/** Frequency of a tone from the phase of its correlation with a complex exponential at two places. */
function measuredHz(x: Float32Array, near: number, from: number, to: number): number {
  const phase = (at: number): number => {
    let [re, im] = [0, 0]
    for (let i = 0; i < 4096; i++) {
      const w = 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / 4096)
      const p = (2 * Math.PI * near * (at + i)) / RATE
      re += w * x[at + i]! * Math.cos(p)
      im -= w * x[at + i]! * Math.sin(p)
    }
    return Math.atan2(im, re)
  }
  let turn = phase(to) - phase(from)
  turn -= 2 * Math.PI * Math.round(turn / (2 * Math.PI))
  return near + (turn * RATE) / (2 * Math.PI * (to - from))
}

describe('Hits', () => {
  it.each(['mirror', 'repeat', 'rest'] as Fill[])(
    'copies every attack sample for sample, filled by %s',
    (fill) => {
      const played = struck(11, 4, RATE, 1, 3)
      const x = played.channels[0]!
      for (const ratio of [0.7, 1.4]) {
        const out = stretchAudio(
          { channels: [x], sampleRate: RATE },
          whole(x.length, ratio),
          played.attacks,
          settings({ method: 'hits', fill }),
        )[0]!
        for (const a of played.attacks.slice(0, -1)) {
          const at = Math.round(a * ratio)
          // A sample to either side, since the map puts an attack on the nearest sample.
          const same = [-1, 0, 1].some((d) => x.subarray(a, a + 441).every((v, i) => out[at + d + i] === v))
          expect(same, `attack at ${a}`).toBe(true)
        }
      }
    },
  )

  it('a shorter tail is silent where the sound was cut', () => {
    const x = sine(200, 1, RATE)
    const out = stretchAudio(
      { channels: [x], sampleRate: RATE },
      whole(x.length, 1.2),
      [],
      settings({ method: 'hits', tail: 30 }),
    )[0]!
    expect(rms(out, Math.round(0.4 * RATE), Math.round(0.9 * RATE))).toBe(0)
    expect(rms(out, 0, Math.round(0.2 * RATE))).toBeCloseTo(rms(x, 0, Math.round(0.2 * RATE)), 4)
  })
})

describe('Chords', () => {
  it.each([0.75, 0.9, 1.25, 1.5])('keeps the pitch and the level of a steady tone at %s', (ratio) => {
    const x = sine(440, 3, RATE)
    const out = stretchAudio(
      { channels: [x], sampleRate: RATE },
      whole(x.length, ratio),
      [],
      settings({ method: 'chords' }),
    )[0]!
    const [from, to] = [Math.round(0.4 * RATE), out.length - Math.round(0.5 * RATE)]
    expect(1200 * Math.log2(measuredHz(out, 440, from, from + 8192) / 440)).toBeCloseTo(0, 0)
    expect(Math.abs(db(rms(out, from, to) / rms(x)))).toBeLessThan(0.2)
  })

  it('has no click where stretched and untouched audio meet', () => {
    const x = sine(330, 3, RATE)
    const map = [0, 1, 2, 3].map((s, i) => ({
      source: s * RATE,
      target: [0, RATE, Math.round(2.3 * RATE), Math.round(3.3 * RATE)][i]!,
    }))
    const out = stretchAudio({ channels: [x], sampleRate: RATE }, map, [], settings({ method: 'chords' }))[0]!
    // The steepest step of a sine is amplitude times angular frequency; a click would be many times that.
    const steepest = 0.5 * 2 * Math.sin((Math.PI * 330) / RATE)
    let top = 0
    for (let i = 1; i < out.length; i++) top = Math.max(top, Math.abs(out[i]! - out[i - 1]!))
    expect(top).toBeLessThan(1.25 * steepest)
  })
})

describe('crossfades', () => {
  it('keep the level of like and of unlike sounds (Fink, Holters & Zölzer, DAFx 2016)', () => {
    for (const r of [0, 0.5, 1])
      for (const x of [0.1, 0.37, 0.5, 0.9]) {
        const [a, b] = crossfadeGains(x, r)
        expect(a * a + b * b + 2 * a * b * r).toBeCloseTo(1, 9)
      }
    const [a, b] = [noise(0.2, RATE, 0.5, 1), noise(0.2, RATE, 0.5, 2)]
    const out = [Float32Array.from(a)]
    crossfadeTo(out, 0, a.length, [b], 0)
    for (let at = 0; at + 2000 <= a.length; at += 2000)
      expect(Math.abs(db(rms(out[0]!, at, at + 2000) / rms(a)))).toBeLessThan(0.7)
  })
})
