// Lengths in bars, beats and ticks.
import { describe, expect, it } from 'vitest'
import { constantMeter } from './meter-map'
import { formatLength, parseLength } from './position'

const FOUR = constantMeter(4, 4)
const JIG = constantMeter(6, 8)

describe('lengths', () => {
  it('are bars, beats and ticks that count from nothing', () => {
    expect(formatLength(FOUR, 16)).toBe('4 bars exactly')
    expect(formatLength(FOUR, 17.5)).toBe('4 bars 1 beat 480 ticks')
    expect(formatLength(JIG, 3.5)).toBe('1 bar 480 ticks')
    expect(formatLength(FOUR, 15 + 239 / 960)).toBe('3 bars 3 beats 239 ticks')
    expect(formatLength(JIG, 4.5)).toBe('1 bar 1 beat')
    expect(formatLength(FOUR, 0.25)).toBe('240 ticks')
    expect(formatLength(FOUR, 0)).toBe('0 ticks')
  })

  it('are read as they are written', () => {
    for (const [meter, beats] of [
      [FOUR, 16],
      [FOUR, 17.5],
      [JIG, 10.25],
    ] as const)
      expect(parseLength(meter, formatLength(meter, beats))).toBeCloseTo(beats, 9)
    expect(parseLength(FOUR, '4')).toBe(16)
    expect(parseLength(JIG, ' 2 . 1 ')).toBe(7.5)
    expect(parseLength(FOUR, '4 bars')).toBe(16)
    expect(parseLength(FOUR, '1  Bar 2 beats')).toBe(6)
    expect(parseLength(FOUR, '3.2.0')).toBe(14)
    for (const wrong of ['', 'four', '0.0.0', '-1', '1.2.3.4', 'bars', '0 bars', '1.5e3'])
      expect(() => parseLength(FOUR, wrong), wrong).toThrow(/is no length/)
  })
})
