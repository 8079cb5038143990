// The important figures on recordings that nothing was fitted on; `npm run bench analysis` has them all.
import { beforeAll, describe, expect, it } from 'vitest'
import { judge, onsetsOf, ours, Table } from '../../../bench/analysis'
import { bandsFrom, linesFrom } from '../../../bench/corpus/corpus'
import { bandPiece } from '../../../bench/corpus/pieces'
import { solosFrom } from '../../../bench/corpus/songs'

/** A seed of its own: neither fitted on nor reported on. */
const SEED = 424242

describe('on a small corpus of its own', () => {
  const t = new Table()
  beforeAll(() => {
    // One recording of each voice (clean, room, noise by turns), and every fourth band and loop.
    const lines = linesFrom(SEED).filter((_, i) => i % 5 === 1)
    const bands = bandsFrom(SEED).filter((_, i) => i % 4 === 0)
    for (const make of [...lines, ...bands]) {
      const p = make()
      judge(p, ours(p), t)
    }
    // Soft hi-hats in the ring of a snare show in the highest frequencies only.
    const plan = { meter: '4/4', groove: 'busy', bpm: 104, feel: 'steady', bars: 4 } as const
    for (const k of [1, 2, 3]) {
      const p = bandPiece('busy', { ...plan, chords: null, bass: false, tune: null }, SEED + k)
      judge(p, { onsets: onsetsOf(p) }, t)
    }
  }, 120_000)

  // Margins: a handful of recordings scatter by some hundredths about the figures of the whole corpus.
  it.each([
    ['transients drums: F ±50 ms', 0.97],
    ['transients drums: F ±10 ms', 0.96],
    ['transients plucked: F ±50 ms', 0.96],
    ['transients plucked: F ±10 ms', 0.94],
    ['transients mix: F ±50 ms', 0.9],
    ['transients soft: F ±50 ms', 0.84],
    ['transients sung: F ±50 ms', 0.82],
    ['pitch: within 50 cents', 0.965],
    ['pitch: within 20 cents', 0.95],
    ['pitch: chroma', 0.97],
    ['pitch: voicing recall', 0.97],
    ['notes plucked: F', 0.92],
    ['notes soft: F', 0.85],
    ['beats: F', 0.88],
    ['beats: CMLt', 0.8],
    ['beats: AMLt', 0.88],
    ['downbeats: F', 0.78],
    ['beats a bar', 0.8],
    ['tempo pieces: accuracy 1', 0.85],
    ['tempo: steady or changing', 0.9],
    ['key of harmony', 0.8],
  ])('%s is at least %f', (name, least) => expect(t.get(name)).toBeGreaterThanOrEqual(least))
})

describe('on songs for one instrument', () => {
  const t = new Table()
  beforeAll(() => {
    for (const make of solosFrom(SEED)) {
      const p = make()
      judge(p, ours(p), t)
    }
  }, 60_000)

  it.each([
    ['key of lines', 0.55],
    ['beats: F', 0.9],
    ['downbeats: F', 0.85],
    // One of eight may be wrong.
    ['beats a bar', 0.87],
    ['notes plucked: F', 0.96],
    ['notes soft: F', 0.96],
  ])('%s is at least %f', (name, least) => expect(t.get(name)).toBeGreaterThanOrEqual(least))
})
