// Words and figures of the Tempo desk.
import { describe, expect, it } from 'vitest'
import { driftWords, statedWords } from './tempo-words'

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
