// Words and figures of the Tempo desk.
import { describe, expect, it } from 'vitest'
import { constantMeter } from '../../../core/music/meter-map'
import { driftWords, lengthWords, parseLength, statedWords } from './tempo-words'

const FOUR = constantMeter(4, 4)
const JIG = constantMeter(6, 8)

describe('lengths', () => {
  it('are bars, beats and ticks that count from nothing', () => {
    expect(lengthWords(FOUR, 16)).toBe('4|0|000')
    expect(lengthWords(FOUR, 17.5)).toBe('4|1|480')
    expect(lengthWords(JIG, 3.5)).toBe('1|1|000')
  })

  it('are read as they are written', () => {
    for (const [meter, beats] of [
      [FOUR, 16],
      [FOUR, 17.5],
      [JIG, 10.25],
    ] as const)
      expect(parseLength(meter, lengthWords(meter, beats))).toBeCloseTo(beats, 9)
    expect(parseLength(FOUR, '4')).toBe(16)
    expect(parseLength(JIG, ' 2 | 3 ')).toBe(7.5)
    for (const wrong of ['', 'four', '0|0|0', '-1', '1|2|3|4', '1.5e3'])
      expect(parseLength(FOUR, wrong), wrong).toBeNull()
  })
})

describe('a stated tempo', () => {
  const named = (bpm: number) => [{ bpm, from: 'name' as const }]
  it('is set beside what is heard', () => {
    expect(statedWords(named(112.5), 112.6)).toMatch(/which agrees/)
    expect(statedWords(named(64.4), 128.8)).toMatch(/half or double/)
    expect(statedWords(named(120), 112.6)).toMatch(/does not bear out/)
    expect(statedWords([{ bpm: 98, from: 'tags' }], 98)).toMatch(/98 in the tags/)
    expect(statedWords(undefined, 100)).toBe('')
  })
})

it('drift is told by its middle and its worst', () => {
  const bar = (n: number, off: number) => ({ bar: n, source: 0, off, heard: 4 })
  expect(driftWords([bar(1, 0.004), bar(2, -0.048), bar(3, 0.012)])).toBe(
    'half within 12 ms; bar 2: 48 ms early',
  )
  expect(driftWords([bar(1, 4.7)])).toMatch(/4\.7 s late/)
  expect(driftWords([])).toBe('no beats yet')
})
