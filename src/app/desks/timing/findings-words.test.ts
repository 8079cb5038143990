// Findings in words.
import { describe, expect, it } from 'vitest'
import type { Findings } from '../../../core/analysis/analyse'
import { keyWords, notesWords, regionWords, tempoEvidence, tempoWords } from './findings-words'

const tempo = (bpm: number, steady: boolean): Findings['tempo'] => ({
  bpm,
  confidence: 0.9,
  steady,
  candidates: [
    { bpm, score: 0.9, relation: 'chosen', evidence: ['The file name says 92.'] },
    { bpm: bpm / 2, score: 0.06, relation: 'half', evidence: [] },
    { bpm: 137, score: 0.01, relation: 'other', evidence: [] },
  ],
})
const meter = { beatsPerBar: 3, beatUnit: 4, confidence: 1 }

describe('findings in words', () => {
  it('tempo: steady, changing, none', () => {
    expect(tempoWords({ tempo: tempo(92, true), meter, beatOne: 0.5 })).toBe(
      '♩ = 92.00 throughout, 3/4, beat 1 at 0.500 s',
    )
    expect(tempoWords({ tempo: tempo(92.4, false), meter, beatOne: null })).toBe(
      '♩ = about 92, changing, 3/4',
    )
    expect(tempoWords({ tempo: tempo(0, false), meter, beatOne: null })).toBe('No beat was found.')
  })

  it('evidence, how sure, and the other candidates that matter', () =>
    expect(tempoEvidence({ meter, tempo: tempo(92, true) })).toBe(
      'The file name says 92. 90 % sure. Else 46.0 (half, 6\u00a0%).',
    ))

  it('key and tuning', () => {
    const keys = [{ tonic: 2, mode: 'minor' as const, confidence: 0.82 }]
    const tuned = (cents: number) => keyWords({ keys, tuning: { cents, confidence: 0.9 } })
    expect(tuned(-0.2)).toBe('D minor (82 %), tuned 0 cents from A 440')
    expect(tuned(-12)).toBe('D minor (82 %), tuned −12 cents from A 440')
    expect(keyWords({ keys: [], tuning: { cents: 0, confidence: 0 } })).toBe('Nothing tonal was found.')
  })

  it('notes only of a single line, regions only where they differ', () => {
    const figures = { attackShare: 0.5, singleLine: 0.9, density: 2, reasons: [] }
    const region = (start: number, suggested: 'hits' | 'line') => ({
      ...figures,
      suggested,
      start,
      end: start + 30,
    })
    const material = {
      ...figures,
      suggested: 'line' as const,
      regions: [region(0, 'hits'), region(65, 'line')],
    }
    expect(notesWords({ notes: [{} as never], material })).toBe('1 note of a single line.')
    expect(notesWords({ notes: [{} as never], material: { ...material, singleLine: 0.2 } })).toBe('')
    expect(regionWords({ material }, (m) => m)).toBe('From 0:00 hits. From 1:05 line.')
    expect(regionWords({ material: { ...material, regions: [region(0, 'hits')] } }, (m) => m)).toBe('')
  })
})
