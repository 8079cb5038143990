// The document: edits, history, schema.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { barAt } from '../music/meter-map'
import { clipMap } from '../timing/clip-map'
import { toTarget } from '../timing/time-map'
import { beats, cents, samples } from '../units'
import { newSession, newTrack } from './create'
import {
  addTrack,
  removeTrack,
  renameTrack,
  setMeter,
  setMethod,
  setMute,
  setTempo,
  setTrackGain,
  transpose,
} from './edits'
import { audibleTracks, findClip, linkedClips, mapContext } from './find'
import { newHistory, perform, redo, undo, type History } from './history'
import { moveNote, placeNotes, placeOf, removePin, resetPins } from './pin-edits'
import { parseSession } from './schema'
import { addTick, deleteTicks, moveTick, muteTicks, resetTicks, setDetection } from './tick-edits'
import type { Recording, Session } from './types'

const RATE = 44100
const recording = (id: string, seconds = 8): Recording => ({
  id,
  name: `${id}.wav`,
  sampleRate: RATE,
  channels: 1,
  length: samples(seconds * RATE),
  coding: '24-bit',
})
const one = (): Session => {
  const r = recording('r1')
  return addTrack(newSession('s', 'Test', RATE), r, newTrack('t1', r))
}
const two = (linkGroup: string | null = null): Session => {
  const r = recording('r2')
  const s = addTrack(one(), r, newTrack('t2', r))
  return { ...s, tracks: s.tracks.map((t) => ({ ...t, linkGroup })) }
}
const at = (second: number) => samples(second * RATE)
const clipOf = (s: Session, id = 't1-1') => findClip(s, id)!.clip
const placeIn = (s: Session, second: number): number => {
  const f = findClip(s, 't1-1')!
  return toTarget(clipMap(f.clip, mapContext(s, f.recording)), at(second))
}

/** A random edit, as a function of the session. */
const anyEdit: fc.Arbitrary<(s: Session) => Session> = fc.oneof(
  fc.double({ min: 20, max: 300, noNaN: true }).map((bpm) => (s: Session) => setTempo(s, bpm)),
  fc.integer({ min: 1, max: 12 }).map((n) => (s: Session) => setMeter(s, n, 4)),
  fc.boolean().map((m) => (s: Session) => setMute(s, 't1', m)),
  fc.double({ min: -20, max: 6, noNaN: true }).map((g) => (s: Session) => setTrackGain(s, 't1', g)),
  fc
    .integer({ min: 0, max: 100 })
    .map((tail) => (s: Session) => setMethod(s, 't1', { method: 'hits', tail })),
  fc
    .tuple(fc.double({ min: 0.2, max: 7.8, noNaN: true }), fc.double({ min: -0.2, max: 0.2, noNaN: true }))
    .map(
      ([t, d]) =>
        (s: Session) =>
          moveNote(s, 't1-1', at(t), beats(placeOf(s, findClip(s, 't1-1')!, at(t)) + d), [
            at(t - 0.1),
            at(t + 0.1),
          ]),
    ),
  fc.double({ min: 0.1, max: 7, noNaN: true }).map((t) => (s: Session) => addTick(s, 't1-1', at(t))),
  fc.constant((s: Session) => resetPins(s, 't1-1', ['hand'])),
  fc.constant((s: Session) => removeTrack(s, 't2')),
)

describe('history', () => {
  it('undo restores every earlier document exactly, redo every later one', () => {
    fc.assert(
      fc.property(fc.array(anyEdit, { maxLength: 20 }), (edits) => {
        let h: History = newHistory(two())
        const seen = [h.session]
        for (const e of edits) {
          const next = perform(h, 'Edit', e)
          if (next !== h) seen.push(next.session)
          h = next
        }
        for (let i = seen.length - 1; i >= 0; i--) {
          expect(h.session).toEqual(seen[i])
          h = undo(h)
        }
        expect(h.cursor).toBe(0)
        for (const s of seen.slice(1)) {
          h = redo(h)
          expect(h.session).toEqual(s)
        }
      }),
      { numRuns: 60 },
    )
  })

  it('steps of one drag join, an edit after undo forgets what was undone, a failed edit changes nothing', () => {
    let h = newHistory(one())
    for (const g of [1, 2, 3]) h = perform(h, 'Gain', (s) => setTrackGain(s, 't1', g), 'gain-t1')
    expect(h.steps).toHaveLength(1)
    expect(undo(h).session).toEqual(one())
    h = perform(undo(h), 'Mute', (s) => setMute(s, 't1', true))
    expect(h.steps.map((s) => s.label)).toEqual(['Mute'])
    expect(() => perform(h, 'Tempo', (s) => setTempo(s, 5))).toThrow(/at least 10 BPM/)
    expect(perform(h, 'Nothing', (s) => ({ ...s }))).toBe(h)
  })

  it('patches name only what changed', () => {
    const h = perform(newHistory(two()), 'Gain', (s) => setTrackGain(s, 't2', -3))
    expect(h.steps[0]!.patches).toEqual([{ op: 'replace', path: ['tracks', 1, 'gain'], value: -3 }])
  })
})

describe('moving a note', () => {
  it('puts it at its place and holds its neighbours and all beyond them', () => {
    const s = moveNote(one(), 't1-1', at(2), beats(4.2), [at(1.5), at(2.5)])
    expect(placeIn(s, 2)).toBe(Math.round(2.1 * RATE))
    for (const t of [0, 0.7, 1.5, 2.5, 5, 7.9]) expect(placeIn(s, t)).toBeCloseTo(t * RATE, 6)
  })

  it('never passes a neighbour', () => {
    const s = moveNote(one(), 't1-1', at(2), beats(9), [at(1.5), at(2.5)])
    expect(placeIn(s, 2)).toBeLessThan(2.5 * RATE)
    expect(placeIn(s, 2)).toBeGreaterThan(2.49 * RATE)
  })

  it('gives linked tracks the same pins, and unlinked ones none', () => {
    const linked = moveNote(two('kit'), 't1-1', at(2), beats(4.2), [at(1.5)])
    expect(clipOf(linked, 't2-1').pins).toEqual(clipOf(linked).pins)
    expect(linkedClips(linked, 't1-1').map((c) => c.id)).toEqual(['t1-1', 't2-1'])
    expect(clipOf(moveNote(two(), 't1-1', at(2), beats(4.2), []), 't2-1').pins).toEqual([])
  })
})

describe('many notes', () => {
  const moves = [1, 2, 3].map((t) => ({ source: at(t), to: beats(2 * t + 0.1) }))

  it('quantize pins go in, replace their own kind, and spare the person’s', () => {
    let s = moveNote(one(), 't1-1', at(2), beats(4.3), [])
    s = placeNotes(s, 't1-1', moves, [], 'quantize')
    expect(clipOf(s).pins.map((p) => p.origin)).toEqual(['quantize', 'hand', 'quantize'])
    s = placeNotes(
      s,
      't1-1',
      [
        { source: at(1), to: beats(2) },
        { source: at(3), to: beats(6) },
      ],
      [],
      'quantize',
    )
    expect(clipOf(s).pins.map((p) => p.place)).toEqual([2, 4.3, 6])
    s = resetPins(s, 't1-1', ['quantize'])
    expect(clipOf(s).pins.map((p) => p.origin)).toEqual(['hand'])
    expect(clipOf(removePin(s, 't1-1', at(2))).pins).toEqual([])
  })

  it('a range can be reset alone', () => {
    const s = resetPins(placeNotes(one(), 't1-1', moves, [], 'quantize'), 't1-1', ['quantize'], {
      from: at(1.5),
      to: at(2.5),
    })
    expect(clipOf(s).pins.map((p) => p.source / RATE)).toEqual([1, 3])
  })
})

describe('correcting the detection', () => {
  it('never changes pins or anything that sounds', () => {
    const before = one()
    let s = addTick(before, 't1-1', at(1))
    s = moveTick(s, 't1-1', at(1), at(1.1))
    s = muteTicks(s, 't1-1', [at(3)], true)
    s = setDetection(s, 't1-1', { sensitivity: 30, minGap: 50 })
    expect({ ...clipOf(s), transients: null }).toEqual({ ...clipOf(before), transients: null })
    expect(clipOf(s).transients).toMatchObject({
      sensitivity: 30,
      minGap: 50,
      added: [at(1)],
      moved: [{ from: at(1), to: at(1.1) }],
      muted: [at(3)],
    })
    s = deleteTicks(s, 't1-1', [at(1), at(4)])
    expect(clipOf(s).transients).toMatchObject({ added: [], moved: [], muted: [at(3), at(4)] })
    expect(clipOf(resetTicks(s, 't1-1')).transients.muted).toEqual([])
    expect(() => setDetection(s, 't1-1', { sensitivity: 101 })).toThrow(/between 0 and 100/)
  })
})

describe('edits of tracks', () => {
  it('say what is wrong and change nothing', () => {
    const s = one()
    expect(() => setMeter(s, 4, 3)).toThrow(/1, 2, 4, 8, 16 or 32/)
    expect(() => renameTrack(s, 't1', ' ')).toThrow(/needs a name/)
    expect(() => setTrackGain(s, 't1', NaN)).toThrow(/-60 and 12/)
    expect(() => setMethod(s, 't1', { tail: 140 })).toThrow(/0 and 100/)
    expect(barAt(setMeter(s, 3, 4).meter, 2).start).toBe(6)
  })

  it('a transposition goes to all microphones of a performance, within its limits', () => {
    const s = transpose(two('kit'), 't1-1', { semitones: -5, formants: 'keep' })
    for (const id of ['t1-1', 't2-1'])
      expect(clipOf(s, id)).toMatchObject({ semitones: -5, cents: 0, formants: 'keep', formantShift: 0 })
    expect(clipOf(transpose(two(), 't1-1', { semitones: 1 }), 't2-1').semitones).toBe(0)
    expect(() => transpose(s, 't1-1', { semitones: 25 })).toThrow(/at most 24 semitones up/)
    expect(() => transpose(s, 't1-1', { cents: cents(-101) })).toThrow(/-100 cents/)
    expect(() => transpose(s, 't1-1', { formantShift: NaN })).toThrow(/number of semitones/)
  })

  it('solo wins over mute; a removed track takes its recording along', () => {
    const s = setMute(two(), 't1', true)
    expect(audibleTracks(s).map((t) => t.id)).toEqual(['t2'])
    expect(
      audibleTracks({ ...s, tracks: s.tracks.map((t) => ({ ...t, solo: t.id === 't1' })) }).map((t) => t.id),
    ).toEqual(['t1'])
    expect(removeTrack(s, 't1').recordings.map((r) => r.id)).toEqual(['r2'])
  })
})

describe('schema', () => {
  it('gives a document from before there were grains their usual settings', () => {
    const now = two()
    const tracks = now.tracks.map(({ method: { size: _s, scatter: _c, ...method }, ...t }) => ({
      ...t,
      method,
    }))
    const old = json({ ...now, tracks } as unknown)
    expect(parseSession(old)).toEqual(now)
  })

  const json = (s: unknown): unknown => JSON.parse(JSON.stringify(s))

  it('a session comes back equal from JSON', () => {
    const s = moveNote(two('kit'), 't1-1', at(2), beats(4.2), [at(1.5)])
    expect(parseSession(json(s))).toEqual(s)
  })

  it.each([
    ['nothing', null],
    ['a newer version', { ...one(), version: 2 }],
    ['no tempo', { ...one(), tempo: [] }],
    ['a tempo that cannot be', { ...one(), tempo: [{ beat: 0, bpm: 4000 }] }],
    ['an unknown recording', { ...one(), recordings: [] }],
    [
      'falling pins',
      {
        ...one(),
        tracks: [
          {
            ...one().tracks[0],
            clips: [
              {
                ...clipOf(one()),
                pins: [
                  { source: 9, place: 2, origin: 'hand' },
                  { source: 5, place: 3, origin: 'hand' },
                ],
              },
            ],
          },
        ],
      },
    ],
    [
      'a place that is no number',
      { ...one(), tracks: [{ ...one().tracks[0], clips: [{ ...clipOf(one()), place: 'x' }] }] },
    ],
  ])('refuses %s with one sentence', (_name, value) => {
    expect(() => parseSession(value)).toThrow(/^This session cannot be opened: .+\.$/)
  })
})
