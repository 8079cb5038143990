// The click falls on every beat, accented on beat 1, and any range of it is that part of the whole.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { constantMeter, countedAsWritten } from '../music/meter-map'
import { constantTempo } from '../music/tempo-map'
import { clickBeats, clickRange, DEFAULT_CLICK, type ClickStyle } from './click'

const [tempo, meter] = [constantTempo(92), constantMeter(3, 4)]

describe('the click', () => {
  it('has its beats where the tempo says', () => {
    const beats = clickBeats(tempo, meter, 44100, 0, 44100 * 4)
    expect(beats.map((b) => b.at)).toEqual(
      [0, 1, 2, 3, 4, 5, 6].map((n) => Math.round((n * 60 * 44100) / 92)),
    )
    expect(beats.map((b) => b.accent)).toEqual([true, false, false, true, false, false, true])
  })

  it('counts 6/8 in two, with eighths inside on request, and goes on before beat 0', () => {
    const of = (style: Partial<ClickStyle>, meter = constantMeter(6, 8)) =>
      clickBeats(constantTempo(120), meter, 1000, -1500, 1, { ...DEFAULT_CLICK, ...style })
    expect(of({}).map((b) => b.at)).toEqual([-1500, -750, 0])
    expect(of({}).map((b) => b.accent)).toEqual([true, false, true])
    const eighths = of({ parts: 3 })
    expect(eighths.map((b) => b.at)).toEqual([-1500, -1250, -1000, -750, -500, -250, 0])
    expect(eighths.map((b) => b.rank)).toEqual(['bar', 'part', 'part', 'beat', 'part', 'part', 'bar'])
    // Counted as written, each eighth is a beat.
    const written = of({}, countedAsWritten(constantMeter(6, 8), true))
    expect(written.map((b) => b.at)).toEqual(eighths.map((b) => b.at))
    expect(written.map((b) => b.accent)).toEqual([true, false, false, false, false, false, true])
  })

  it('is the same in any range', () => {
    const whole = clickRange(tempo, meter, 22050, -5000, 60000)
    fc.assert(
      fc.property(
        fc.integer({ min: -5000, max: 55000 }),
        fc.integer({ min: 1, max: 5000 }),
        (from, length) => {
          const part = clickRange(tempo, meter, 22050, from, from + length)
          return part.every((v, i) => v === whole[from + 5000 + i])
        },
      ),
      { numRuns: 60 },
    )
  })

  it('starts softly and is over within 45 ms', () => {
    const x = clickRange(tempo, meter, 44100, 0, 8000)
    expect(x[0]).toBe(0)
    expect(Math.max(...x)).toBeGreaterThan(0.2)
    expect([...x.subarray(2000, 8000)].every((v) => v === 0)).toBe(true)
  })

  it('has parts of a beat, softer ones, and no accents when asked', () => {
    const style = { sound: 'tick', parts: 3, accents: false } as const
    const tempo = constantTempo(120)
    const clicks = clickBeats(tempo, constantMeter(2, 4), 44100, 0, 2 * 44100, style)
    expect(clicks.map((c) => c.rank)).toEqual([0, 1, 2, 3].flatMap(() => ['beat', 'part', 'part']))
    expect(clicks[1]!.at).toBe(Math.round(44100 / 6))
    const plain = clickRange(tempo, constantMeter(2, 4), 44100, 0, 2 * 44100, style)
    const peak = (from: number): number => Math.max(...plain.subarray(from, from + 400).map(Math.abs))
    expect(peak(clicks[1]!.at)).toBeLessThan(0.7 * peak(clicks[0]!.at))
    expect(clickBeats(tempo, constantMeter(2, 4), 44100, 0, 2 * 44100).map((c) => c.accent)).toEqual([
      true,
      false,
      true,
      false,
    ])
  })
})
