// Candidates: what lies a little before or after an attack does not hide it.
import { describe, expect, it } from 'vitest'
import { bandPiece } from '../../../bench/corpus/pieces'
import { defaultAttacks, measure } from './analyse'
import { findCandidates } from './candidates'
import type { OnsetStrength } from './onset-strength'

const FRAMES = 300

/** A curve that is flat but for triangles of three frames. @param peaks frames and heights */
function curveOf(peaks: readonly (readonly [frame: number, height: number])[]): Float32Array {
  const x = new Float32Array(FRAMES)
  for (const [frame, height] of peaks)
    for (const d of [-1, 0, 1]) x[frame + d] = Math.max(x[frame + d]!, d ? height / 2 : height)
  return x
}

const none: Float32Array = new Float32Array(FRAMES)

/** Frames and causes of all candidates. */
function found(flux: Float32Array, top = none, step = none): [number, string][] {
  const curve: OnsetStrength = {
    ...{ hop: 220, start: 0, offset: 0 },
    ...{ values: flux, regions: [flux, flux, flux, flux], complex: none, level: none, top: none },
  }
  return findCandidates(curve, step, none, top).map((c) => [c.frame, c.cause])
}

describe('of candidates at one place', () => {
  it('peaks of flux stay that are 30 ms apart, and of nearer ones the higher', () => {
    const both = (apart: number, first: number, second: number): [number, string][] =>
      found(curveOf([[100, first], [100 + apart, second]])) // prettier-ignore
    expect(both(6, 0.05, 0.6)).toEqual([[100, 'flux'], [106, 'flux']]) // prettier-ignore
    expect(both(6, 0.6, 0.05)).toEqual([[100, 'flux'], [106, 'flux']]) // prettier-ignore
    expect(both(4, 0.05, 0.6)).toEqual([[104, 'flux']])
    expect(both(4, 0.6, 0.05)).toEqual([[100, 'flux']])
  })

  it('flux comes before the top within 15 ms, and the top before a step within 30', () => {
    const flux = curveOf([[100, 0.03]])
    expect(found(flux, curveOf([[103, 2]]))).toEqual([[100, 'flux']])
    expect(found(flux, curveOf([[97, 2]]))).toEqual([[100, 'flux']])
    expect(found(flux, curveOf([[104, 2]]))).toEqual([[100, 'flux'], [104, 'top']]) // prettier-ignore
    expect(found(none, curveOf([[104, 2]]), curveOf([[110, 1]]))).toEqual([[104, 'top']])
    expect(found(none, curveOf([[104, 2]]), curveOf([[111, 1]]))).toEqual([[104, 'top'], [111, 'step']]) // prettier-ignore
  })
})

describe('a busy kit', () => {
  it('has nearly all of its strokes found, though hats begin a little after ripples of what rings', () => {
    const plan = { meter: '4/4', bpm: 104, feel: 'steady', bars: 4, bass: false, tune: null } as const
    const missed = [51, 61, 71].map((seed) => {
      const p = bandPiece('drums', { ...plan, groove: 'busy', chords: null }, seed)
      const places = defaultAttacks(measure(p.channels, p.sampleRate).transients, p.sampleRate)
      const isFound = (t: number): boolean => places.some(({ at }) => Math.abs(at / p.sampleRate - t) < 0.012)
      expect(p.onsets.length).toBeGreaterThan(50)
      return p.onsets.filter((t) => !isFound(t)).length
    })
    expect(missed.reduce((a, b) => a + b)).toBeLessThanOrEqual(4)
  })
})
