// The note that a meter counts, as it is written in front of a tempo.
import { describe, expect, it } from 'vitest'
import { beatOf, tempoWith } from './beat-words'

describe('tempo with the note it counts', () => {
  it('has dotted notes in compound meters, the written one elsewhere', () => {
    expect(beatOf({ numerator: 4, denominator: 4 })).toEqual({ sign: '♩', name: 'quarter note', quarters: 1 })
    expect(beatOf({ numerator: 6, denominator: 8 })).toEqual({
      sign: '♩.',
      name: 'dotted quarter',
      quarters: 1.5,
    })
    expect(beatOf({ numerator: 6, denominator: 8, written: true }).sign).toBe('♪')
    expect(beatOf({ numerator: 12, denominator: 16 })).toMatchObject({ sign: '♪.', quarters: 0.75 })
    expect(beatOf({ numerator: 3, denominator: 8 }).name).toBe('eighth')
    expect(tempoWith({ numerator: 6, denominator: 8 }, 111.4967)).toBe('♩. = 111.5')
    expect(tempoWith({ numerator: 4, denominator: 4 }, 92)).toBe('♩ = 92')
  })
})
