// What the Timing desk derives: reach, notes with their places, distances from the grid.
import { describe, expect, it } from 'vitest'
import { newSession, newTrack } from '../../../core/session/create'
import { addTrack } from '../../../core/session/edits'
import { moveNote } from '../../../core/session/pin-edits'
import { deleteTicks, moveTick } from '../../../core/session/tick-edits'
import type { Recording } from '../../../core/session/types'
import { beats, samples, type Samples } from '../../../core/units'
import { stretchColor, segmentsOf, stretchStrength } from '../../stage/stretch-color'
import { layoutOf } from './layout'
import { clipView, gridDeviation, nearestNote } from './notes'
import { holdsOf, reachOf } from './reach'

const at = (...seconds: number[]): Samples[] => seconds.map((s) => samples(s * 48000))
const [s1, s2, s3, s4] = at(1, 2, 3, 4) as [Samples, Samples, Samples, Samples]

describe('reach', () => {
  const notes = [s1, s2, s3, s4]
  it('goes to the neighbouring transients, pinned or not', () => {
    expect(reachOf('neighbours', s2, notes, [], null)).toEqual({ before: s1, after: s3 })
    expect(reachOf('neighbours', s1, notes, [], null)).toEqual({ before: undefined, after: s2 })
    expect(reachOf('neighbours', s2, notes, at(2.5), null)).toEqual({ before: s1, after: at(2.5)[0] })
  })
  it('goes to the next pins, or the clip’s ends', () => {
    expect(reachOf('pins', s2, notes, [s4], null)).toEqual({ before: undefined, after: s4 })
    expect(holdsOf(reachOf('pins', s2, notes, [], null))).toEqual([])
  })
  it('goes to the range, but never past a pin, and is the neighbours’ outside the range', () => {
    const range = { from: at(0.5)[0]!, to: at(3.5)[0]! }
    expect(reachOf('range', s2, notes, [], range)).toEqual({ before: range.from, after: range.to })
    expect(reachOf('range', s2, notes, [s1], range)).toEqual({ before: s1, after: range.to })
    expect(reachOf('range', s4, notes, [], range)).toEqual({ before: s3, after: undefined })
  })
})

describe('notes', () => {
  const recording: Recording = {
    id: 'r',
    name: 'r',
    sampleRate: 48000,
    channels: 1,
    length: samples(5 * 48000),
    coding: '',
  }
  // The session runs at 44.1 kHz, the recording at 48 kHz.
  const session = addTrack(
    addTrack(
      newSession('s', 's', 44100),
      { ...recording, id: 'x', sampleRate: 44100 },
      newTrack('x', { ...recording, id: 'x' }),
    ),
    recording,
    newTrack('t', recording, beats(2)),
  )
  const candidates = [s1, s2, s3].map((p) => ({ at: p, strength: 0.8 }))

  it('sound where the clip puts them, in seconds of the session', () => {
    const v = clipView(session, 't-1', candidates)!
    expect(session.sampleRate).toBe(44100)
    v.notes.forEach((n, i) => {
      expect(n.played).toBeCloseTo(i + 2, 4)
      expect(n.placed).toBeCloseTo(i + 2, 4)
    })
  })

  it('show pins and corrections', () => {
    const moved = moveNote(session, 't-1', s2, beats(6.2), [s1, s3])
    const v = clipView(moved, 't-1', candidates)!
    expect(v.notes.map((n) => n.pin)).toEqual(['hand', 'hand', 'hand'])
    expect(v.notes[1]!.placed).toBeCloseTo(3.1, 4)
    expect(v.notes[1]!.played).toBeCloseTo(3, 4)
    const corrected = clipView(
      deleteTicks(moveTick(session, 't-1', s2, at(2.1)[0]!), 't-1', [s3]),
      't-1',
      candidates,
    )!
    expect(corrected.notes.map((n) => [n.tick.origin, n.tick.muted])).toEqual([
      ['found', false],
      ['moved', false],
      ['found', true],
    ])
    expect(nearestNote(corrected.notes, 3.12, 'played', 0.05)).toBe(1)
    expect(nearestNote(corrected.notes, 3.2, 'played', 0.05)).toBe(-1)
  })

  it('are flagged where they are struck twice, with the time of the second stroke', () => {
    const flam = [{ ...candidates[0]!, parts: at(1.025) }, ...candidates.slice(1)]
    const v = clipView(session, 't-1', flam)!
    expect(v.notes.map((n) => n.nearDouble)).toEqual([true, false, false])
    expect(v.notes.map((n) => n.later.length)).toEqual([1, 0, 0])
    expect(v.notes[0]!.later[0]! - v.notes[0]!.played).toBeCloseTo(0.025, 4)
  })

  it('tell how far they are from the grid', () => {
    const { line, ms } = gridDeviation(session, { division: 8, kind: 'straight', swing: 0 }, 1.02)
    expect(line).toBe(2)
    expect(ms).toBeCloseTo(20, 6)
  })
})

describe('stretch colours', () => {
  const c = { squeezed: '#111111', stretched: '#222222' }
  it('mean something: teal squeezed, orange stretched, nothing when nothing is stretched', () => {
    expect(stretchColor(1, c)).toBeNull()
    expect(stretchColor(0.8, c)).toMatch(/^#111111/)
    expect(stretchColor(1.2, c)).toMatch(/^#222222/)
    expect(stretchStrength(1.5)).toBeGreaterThan(stretchStrength(1.1))
    expect(stretchStrength(0.5)).toBeCloseTo(stretchStrength(2), 9)
  })
  it('belong to segments of the map', () => {
    const [a] = segmentsOf(
      [
        { source: 0, target: 44100 },
        { source: 44100, target: 132300 },
      ],
      44100,
    )
    expect(a).toMatchObject({ from: 1, to: 3, ratio: 2 })
  })
})

it('the stage’s bands lie on each other without gaps', () => {
  const l = layoutOf(600)
  expect([l.ruler.bottom, l.played.bottom, l.ties.bottom, l.placed.bottom]).toEqual([
    l.played.top,
    l.ties.top,
    l.placed.top,
    600,
  ])
})
