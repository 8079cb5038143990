// Tempo maps written as MIDI files, read back by an independent parser.
import fc from 'fast-check'
import midi from '@tonejs/midi'
import { describe, expect, it } from 'vitest'
import { InputError } from '../errors'
import type { MeterMap } from '../music/meter-map'
import { barAt } from '../music/meter-map'
import { beatToSeconds, type TempoStep } from '../music/tempo-map'
import { beats } from '../units'
import { beatsAsCsv, beatsAsLabels } from './beat-lists'
import { readSmf, writeSmf } from './smf'

const METER: MeterMap = [
  { bar: 0, numerator: 4, denominator: 4 },
  { bar: 40, numerator: 6, denominator: 8 },
  { bar: 90, numerator: 3, denominator: 4 },
]

/** Farthest that beats of a file, in the parser's own seconds, lie from those of the map. */
function farthest(bytes: Uint8Array, tempo: readonly TempoStep[], end: number): number {
  const { header } = new midi.Midi(bytes)
  let worst = 0
  for (let b = 0; b <= end; b += 1)
    worst = Math.max(worst, Math.abs(header.ticksToSeconds(b * header.ppq) - beatToSeconds(tempo, b)))
  return worst
}

describe('a Standard MIDI File', () => {
  it('keeps 500 bars with 200 tempo changes within 0.5 ms', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 40, max: 220, noNaN: true }), { minLength: 200, maxLength: 200 }),
        fc.integer({ min: 1, max: 9 }),
        (bpms, stride) => {
          const tempo = bpms.map((bpm, i) => ({ beat: beats(i * stride), bpm }))
          return farthest(writeSmf(tempo, METER, 2000, 'jig'), tempo, 2000) < 0.0005
        },
      ),
      { numRuns: 25 },
    )
  })

  it('keeps ramps within 0.5 ms at every quarter', () => {
    const tempo: TempoStep[] = [
      { beat: beats(0), bpm: 71 },
      { beat: beats(16), bpm: 71, ramp: true },
      { beat: beats(48), bpm: 133.3 },
    ]
    expect(farthest(writeSmf(tempo, METER, 400, 'ramp'), tempo, 400)).toBeLessThan(0.0005)
  })

  it('is read back with its meters at their bars', () => {
    const tempo = [{ beat: beats(0), bpm: 92.5 }]
    const maps = readSmf(writeSmf(tempo, METER, 600, 'meters'))
    expect(maps.meter).toEqual(METER)
    expect(maps.tempo[0]!.bpm).toBeCloseTo(92.5, 3)
    expect(barAt(maps.meter, 90).start).toBe(barAt(METER, 90).start)
  })

  it('says in one sentence why it cannot be read', () => {
    expect(() => readSmf(new Uint8Array([1, 2, 3]))).toThrow(InputError)
    expect(() => readSmf(new TextEncoder().encode('MThd then nothing of use'))).toThrow(/MIDI/)
    const frames = writeSmf([{ beat: beats(0), bpm: 60 }], METER, 4, '')
    frames[12] = 0xe7
    expect(() => readSmf(frames)).toThrow(/video frames/)
  })

  it('beats are listed as a table and as labels', () => {
    const list = [{ recording: 1.5, session: 0, bar: 1, beat: 1, bpm: 104, confidence: 0.9 }]
    expect(beatsAsCsv(list).split('\r\n')[1]).toBe('1,1,1.500000,0.000000,104.000,0.90')
    expect(beatsAsLabels(list)).toBe('1.500000\t1.500000\t1|1\n')
  })
})
