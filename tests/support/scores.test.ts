// The judges themselves, against figures computed with mir_eval 0.7 (Debian's python3-mir-eval) on the same numbers.
import { describe, expect, it } from 'vitest'
import { onsetScore } from './measure'
import { beatScore, keyScore, noteScore, pitchScore } from './scores'

const BEATS = [0.5, 1, 1.5, 2, 2.5, 3, 3.5, 4, 4.5, 5, 5.5, 6]

describe('beats (mir_eval.beat.continuity, f_measure)', () => {
  it.each([
    ['every other beat', BEATS.filter((_, i) => i % 2 === 0), 0, 1, 0.666667],
    ['off-beats', BEATS.map((t) => t + 0.25), 0, 0.916667, 0],
    ['one beat far off', [0.5, 1.02, 1.5, 2, 2.9, 3, 3.5, 4, 4.47, 5, 5.5, 6], 0.833333, 0.833333, 0.916667],
  ])('%s', (_, found, cmlt, amlt, f) => {
    const s = beatScore(BEATS, found)
    expect(s.cmlt).toBeCloseTo(cmlt, 5)
    expect(s.amlt).toBeCloseTo(amlt, 5)
    expect(onsetScore(BEATS, found, 0.07).f).toBeCloseTo(f, 5)
  })
})

it('keys (mir_eval.key.weighted_score)', () => {
  const c = { tonic: 0, mode: 'major' }
  const scores = [
    { tonic: 0, mode: 'major' },
    { tonic: 7, mode: 'major' },
    { tonic: 5, mode: 'major' },
    { tonic: 9, mode: 'minor' },
    { tonic: 0, mode: 'minor' },
    { tonic: 2, mode: 'major' },
  ].map((k) => keyScore(c, k))
  expect(scores).toEqual([1, 0.5, 0, 0.3, 0.2, 0])
  expect(keyScore({ tonic: 9, mode: 'minor' }, c)).toBe(0.3)
})

it('pitch: octaves count for chroma only, unvoiced estimates for nothing, NaN not at all', () => {
  const s = pitchScore([440, 440, 440, 0, 0, NaN], [440 * 2 ** (30 / 1200), 880, 0, 0, 100, 300])
  expect(s).toEqual({ voiced: 3, unvoiced: 2, within50: 1, within20: 0, chroma: 2, recall: 2, alarm: 1 })
})

it('notes: one to one, onset within 50 ms and pitch within 50 cents', () => {
  const truth = [
    { start: 1, midi: 60 },
    { start: 2, midi: 62 },
  ]
  const found = [
    { start: 1.04, midi: 60.1 },
    { start: 1.01, midi: 61 },
    { start: 2.06, midi: 62 },
  ]
  const s = noteScore(truth, found)
  expect(s.f).toBeCloseTo(2 / 5)
  expect(s.cents[0]).toBeCloseTo(10)
})
