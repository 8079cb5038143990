// Where notes join, are damped and begin: pitch lines of tones whose pitch and ends are known by construction.
import { describe, expect, it } from 'vitest'
import { percentile } from '../../../../tests/support/measure'
import { mainSource } from '../source'
import { heldToTheEnd, voicedFromAttacks } from './edges'
import { pitchLine } from './find'

const RATE = 44100
const pitchOf = (x: Float32Array) => pitchLine(mainSource([x], RATE))

/** A tone of six partials from pitch and level over time. */
function tone(seconds: number, hz: (t: number) => number, level: (t: number) => number): Float32Array {
  let phase = 0
  return Float32Array.from({ length: Math.round(seconds * RATE) }, (_, i) => {
    const t = i / RATE
    phase += (2 * Math.PI * hz(t)) / RATE
    let sum = 0
    for (let h = 1; h <= 6; h++) sum += Math.sin(h * phase) / h
    return 0.3 * level(t) * sum
  })
}

const smooth = (x: number): number => (x <= 0 ? 0 : x >= 1 ? 1 : x * x * (3 - 2 * x))

describe('joined notes', () => {
  it.each([
    [196, 3, 0.05],
    [196, -5, 0.08],
    [440, 7, 0.04],
    [110, 2, 0.09],
  ])('from %f Hz by %i semitones within %f s: the glide is followed', (hz, interval, seconds) => {
    const at = (t: number): number => hz * 2 ** ((interval / 12) * smooth((t - 0.5) / seconds + 0.5))
    const { f0, hop } = pitchOf(tone(1, at, () => 1))
    const off: number[] = []
    for (let f = Math.ceil(0.44 / hop); f * hop < 0.56; f++) {
      expect(f0[f]).toBeGreaterThan(0)
      off.push(Math.abs(1200 * Math.log2(f0[f]! / at(f * hop))))
    }
    expect(percentile(off, 0.5)).toBeLessThan(20)
    // Two periods last as long as up to a third of the glide; the fastest passes 56 cents while they do.
    expect(percentile(off, 0.9)).toBeLessThan(60)
  })

  it('silence between two notes stays silent', () => {
    const { f0, hop } = pitchOf(
      tone(
        1.2,
        (t) => (t < 0.6 ? 220 : 247),
        (t) => (t < 0.5 || t > 0.7 ? 1 : 0),
      ),
    )
    expect(f0[Math.round(0.6 / hop)]).toBe(0)
  })
})

describe('ends', () => {
  // Fades by 20 dB a second until it is damped with a time constant of 40 ms, as a finger stops a string.
  const struck = (t: number): number =>
    t < 0.3 ? 0 : 10 ** -(t - 0.3) * (t < 0.9 ? 1 : Math.exp(-(t - 0.9) / 0.04))
  const ends = (level: (t: number) => number): number => {
    const { f0, hop } = pitchOf(tone(1.6, () => 220, level))
    return f0.findLastIndex((v) => v > 0) * hop
  }

  it('a struck note ends where it is damped, to three frames', () => {
    expect(Math.abs(ends(struck) - 0.9)).toBeLessThan(0.018)
  })

  it('a held note ends where it has faded out, to four frames', () => {
    const held = (t: number): number => smooth((t - 0.3) / 0.05) * smooth((0.9 - t) / 0.06)
    expect(Math.abs(ends(held) - 0.9)).toBeLessThan(0.024)
  })
})

describe('beginnings', () => {
  const HOP = 0.0058
  const at = (frame: number): number => frame * HOP
  const line = (voiced: readonly [number, number]) => {
    const f0 = new Float32Array(60)
    f0.fill(220, ...voiced)
    return { hop: HOP, f0, voicing: new Float32Array(60) }
  }
  const flat = new Float32Array(60)

  it('unvoiced frames between an attack and its note take the note’s pitch, longer gaps do not', () => {
    const filled = voicedFromAttacks(line([15, 40]), [{ start: at(8), end: at(40) }], flat).f0
    expect([filled[7], filled[8], filled[14], filled[15], filled[40]]).toEqual([0, 220, 220, 220, 0])
    expect(voicedFromAttacks(line([15, 40]), [{ start: 0, end: at(40) }], flat).f0[10]).toBe(0)
  })

  it('what a window sees before a sharp attack is not voiced yet; before a soft one it is', () => {
    const note = [{ start: at(12), end: at(40) }]
    expect(voicedFromAttacks(line([10, 40]), note, flat).f0.indexOf(220)).toBe(12)
    const rising = Float32Array.from({ length: 60 }, (_, f) => Math.min(0, 0.2 * (f - 25)))
    expect(voicedFromAttacks(line([10, 40]), note, rising).f0.indexOf(220)).toBe(10)
  })
})

describe('the last frames of a tone', () => {
  const hop = 0.0058
  const line = (f0: number[]) => ({ hop, f0: Float32Array.from(f0), voicing: new Float32Array(f0.length) })

  it('are its own, unless the level has gone or another begins', () => {
    const level = Float32Array.of(0, 0, -1, -2, -3, -4, 0, 0)
    expect([...heldToTheEnd(line([0, 220, 220, 0, 0, 0, 330, 330]), level).f0]).toEqual([
      0, 220, 220, 220, 220, 0, 330, 330,
    ])
    expect([...heldToTheEnd(line([220, 220, 0, 330, 330, 330, 330, 0]), level).f0]).toEqual([
      220, 220, 220, 330, 330, 330, 330, 330,
    ])
    const gone = Float32Array.of(0, 0, -6, -6)
    expect([...heldToTheEnd(line([220, 220, 0, 0]), gone).f0]).toEqual([220, 220, 0, 0])
  })
})
