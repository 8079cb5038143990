// Wide vibrato is one note; a trill is two.
import { describe, expect, it } from 'vitest'
import { voice } from '../../../../tests/support/voice'
import { conclude, measure } from '../analyse'
import { semitonesOver } from '../../units'
import { withoutVibrato } from './vibrato'

const RATE = 44100
const HOP = 0.0058
const midiOf = (hz: number): number => 69 + semitonesOver(hz, 440)
const line = (seconds: number, semitones: (t: number) => number): Float32Array =>
  Float32Array.from({ length: Math.round(seconds / HOP) }, (_, i) => 220 * 2 ** (semitones(i * HOP) / 12))
const apart = (a: Float32Array, b: Float32Array): number =>
  Math.max(...a.map((v, i) => Math.abs(12 * Math.log2(v / b[i]!))))

describe('a pitch line without its vibrato', () => {
  it.each([
    [0.7, 6],
    [1.2, 5.5],
    [2, 4.6],
  ])('is its slow course: %d semitones at %d a second', (depth, rate) => {
    const course = (t: number): number => 0.5 * t
    const y = withoutVibrato(
      line(1, (t) => course(t) + depth * Math.sin(2 * Math.PI * rate * t + 1)),
      HOP,
    )
    expect(apart(y, line(1, course))).toBeLessThan(0.12 * depth)
  })

  it('is the line itself where it swings little, slowly, leaps or is lost', () => {
    const steps = (t: number): number => (Math.floor(12 * t) % 2 ? 2 : 0)
    for (const of of [
      (t: number) => 0.4 * Math.sin(2 * Math.PI * 5.5 * t),
      (t: number) => 2 * Math.sin(2 * Math.PI * 1.5 * t),
      steps,
      (t: number) => 2 * t,
    ]) {
      const x = line(1, of)
      expect(withoutVibrato(x, HOP)).toEqual(x)
    }
    const broken = line(1, (t) => Math.sin(2 * Math.PI * 5.5 * t)).map((v, i) => (i % 40 ? v : 0))
    expect(withoutVibrato(broken, HOP)).toEqual(broken)
  })
})

/** A tone of six partials whose pitch is some semitones above `hz`. */
function tone(hz: number, seconds: number, semitones: (t: number) => number): Float32Array {
  let phase = 0
  return Float32Array.from({ length: seconds * RATE }, (_, i) => {
    const t = i / RATE
    phase += (2 * Math.PI * hz * 2 ** (semitones(t) / 12)) / RATE
    let sum = 0
    for (let k = 1; k <= 6; k++) sum += (0.3 * Math.sin(k * phase)) / k
    return sum * Math.min(1, t / 0.05, (seconds - t) / 0.05)
  })
}
const notesOf = (x: Float32Array) => conclude([x], RATE, measure([x], RATE)).notes

describe('notes', () => {
  it.each([
    [75, 80],
    [110, 80],
    [150, 120],
    [220, 120],
  ])(
    'of a voice of %d Hz ± %d cents are as many as its vowels, with their pitch and vibrato',
    (hz, depth) => {
      const { channels, vowels } = voice(hz, 1, depth, 0.8)
      const notes = notesOf(channels[0]!)
      expect(notes).toHaveLength(vowels.length)
      for (const { midi, vibrato } of notes) {
        expect(Math.abs(midi - midiOf(hz))).toBeLessThan(0.07)
        expect(Math.abs(vibrato.rate - 5.5)).toBeLessThan(0.2)
        expect(Math.abs(vibrato.depth / depth - 1)).toBeLessThan(0.1)
      }
    },
  )

  it.each([220, 880])('of a trill of two semitones at %d Hz stay two in turn', (hz) => {
    const rate = 6
    const glide = 0.02 * rate
    const notes = notesOf(
      tone(hz, 2, (t) => {
        const turn = (t * rate) % 1
        return 2 * (turn < 0.5 ? Math.min(1, turn / glide) : Math.max(0, 1 - (turn - 0.5) / glide))
      }),
    )
    expect(notes.length).toBeGreaterThan(20)
    const upper = notes.filter(({ midi }) => midi > midiOf(hz) + 1).length
    expect(Math.abs(upper - notes.length / 2)).toBeLessThanOrEqual(1)
  })
})
