// Hits: the level of tails that are filled or shortened follows the map.
import { describe, expect, it } from 'vitest'
import { db, median, rms, secondDifference } from '../../../tests/support/measure'
import { noise } from '../../../tests/support/signals'
import { peak } from '../dsp/energy'
import { levelCourse } from './course'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH } from './types'

const RATE = 44100
const GAP = 0.3
const COUNT = 8

/** Bursts of noise that die away by 30 dB until the next, or by more, over a quiet room. @param more dB a second */
function bursts(more = 0): { channels: Float32Array[]; attacks: number[] } {
  const hiss = noise(0.2 + COUNT * GAP, RATE, 0.5, 9)
  const attacks = Array.from({ length: COUNT }, (_, k) => Math.round((0.1 + k * GAP) * RATE))
  const x = hiss.map((v, i) => {
    const last = attacks.filter((a) => a <= i).at(-1)
    return v * (0.004 + (last === undefined ? 0 : 10 ** ((-(30 / GAP + more) / 20) * ((i - last) / RATE))))
  })
  return { channels: [x], attacks }
}

describe('tails with Hits', () => {
  const { channels, attacks } = bursts()
  const x = channels[0]!
  const render = (
    ratio: number,
    fill: 'mirror' | 'repeat' = 'mirror',
    of = { channels, attacks },
  ): Float32Array =>
    stretchAudio(
      { channels: of.channels, sampleRate: RATE },
      [
        { source: 0, target: 0 },
        { source: x.length, target: Math.round(ratio * x.length) },
      ],
      of.attacks,
      { ...DEFAULT_STRETCH, method: 'hits', fill },
    )[0]!

  it.each([
    [0.5, 'mirror'],
    [0.75, 'mirror'],
    [1.5, 'mirror'],
    [2, 'mirror'],
    [2, 'repeat'],
  ] as const)(
    'at %f by %s have their own level before the next attack, neither more nor less',
    (ratio, fill) => {
      const y = render(ratio, fill)
      const n = Math.round(0.02 * RATE)
      const rises = attacks.slice(1).map((a) => {
        const at = Math.round(a * ratio)
        return db(rms(y, at - n, at) / rms(x, a - n, a))
      })
      expect(Math.abs(median(rises))).toBeLessThan(0.5)
    },
  )

  it.each([
    [0.5, 'mirror'],
    [1.5, 'repeat'],
    [2, 'mirror'],
  ] as const)('at %f by %s are as loud in their middle as where the map takes it from', (ratio, fill) => {
    const y = render(ratio, fill)
    const n = Math.round(0.01 * RATE)
    const off = attacks.slice(0, -1).map((a) => {
      const [from, to] = [a + Math.round(0.55 * GAP * RATE), Math.round((a + 0.55 * GAP * RATE) * ratio)]
      return db(rms(y, to - n, to + n) / rms(x, from - n, from + n))
    })
    expect(Math.abs(median(off))).toBeLessThan(1)
  })

  it.each([
    [60, 1.25],
    [60, 1.5],
    [90, 1.25],
    [90, 1.5],
    [90, 2],
  ])('keep the power of strokes that die away by %f dB a second more than these at %f', (more, ratio) => {
    const tight = bursts(more)
    const y = render(ratio, 'mirror', tight)
    expect(Math.abs(db(rms(y, 0, y.length) / rms(tight.channels[0]!, 0, x.length)))).toBeLessThan(0.2)
  })

  it.each([0.6, 1.25, 1.5, 2])('do not raise a click that is not marked, at %f', (ratio) => {
    const loudest = (y: Float32Array): number => y.reduce((m, v) => Math.max(m, Math.abs(v)), 0)
    const clicks = bursts(60)
    const one = clicks.channels[0]!
    const most = loudest(one)
    for (const a of clicks.attacks) {
      const at = a + Math.round(0.15 * RATE)
      for (let i = at; i < at + 30; i++) one[i] = i % 2 === 0 ? most : -most
    }
    const y = render(ratio, 'mirror', clicks)
    expect(db(loudest(y) / most)).toBeLessThan(0.01)
  })

  it.each([45, 60, 80, 110])('turn without a corner: a drum of %d Hz', (hz) => {
    const drum = x.map((_, i) => {
      const t = (i - (attacks.filter((a) => a <= i).at(-1) ?? Infinity)) / RATE
      return t >= 0 ? Math.sin(2 * Math.PI * hz * t) * Math.exp(-6 * t) : 0
    })
    const of = { channels: [drum, drum.map((v) => 0.4 * v)], attacks }
    for (const ratio of [1.1, 1.5, 2]) {
      const y = render(ratio, 'mirror', of)
      const bent = secondDifference(y)
      const after = 0.012 * RATE
      const corners = attacks.slice(0, -1).map((a, k) => {
        const [from, to] = [Math.round(a * ratio + after), Math.round(attacks[k + 1]! * ratio - after)]
        return db(peak(bent, from, to))
      })
      expect(Math.max(...corners), `${ratio}`).toBeLessThan(-60)
    }
  })

  it.each([0.75, 1.25, 1.5, 2])(
    'have a stroke in them that nobody marked sound as it is, once and on time, at %f',
    (ratio) => {
      const left = attacks[4]!
      const y = render(ratio, 'mirror', { channels, attacks: attacks.filter((a) => a !== left) })
      const [ms, begin] = [RATE / 1000, x.subarray(left, left + Math.round(0.01 * RATE))]
      const same = Array.from({ length: y.length - begin.length }, (_, at) => at).filter((at) =>
        begin.every((v, i) => v === y[at + i]),
      )
      expect(same).toHaveLength(1)
      expect(Math.abs(same[0]! - left * ratio) / ms).toBeLessThan(2)
    },
  )

  it.each([1.25, 2])('do not raise a room that could not make up for the stroke, at %f', (ratio) => {
    const dry = bursts(500)
    const y = render(ratio, 'mirror', dry)
    const n = Math.round(0.05 * RATE)
    const off = dry.attacks.slice(0, -1).map((a) => {
      const [from, to] = [a + Math.round(0.5 * GAP * RATE), Math.round((a + 0.5 * GAP * RATE) * ratio)]
      return db(rms(y, to - n, to + n) / rms(dry.channels[0]!, from - n, from + n))
    })
    expect(Math.abs(median(off))).toBeLessThan(0.5)
  })

  it.each([0.8, 1.25, 1.5, 2])('at %f by mirror the strokes keep their power', (ratio) => {
    const y = render(ratio, 'mirror')
    expect(Math.abs(db(rms(y, 0, y.length) / rms(x, 0, x.length)))).toBeLessThan(0.2)
  })

  it('levels are those of the recording, smooth, and go on at the ends', () => {
    const decay = Float32Array.from({ length: RATE }, (_, i) => (i % 2 ? 1 : -1) * Math.exp((-6 * i) / RATE))
    const level = levelCourse({ sampleRate: RATE, channels: [decay, decay] }, 0, RATE)
    for (const t of [0.1, 0.33, 0.8]) expect(level(t * RATE)).toBeCloseTo(-6 * t + 0.5 * Math.log(2), 1)
    expect(level(-500)).toBe(level(0))
    expect(level(2 * RATE)).toBe(level(RATE))
  })
})
