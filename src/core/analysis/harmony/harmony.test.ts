// Harmony: chroma, tuning and key on tones that are known.
import { describe, expect, it } from 'vitest'
import { struckLine } from '../../../../bench/corpus/line'
import { addPartials } from '../../../../bench/corpus/partials'
import { noteScore } from '../../../../tests/support/scores'
import { notesOf, TUNES } from '../../../../tests/support/tunes'
import { analyse } from '../analyse'
import { mainSource } from '../source'
import { chroma, chromaBetween } from './chroma'
import { findKeys } from './key'

const RATE = 44100

/** Chords of harmonic tones, a second each. @param detune cents */
function chordsOf(chords: readonly (readonly number[])[], detune = 0): Float32Array {
  const x = new Float32Array(chords.length * RATE)
  chords.forEach((notes, c) => {
    const partials = notes.flatMap((m) => {
      const hz = 440 * 2 ** ((m - 69 + detune / 100) / 12)
      return [1, 2, 3, 4, 5].map((h) => ({ hz: h * hz, amplitude: 0.1 / h, phase: m, decay: Infinity }))
    })
    const chord = x.subarray(c * RATE, (c + 1) * RATE)
    addPartials(chord, 0, RATE, partials, RATE)
    for (let i = 0; i < 400; i++) {
      chord[i]! *= i / 400
      chord[RATE - 1 - i]! *= (i + 1) / 400
    }
  })
  return x
}
const made = (chords: readonly (readonly number[])[], detune = 0) =>
  chroma(mainSource([chordsOf(chords, detune)], RATE))

describe('chroma', () => {
  it('shows the notes of a chord above all others', () => {
    const c = made([[60, 64, 67]])
    const v = chromaBetween(c, c.values, 0.3, 0.7)
    const order = [...v.keys()].sort((a, b) => v[b]! - v[a]!)
    expect(order.slice(0, 3).sort((a, b) => a - b)).toEqual([0, 4, 7])
  })

  it.each([-35, -10, 0, 20, 42])('tuning of %i cents is found to 2', (cents) => {
    const { tuning } = made(
      [
        [48, 55, 64],
        [53, 57, 60],
        [50, 57, 65],
      ],
      cents,
    )
    expect(Math.abs(tuning.cents - cents)).toBeLessThan(2)
    expect(tuning.confidence).toBeGreaterThan(0.6)
  })

  it('silence has neither', () => {
    const c = chroma(mainSource([new Float32Array(RATE)], RATE))
    expect(findKeys(c)).toEqual([])
    expect(c.tuning.confidence).toBe(0)
  })
})

describe('key', () => {
  /** I IV V I (harmonic minor: i iv V i), the cadence that defines a key in any textbook of harmony. */
  const cadence = (tonic: number, minor: boolean): number[][] => {
    const third = minor ? 3 : 4
    const t = 48 + tonic
    return [
      [t, t + third, t + 7],
      [t + 5, t + 5 + third, t + 12],
      [t + 7, t + 11, t + 14],
      [t, t + third, t + 7, t + 12],
    ]
  }

  it('the cadence of every key is in that key, with the right mode', () => {
    for (const minor of [false, true])
      for (let tonic = 0; tonic < 12; tonic++) {
        const [first, second] = findKeys(made(cadence(tonic, minor)))
        expect([first!.tonic, first!.mode]).toEqual([tonic, minor ? 'minor' : 'major'])
        expect(first!.confidence).toBeGreaterThan(second!.confidence)
      }
  })

  it('the notes of a line say more than the overtones that sound with them', () => {
    const steps = { major: [0, 4, 2, 4, 5, 7, 5, 4, 2, 0], minor: [0, 3, 2, 3, 5, 7, 5, 3, 2, 0] }
    for (const mode of ['major', 'minor'] as const)
      for (let tonic = 0; tonic < 12; tonic++) {
        const notes = steps[mode].map((step, i) => ({
          start: i / 2,
          end: (i + 1) / 2,
          midi: 60 + tonic + step,
        }))
        // Third partials make the line sound a fifth higher.
        const higher = made(cadence((tonic + 7) % 12, mode === 'minor'))
        expect(findKeys(higher)[0]!.tonic).toBe((tonic + 7) % 12)
        expect(findKeys(higher, notes)[0]).toMatchObject({ tonic, mode })
      }
  })

  it('all 24 are ranked, and their confidences sum to 1', () => {
    const keys = findKeys(made(cadence(2, true)))
    expect(keys.length).toBe(24)
    expect(keys.reduce((s, k) => s + k.confidence, 0)).toBeCloseTo(1, 9)
  })
})

describe('tunes without chords', () => {
  it.each(TUNES.map((t) => [t.name, t] as const))('%s has its notes and its key', (_, tune) => {
    const score = notesOf(tune)
    const seconds = score[score.length - 1]!.end + 0.5
    const play = struckLine(score, 'string', seconds, RATE, 3)
    const f = analyse([play.sound], RATE, [])
    expect(f.keys[0]).toMatchObject(tune.key)
    expect(noteScore(play.notes, f.notes).f).toBeGreaterThan(0.96)
  })
})
