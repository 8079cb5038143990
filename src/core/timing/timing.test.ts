// The time map, the clip's map, the choice of grid lines and quantize.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { constantMeter } from '../music/meter-map'
import { beatToSeconds, constantTempo, type TempoMap } from '../music/tempo-map'
import { beats, samples } from '../units'
import { assignLines } from './assign'
import { beatToSample, clipMap, type ClipTiming, type Pin } from './clip-map'
import { proposeQuantize, summarize, type QuantizeSettings } from './quantize'
import { timeMap, toSource, toTarget, withKnotsAt, type TimeMap } from './time-map'

const RATE = 44100
const context = { tempo: constantTempo(120), sampleRate: RATE, recordingRate: RATE }
const clip = (over: Partial<ClipTiming> = {}): ClipTiming => ({
  start: samples(0),
  end: samples(10 * RATE),
  place: beats(0),
  base: { kind: 'speed' },
  pins: [],
  heldEdges: { start: true, end: true },
  ...over,
})
const pin = (second: number, beat: number): Pin => ({
  source: samples(second * RATE),
  place: beats(beat),
  origin: 'hand',
})
const rises = (map: TimeMap): boolean =>
  map.every((k, i) => i === 0 || (k.source > map[i - 1]!.source && k.target > map[i - 1]!.target))

const anyPins = fc
  .array(
    fc.tuple(
      fc.double({ min: 0.05, max: 9.95, noNaN: true }),
      fc.double({ min: 0.1, max: 19.9, noNaN: true }),
    ),
    { maxLength: 12 },
  )
  .map((raw) => {
    const sources = [...new Set(raw.map((r) => Math.round(r[0] * 1000) / 1000))].sort((a, b) => a - b)
    const places = raw.map((r) => r[1]).sort((a, b) => a - b)
    return sources.map((s, i) => pin(s, places[i]! + i * 1e-3))
  })

describe('time map', () => {
  const map = timeMap([
    { source: 0, target: 100 },
    { source: 1000, target: 600 },
    { source: 2000, target: 3000 },
  ])

  it('is linear between its knots and goes on beyond them', () => {
    expect(toTarget(map, 500)).toBe(350)
    expect(toSource(map, 1800)).toBe(1500)
    expect(toTarget(map, 3000)).toBe(5400)
    expect(toTarget(map, -200)).toBe(0)
  })

  it('further knots lie on the line', () => {
    expect(withKnotsAt(map, [0, 500, 1000, 1500, 2000])).toHaveLength(5)
    expect(withKnotsAt(map, [500])[1]).toEqual({ source: 500, target: 350 })
  })

  it.each([
    ['one point', [{ source: 0, target: 0 }], /at least two/],
    [
      'falling',
      [
        { source: 0, target: 5 },
        { source: 5, target: 5 },
      ],
      /rise/,
    ],
    [
      'fractions',
      [
        { source: 0, target: 0 },
        { source: 5, target: 5.5 },
      ],
      /whole sample/,
    ],
  ])('refuses %s', (_name, knots, pattern) => expect(() => timeMap(knots)).toThrow(pattern))
})

describe('clip map', () => {
  it('without pins runs at its own speed from its place', () => {
    expect(clipMap(clip({ place: beats(2) }), context)).toEqual([
      { source: 0, target: RATE },
      { source: 10 * RATE, target: 11 * RATE },
    ])
  })

  it('rises and is exact at every pin that its edges allow', () => {
    fc.assert(
      fc.property(anyPins, (pins) => {
        const map = clipMap(clip({ pins }), context)
        expect(rises(map)).toBe(true)
        const kept = map.filter((k) => pins.some((p) => p.source === k.source))
        for (const k of kept) {
          const p = pins.find((x) => x.source === k.source)!
          expect(k.target).toBe(beatToSample(context, p.place))
        }
        // Pins further apart than a millisecond are all kept.
        if (pins.every((p, i) => i === 0 || p.place - pins[i - 1]!.place > 0.004))
          expect(kept).toHaveLength(pins.length)
      }),
    )
  })

  it('a moved pin changes nothing beyond its neighbours', () => {
    const pins = [pin(2, 4), pin(4, 8), pin(6, 12)]
    const a = clipMap(clip({ pins }), context)
    const b = clipMap(clip({ pins: [pins[0]!, pin(4, 8.3), pins[2]!] }), context)
    for (const s of [0, RATE, 2 * RATE, 6 * RATE, 9 * RATE]) expect(toTarget(b, s)).toBe(toTarget(a, s))
    expect(toTarget(b, 4 * RATE)).toBe(beatToSample(context, 8.3))
  })

  it('with its beats on the session’s beats follows every tempo', () => {
    const base = {
      kind: 'beats' as const,
      beats: [0, 1, 2, 3, 4].map((b) => ({ source: samples(b * 0.6 * RATE), beat: beats(b) })),
    }
    const tempo: TempoMap = [
      { beat: beats(0), bpm: 120 },
      { beat: beats(2), bpm: 60 },
    ]
    const map = clipMap(clip({ base, end: samples(2.4 * RATE) }), { ...context, tempo })
    for (const b of [0, 1, 2, 3, 4])
      expect(toTarget(map, b * 0.6 * RATE)).toBeCloseTo(beatToSeconds(tempo, b) * RATE, 6)
  })

  it('reads a recording at another rate in session samples', () => {
    const map = clipMap(clip({ end: samples(48000) }), { ...context, recordingRate: 48000 })
    expect(map).toEqual([
      { source: 0, target: 0 },
      { source: RATE, target: RATE },
    ])
  })
})

describe('choosing grid lines', () => {
  const lines = Array.from({ length: 40 }, (_, i) => i * 0.5)
  const at = (...notes: number[]): (number | null)[] =>
    assignLines(
      notes.map((beat) => ({ beat })),
      lines,
      0.5,
    ).map((a) => a.line)

  it('near notes go to the nearest line', () => expect(at(0.02, 0.51, 0.98, 1.55)).toEqual([0, 0.5, 1, 1.5]))

  it('a late run goes where the run belongs, though the last note is nearer to the next line', () =>
    expect(at(0.0, 0.58, 1.14, 1.7, 2.26, 2.78)).toEqual([0, 0.5, 1, 1.5, 2, 2.5]))

  it('never puts two notes on one line, nor out of order', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0, max: 18, noNaN: true }), { maxLength: 40 }), (raw) => {
        const chosen = assignLines(
          raw.sort((a, b) => a - b).map((beat) => ({ beat })),
          lines,
          0.5,
        )
          .map((a) => a.line)
          .filter((l): l is number => l !== null)
        return chosen.every((l, i) => i === 0 || l > chosen[i - 1]!)
      }),
    )
  })

  it('names the rival of a note half way between two lines', () => {
    const [a] = assignLines([{ beat: 0.25 }], lines, 0.5)
    expect([a!.line, a!.rival]).toContain(0)
    expect(a!.rival).not.toBeUndefined()
  })
})

describe('quantize', () => {
  const settings: QuantizeSettings = {
    grid: { division: 8, kind: 'straight', swing: 0 },
    strength: 100,
    leaveAlone: 0,
    largestMove: Infinity,
  }
  const map = clipMap(clip(), context)
  const where = { ...context, meter: constantMeter(4, 4), map }
  const propose = (seconds: number[], over: Partial<QuantizeSettings> = {}, held: number[] = []) =>
    proposeQuantize(
      seconds.map((s, i) => ({ source: samples(s * RATE), held: held.includes(i) })),
      { ...settings, ...over },
      where,
    )

  it('says what would move, from where to where', () => {
    const moves = propose([0.5, 0.77, 0.99])
    expect(moves.map((m) => m.line)).toEqual([1, 1.5, 2])
    expect(moves.map((m) => m.to)).toEqual([1, 1.5, 2])
    expect(moves.map((m) => Math.round(m.moved * 100) / 100)).toEqual([0, -20, 10])
    expect(summarize(moves)).toMatchObject({ notes: 3, moving: 2, open: 0, offGrid: 0 })
    expect(summarize(moves).largest).toBeCloseTo(20, 9)
  })

  it('strength moves a share of the way, the leave-alone window leaves small faults, the largest move is a limit', () => {
    expect(propose([0.77], { strength: 50 })[0]!.moved).toBeCloseTo(-10, 1)
    expect(propose([0.77, 1.03], { leaveAlone: 25 }).map((m) => Math.round(m.moved))).toEqual([0, -30])
    expect(propose([0.77, 1.03], { largestMove: 25 }).map((m) => Math.round(m.moved))).toEqual([-20, -25])
  })

  it('keeps what the person pinned, and moves flams as one', () => {
    expect(propose([0.77, 1.03], {}, [0]).map((m) => Math.round(m.moved))).toEqual([0, -30])
    const flam = propose([0.755, 0.77, 1.03])
    expect(flam[1]!.moved).toBeCloseTo(flam[0]!.moved, 6)
    expect(flam[1]!.line).toBeNull()
  })

  it('obeys a line that somebody chose, and its neighbours make room', () => {
    const sources = [0.5, 0.63, 1].map((s) => samples(s * RATE))
    const chosen = (choice: number | null) =>
      proposeQuantize(
        sources.map((source, i) => ({ source, held: false, ...(i === 1 ? { choice } : {}) })),
        settings,
        where,
      ).map((m) => m.line)
    expect(chosen(1.5)).toEqual([1, 1.5, 2])
    expect(chosen(null)).toEqual([1, null, 2])
  })

  it('places rise whatever the notes and settings', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0.1, max: 9.8, noNaN: true }), { minLength: 1, maxLength: 60 }),
        fc.integer({ min: 0, max: 100 }),
        fc.integer({ min: 0, max: 100 }),
        fc.constantFrom(4, 8, 16, 32),
        (raw, strength, swing, division) => {
          const notes = [...new Set(raw.map((s) => Math.round(s * RATE)))]
            .sort((a, b) => a - b)
            .map((s) => s / RATE)
          const grid = { division: division as 4, kind: 'straight' as const, swing }
          const moves = propose(notes, { strength, grid })
          return moves.every((m, i) => i === 0 || m.to > moves[i - 1]!.to)
        },
      ),
      { numRuns: 300 },
    )
  })

  it('a second time at full strength moves nothing', () => {
    const first = propose([0.52, 0.77, 1.03, 1.24])
    const again = proposeQuantize(
      first.map((m) => ({ source: samples(beatToSeconds(context.tempo, m.to) * RATE), held: false })),
      settings,
      where,
    )
    for (const m of again) expect(Math.abs(m.moved)).toBeLessThan(0.02)
  })
})
