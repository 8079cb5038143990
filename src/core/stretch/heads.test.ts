import { describe, expect, it } from 'vitest'
import { noise, sine } from '../../../tests/support/signals'
import { attackLength } from './heads'

const RATE = 44100
const AT = 4410
const [LEAST, MOST] = [0.012, 0.03]

/** Silence with sounds in it that begin so many seconds after the place; how long the attack there lasts. */
function lengthOf(...sounds: readonly (readonly [after: number, sound: Float32Array])[]): number {
  const x = new Float32Array(RATE)
  for (const [after, sound] of sounds) {
    const from = AT + Math.round(after * RATE)
    for (let i = 0; i < sound.length && from + i < x.length; i++) x[from + i]! += sound[i]!
  }
  return attackLength({ channels: [x], sampleRate: RATE }, AT, LEAST, MOST)
}

const dying = (x: Float32Array, seconds: number): Float32Array =>
  x.map((v, i) => v * Math.exp(-i / (seconds * RATE)))
const hat = dying(noise(0.1, RATE), 0.004)
const string = (hz: number, level = 0.2): Float32Array => dying(sine(hz, 0.3, RATE, level), 0.2)
/** Falls from 200 to 45 Hz within a few periods. */
const drum = new Float32Array(0.2 * RATE).map((_, i) => {
  const t = i / RATE
  return 0.6 * Math.exp(-t / 0.05) * Math.sin(2 * Math.PI * (45 * t + 155 * 0.03 * (1 - Math.exp(-t / 0.03))))
})

describe('an attack', () => {
  it('of one stroke lasts no longer than it must', () => {
    expect(lengthOf([0, hat])).toBe(LEAST)
    expect(lengthOf([0, string(660)])).toBe(LEAST)
  })

  it('lasts until the last stroke of a flam, and ten milliseconds', () => {
    for (const after of [0.006, 0.01, 0.016]) {
      const length = lengthOf([0, hat.map((v) => v / 3)], [after, hat])
      expect(Math.abs(length - after - 0.011)).toBeLessThan(0.0011)
    }
    expect(lengthOf([0, hat.map((v) => v / 3)], [0.031, hat])).toBe(LEAST)
  })

  it('that swells lasts as long as it may', () => {
    const rising = noise(0.2, RATE).map((v, i) => (v * i) / RATE)
    expect(lengthOf([0, rising])).toBe(MOST)
  })

  it('of a low drum or string lasts for four periods', () => {
    expect(lengthOf([0, drum])).toBeGreaterThan(0.024)
    const low = lengthOf([0, string(200)])
    expect(Math.abs(low - 4 / 200)).toBeLessThan(0.0015)
    // Not when most of it is a hat.
    expect(lengthOf([0, drum.map((v) => v / 20)], [0, hat])).toBe(LEAST)
    // But under a soft one, which is steeper by far.
    expect(lengthOf([0, drum], [0, hat.map((v) => v / 8)])).toBeGreaterThan(0.024)
  })

  it('is told alike at any rate, level and by any number of channels', () => {
    const x = new Float32Array(RATE)
    x.set(string(200), AT)
    const one = attackLength({ channels: [x], sampleRate: RATE }, AT, LEAST, MOST)
    const soft = x.map((v) => v / 1024)
    expect(attackLength({ channels: [soft, soft], sampleRate: RATE }, AT, LEAST, MOST)).toBeCloseTo(one, 6)
    const half = x.filter((_, i) => i % 2 === 0)
    const other = attackLength({ channels: [half], sampleRate: RATE / 2 }, AT / 2, LEAST, MOST)
    expect(Math.abs(other - one)).toBeLessThan(0.001)
  })

  it('of nothing, or at the end of a recording, is the least', () => {
    expect(lengthOf()).toBe(LEAST)
    const tick = new Float32Array(100)
    tick[99] = 1
    expect(attackLength({ channels: [tick], sampleRate: RATE }, 99, LEAST, MOST)).toBe(LEAST)
  })
})
