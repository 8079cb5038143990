// Tempo and meter maps, positions, grid and swing.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { beats } from '../units'
import { DIVISIONS, gridLines, gridStep, nearestLine, type Grid } from './grid'
import { barAt, barOfBeat, constantMeter, countedAsWritten, withMeterIn, type MeterMap } from './meter-map'
import {
  formatPosition,
  formatSeconds,
  fromPosition,
  parsePosition,
  TICKS_PER_QUARTER,
  toPosition,
} from './position'
import { beatToSeconds, bpmAt, constantTempo, secondsToBeat, type TempoMap } from './tempo-map'

const tempoMaps: fc.Arbitrary<TempoMap> = fc
  .array(
    fc.record({
      gap: fc.double({ min: 0.25, max: 40, noNaN: true }),
      bpm: fc.double({ min: 20, max: 300, noNaN: true }),
    }),
    { minLength: 1, maxLength: 30 },
  )
  .map((steps) => {
    let beat = 0
    return steps.map((s, i) => ({ beat: beats(i === 0 ? 0 : (beat += s.gap)), bpm: s.bpm }))
  })

const meterMaps: fc.Arbitrary<MeterMap> = fc
  .array(
    fc.record({
      gap: fc.integer({ min: 1, max: 8 }),
      numerator: fc.integer({ min: 1, max: 12 }),
      denominator: fc.constantFrom(2, 4, 8, 16),
    }),
    { minLength: 1, maxLength: 8 },
  )
  .map((steps) => {
    let bar = 0
    return steps.map((s, i) => ({
      bar: i === 0 ? 0 : (bar += s.gap),
      numerator: s.numerator,
      denominator: s.denominator,
    }))
  })

describe('tempo map', () => {
  it('worked example: 4 beats at 120, 4 at 60, then 90', () => {
    const map: TempoMap = [
      { beat: beats(0), bpm: 120 },
      { beat: beats(4), bpm: 60 },
      { beat: beats(8), bpm: 90 },
    ]
    expect([2, 4, 6, 8, 11].map((b) => beatToSeconds(map, b))).toEqual([1, 2, 4, 6, 8])
    expect([1, 2, 4, 6, 8].map((s) => secondsToBeat(map, s))).toEqual([2, 4, 6, 8, 11])
    expect([0, 3.99, 4, 9].map((b) => bpmAt(map, b))).toEqual([120, 120, 60, 90])
    expect(beatToSeconds(map, -2)).toBe(-1)
  })

  it('runs both ways without loss over any steps', () => {
    fc.assert(
      fc.property(tempoMaps, fc.double({ min: -50, max: 1000, noNaN: true }), (map, beat) => {
        expect(secondsToBeat(map, beatToSeconds(map, beat))).toBeCloseTo(beat, 8)
      }),
    )
  })

  it('rises', () => {
    fc.assert(
      fc.property(
        tempoMaps,
        fc.double({ min: -5, max: 500, noNaN: true }),
        fc.double({ min: 1e-6, max: 5, noNaN: true }),
        (map, b, d) => beatToSeconds(map, b + d) > beatToSeconds(map, b),
      ),
    )
  })
})

describe('meter map and positions', () => {
  const map: MeterMap = [
    { bar: 0, numerator: 4, denominator: 4 },
    { bar: 2, numerator: 6, denominator: 8 },
    { bar: 4, numerator: 3, denominator: 4 },
  ]

  it('worked example: two bars of 4/4, two of 6/8, then 3/4', () => {
    expect([0, 1, 2, 3, 4, 5].map((i) => barAt(map, i).start)).toEqual([0, 4, 8, 11, 14, 17])
    expect(barOfBeat(map, 10.999).index).toBe(2)
    expect(barOfBeat(map, 11).index).toBe(3)
    expect(barOfBeat(map, -1).index).toBe(-1)
    // The second dotted quarter of bar 3 is its fourth eighth, one and a half quarters into it.
    expect(toPosition(map, 9.5)).toEqual({ bar: 3, beat: 2, tick: 0 })
    expect(toPosition(map, 10.5)).toEqual({ bar: 3, beat: 2, tick: 960 })
    expect(toPosition(countedAsWritten(map, true), 9.5)).toEqual({ bar: 3, beat: 4, tick: 0 })
    expect(formatPosition(toPosition(map, 15.25))).toBe('5.2.240')
  })

  it('compound meters are counted in dotted notes, and as written when that is chosen', () => {
    // Common practice: 6/8 has two beats, 9/8 three, 12/8 four; 3/8 and 6/4 are counted as written.
    const counted = (numerator: number, denominator: number) =>
      barAt(constantMeter(numerator, denominator), 0)
    for (const [n, d, beats, length] of [
      [6, 8, 2, 1.5],
      [9, 8, 3, 1.5],
      [12, 8, 4, 1.5],
      [6, 16, 2, 0.75],
      [3, 8, 3, 0.5],
      [6, 4, 6, 1],
      [5, 8, 5, 0.5],
      [4, 4, 4, 1],
    ] as const)
      expect(counted(n, d)).toMatchObject({ beats, beatLength: length })
    const written = countedAsWritten(map, true)
    expect(barAt(written, 2)).toMatchObject({ beats: 6, beatLength: 0.5 })
    expect(written[0]).toEqual(map[0])
    expect(countedAsWritten(written, false)).toEqual(map)
    // Another meter in one bar leaves how the rest is counted.
    expect(withMeterIn(constantMeter(6, 8), 1, 2, 4, 4)).toEqual([
      { bar: 0, numerator: 6, denominator: 8 },
      { bar: 1, numerator: 4, denominator: 4 },
      { bar: 2, numerator: 6, denominator: 8 },
    ])
    expect(withMeterIn(written, 0, 2, 3, 4).at(1)).toEqual(written[1])
  })

  it('positions come back to the tick over any meters', () => {
    fc.assert(
      fc.property(meterMaps, fc.integer({ min: -4000, max: 400000 }), (m, ticks) => {
        const beat = ticks / TICKS_PER_QUARTER
        expect(fromPosition(m, toPosition(m, beat))).toBeCloseTo(beat, 9)
      }),
    )
  })

  it('reads what is typed and says what is wrong with it', () => {
    expect(parsePosition(map, '3.2.1200')).toEqual({ bar: 3, beat: 2, tick: 1200 })
    expect(parsePosition(map, ' 5 ')).toEqual({ bar: 5, beat: 1, tick: 0 })
    expect(() => parsePosition(map, 'x.1')).toThrow(/bar\.beat\.tick/)
    expect(() => parsePosition(map, '5.4')).toThrow(/beats 1 to 3/)
    expect(() => parsePosition(map, '5.1.960')).toThrow(/0 to 959/)
  })

  it('writes minutes and seconds', () => {
    expect(formatSeconds(187.25)).toBe('3:07.250')
    expect(formatSeconds(59.9996)).toBe('1:00.000')
    expect(formatSeconds(-1.5)).toBe('-0:01.500')
  })
})

describe('grid', () => {
  const four = constantMeter(4, 4)
  const straight = (division: Grid['division']): Grid => ({ division, kind: 'straight', swing: 0 })

  it('has every note value from 1/1 to 1/64, triplet and dotted', () => {
    expect(DIVISIONS.map((d) => gridStep(straight(d)))).toEqual([4, 2, 1, 0.5, 0.25, 0.125, 0.0625])
    expect(gridStep({ division: 8, kind: 'triplet', swing: 0 })).toBeCloseTo(1 / 3, 12)
    expect(gridStep({ division: 8, kind: 'dotted', swing: 0 })).toBe(0.75)
  })

  it('a dotted grid starts afresh in every bar', () => {
    expect(gridLines(four, { division: 4, kind: 'dotted', swing: 0 }, 0, 8)).toEqual([
      0, 1.5, 3, 4, 5.5, 7, 8,
    ])
  })

  it('full swing is a triplet shuffle, half swing half of it', () => {
    const at = (swing: number): number =>
      gridLines(four, { division: 8, kind: 'straight', swing }, 0, 0.9)[1]!
    expect(at(0)).toBe(0.5)
    expect(at(100)).toBeCloseTo(2 / 3, 12)
    expect(at(50)).toBeCloseTo((0.5 + 2 / 3) / 2, 12)
  })

  it('finds the nearest line, and lines rise without doubles', () => {
    fc.assert(
      fc.property(
        meterMaps,
        fc.constantFrom(...DIVISIONS),
        fc.constantFrom('straight', 'triplet', 'dotted'),
        fc.integer({ min: 0, max: 100 }),
        fc.double({ min: 0, max: 60, noNaN: true }),
        (m, division, kind, swing, beat) => {
          const g = { division, kind, swing } as Grid
          const lines = gridLines(m, g, 0, 64)
          lines.forEach((l, i) => i > 0 && expect(l).toBeGreaterThan(lines[i - 1]!))
          const best = lines.reduce((a, b) => (Math.abs(b - beat) < Math.abs(a - beat) ? b : a))
          expect(Math.abs(nearestLine(m, g, beat) - beat)).toBeCloseTo(Math.abs(best - beat), 9)
        },
      ),
      { numRuns: 200 },
    )
  })

  it('constant tempo starts at beat 0', () =>
    expect(beatToSeconds(constantTempo(92), 92)).toBeCloseTo(60, 12))
})
