// Strings that ring into each other: each keeps the pitch that it was tuned to.
import { describe, expect, it } from 'vitest'
import { mainSource } from '../source'
import type { Note } from './notes'
import { tunedByPartials } from './partials'

const RATE = 44100
const hzOf = (midi: number): number => 440 * 2 ** ((midi - 69) / 12)

/** Plucked strings, one every half second, each ringing for seconds; `decay` to 1/e, negative for a swell. */
function strings(midis: readonly number[], decay: number): Float32Array {
  const x = new Float32Array((0.5 * midis.length + 0.5) * RATE)
  midis.forEach((midi, k) => {
    const at = Math.round((0.2 + 0.5 * k) * RATE)
    for (let i = at; i < x.length; i++) {
      const t = (i - at) / RATE
      const level = decay > 0 ? Math.exp(-t / decay) : Math.min(1, 0.3 + t) * Math.min(1, t / 0.02)
      for (let h = 1; h <= 10; h++)
        x[i]! += (0.08 / h) * level * Math.sin(2 * Math.PI * h * hzOf(midi) * t + h * h)
    }
  })
  return x
}

/** Notes as a line finds them that is pulled by `off` semitones towards the one before. */
const found = (midis: readonly number[], off: number): Note[] =>
  midis.map((midi, k) => ({
    start: 0.2 + 0.5 * k,
    end: 0.65 + 0.5 * k,
    midi: k ? midi + off * Math.sign(midis[k - 1]! - midi) : midi,
    confidence: 0.8,
    glideIn: 5,
    glideOut: 0,
    drift: 0,
    vibrato: { rate: 0, depth: 0 },
  }))

describe('notes tuned by their partials', () => {
  const midis = [64, 66.07, 64, 67.94, 66.07]

  it('have their own pitch to two cents while neighbours ring', () => {
    const notes = found(midis, 0.4)
    const tuned = tunedByPartials(notes, mainSource([strings(midis, 1.5)], RATE))
    tuned.forEach((n, k) => expect(100 * Math.abs(n.midi - midis[k]!)).toBeLessThan(2))
    // What is told from the centre moves with it.
    tuned.forEach((n, k) => expect(n.midi + n.glideIn / 100).toBeCloseTo(notes[k]!.midi + 0.05, 9))
  })

  it.each([
    ['nothing near rings', [52, 64, 76, 64], 1.5],
    ['the one before has died away', midis, 0.04],
    ['they swell instead of dying away', midis, -1],
  ])('stay as they were found where %s', (_, played, decay) => {
    const notes = found(played, 0.2)
    expect(tunedByPartials(notes, mainSource([strings(played, decay)], RATE))).toEqual(notes)
  })

  it('stay as they were found with vibrato', () => {
    const notes = found(midis, 0.4).map((n) => ({ ...n, vibrato: { rate: 5, depth: 30 } }))
    expect(tunedByPartials(notes, mainSource([strings(midis, 1.5)], RATE))).toEqual(notes)
  })
})
