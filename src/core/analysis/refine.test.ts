// Where an attack begins: at its first string, and not at what a finger does before it.
import { describe, expect, it } from 'vitest'
import { addAt } from '../../../demo/instruments/room'
import { pluckString } from '../../../demo/instruments/string'
import { noise } from '../../../tests/support/signals'
import { randomFrom } from '../dsp/random'
import { attackStart } from './refine'

const RATE = 44100
const ms = (x: number): number => Math.round((x * RATE) / 1000)

/** A plucked string: six partials that die away, struck at a sample. */
function pluck(x: Float32Array, at: number, hz: number, gain: number): void {
  for (let i = at; i < x.length; i++) {
    const t = (i - at) / RATE
    for (let h = 1; h <= 6; h++)
      x[i]! += ((gain / h) * Math.exp(-(2 + h) * t) * Math.sin(2 * Math.PI * h * hz * t)) / 2
  }
}

describe('the start of an attack', () => {
  it.each([5, 9, 16])('of a growing strum over a ringing chord is its first string, %i ms apart', (apart) => {
    const x = new Float32Array(RATE)
    const strings = [50, 55, 59, 62]
    const string = (midi: number, level: number, at: number, seed: number): void =>
      addAt(
        x,
        pluckString({ midi, length: 0.4, level, bright: 0.7, position: 0.17, t60: 2.5 }, RATE, seed),
        at,
        1,
      )
    strings.forEach((midi, s) => string(midi + 2, 0.3, ms(50), s))
    const first = ms(600)
    strings.forEach((midi, s) => string(midi, 0.2 * 1.4 ** s, first + ms(s * apart), 10 + s))
    for (const off of [-6, 4, 14])
      expect(Math.abs(attackStart([x], first + ms(off), RATE).at - first)).toBeLessThan(ms(2))
  })

  it('is not the touch of a finger some 40 dB below the note that follows', () => {
    const note = ms(500)
    const x = new Float32Array(RATE)
    pluck(x, note, 55, 0.8)
    const touch = noise(3, RATE, 0.004, 1)
    for (let i = note - ms(20); i < note; i++) x[i]! += touch[i]!
    for (const off of [-12, 0, 8])
      expect(Math.abs(attackStart([x], note + ms(off), RATE).at - note)).toBeLessThan(ms(1.5))
  })

  it('keeps a grace note that is heard: 14 dB below, 36 ms before', () => {
    const note = ms(500)
    const x = new Float32Array(RATE)
    pluck(x, note - ms(36), 220, 0.16)
    pluck(x, note, 220, 0.8)
    expect(Math.abs(attackStart([x], note - ms(40), RATE).at - (note - ms(36)))).toBeLessThan(ms(1))
  })

  it('of a swell over ringing tones lies about its start, though no rise is sure', () => {
    const random = randomFrom(9)
    const start = ms(450)
    const errors = Array.from({ length: 60 }, () => {
      const x = new Float32Array(RATE)
      const tone = (hz: number, level: number, from: number, ramp: number): void => {
        const phase = 6.28 * random()
        for (let i = from; i < RATE; i++)
          x[i]! +=
            level * Math.min(1, (i - from) / ramp) ** 1.5 * Math.sin((2 * Math.PI * hz * i) / RATE + phase)
      }
      for (let ringing = 0; ringing < 3; ringing++) {
        const hz = 150 + 250 * random()
        for (let h = 1; h <= 6; h++) tone(h * hz, 0.05 / h, 0, 1)
      }
      const hz = 350 + 400 * random()
      for (let h = 1; h <= 8; h++) tone(h * hz, 0.2 / h, start, ms(50))
      const around = start + ms(16 * random() - 4)
      return Math.abs(attackStart([x], around, RATE).at - start)
    })
    // The likeliest rise alone is so near in 40 of 60.
    expect(errors.filter((e) => e <= ms(10)).length).toBeGreaterThanOrEqual(45)
  })
})
