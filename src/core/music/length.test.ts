// Lengths in bars, beats and ticks.
import { describe, expect, it } from 'vitest'
import { constantMeter } from './meter-map'
import { formatLength, parseLength } from './position'

const FOUR = constantMeter(4, 4)
const JIG = constantMeter(6, 8)

describe('lengths', () => {
  it('are bars, beats and ticks that count from nothing', () => {
    expect(formatLength(FOUR, 16)).toBe('4|0|000')
    expect(formatLength(FOUR, 17.5)).toBe('4|1|480')
    expect(formatLength(JIG, 3.5)).toBe('1|1|000')
  })

  it('are read as they are written', () => {
    for (const [meter, beats] of [
      [FOUR, 16],
      [FOUR, 17.5],
      [JIG, 10.25],
    ] as const)
      expect(parseLength(meter, formatLength(meter, beats))).toBeCloseTo(beats, 9)
    expect(parseLength(FOUR, '4')).toBe(16)
    expect(parseLength(JIG, ' 2 | 3 ')).toBe(7.5)
    for (const wrong of ['', 'four', '0|0|0', '-1', '1|2|3|4', '1.5e3'])
      expect(() => parseLength(FOUR, wrong), wrong).toThrow(/is no length/)
  })
})
