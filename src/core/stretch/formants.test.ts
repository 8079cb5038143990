// What is transposed with its formants kept sounds as it would have been sung there.
import { describe, expect, it } from 'vitest'
import { choir, timbreDistance } from '../../../tests/support/timbre'
import { bandPiece } from '../../../bench/corpus/pieces'
import { db, percentile, rms } from '../../../tests/support/measure'
import { hashAudio } from '../hash'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH, type Formants, type MethodName, type PitchCurve } from './types'

const RATE = 44100

function transposed(
  channels: readonly Float32Array[],
  steps: number,
  formants: Formants,
  method: MethodName = 'chords',
): Float32Array {
  const length = channels[0]!.length
  const map = [
    { source: 0, target: 0 },
    { source: length, target: length },
  ]
  const settings = { ...DEFAULT_STRETCH, method, pitch: 2 ** (steps / 12), formants }
  return stretchAudio({ channels, sampleRate: RATE }, map, [], settings)[0]!
}

/** Distance from the timbre that the voices have at another pitch, dB. */
const distance = (
  pitches: readonly number[],
  steps: number,
  formants: Formants,
  method?: MethodName,
): number =>
  timbreDistance(
    choir(pitches, 2 ** (steps / 12)),
    transposed(choir(pitches, 1).channels, steps, formants, method),
  )

describe('the distance of timbres', () => {
  it('is nothing to itself, whatever the level, and some dB to brighter vowels', () => {
    const voices = choir([131], 1)
    const x = voices.channels[0]!
    expect(timbreDistance(voices, x)).toBeLessThan(1e-6)
    expect(
      timbreDistance(
        voices,
        x.map((v) => 0.3 * v),
      ),
    ).toBeLessThan(1e-3)
    // Twice the level at each octave: 6 dB an octave over five octaves and a half.
    const brighter = x.map((v, i) => v - (x[i - 1] ?? 0))
    expect(timbreDistance(voices, brighter)).toBeGreaterThan(7)
  })
})

describe('kept formants', () => {
  it.each([-5, -3, 3, 5])('of one voice transposed by %d semitones with Chords', (steps) => {
    expect(distance([131], steps, 'keep')).toBeLessThan(1.5)
    expect(distance([220], steps, 'keep')).toBeLessThan(3)
  })

  it.each([-5, 5])('of chords of voices transposed by %d semitones, by every method that shapes', (steps) => {
    for (const method of ['chords', 'mix', 'tape'] as const)
      for (const pitches of [
        [131, 165, 196],
        [98, 147, 185, 247],
      ])
        expect(distance(pitches, steps, 'keep', method)).toBeLessThan(2.9)
  })

  it('of chords that have a period far below their notes', () => {
    // 220, 277 and 330 Hz are nearly the fourth, fifth and sixth harmonic of 55 Hz.
    for (const steps of [-3, 3]) {
      const kept = distance([220, 277, 330], steps, 'keep')
      expect(kept).toBeLessThan(3)
      expect(kept).toBeLessThan(distance([220, 277, 330], steps, 'move') / 1.7)
    }
  })

  it('leave little of what lies below the lowest partial: the fundamental has its level', () => {
    const [hz, steps] = [120, -5]
    const factor = 2 ** (steps / 12)
    const y = transposed(choir([hz], 1).channels, steps, 'keep')
    const wanted = choir([hz], factor)
    const levelOf = (x: Float32Array, harmonic: number): number => {
      const { from, to } = wanted.vowels[0]!
      let [re, im] = [0, 0]
      const [first, end] = [Math.round((from + 0.1) * RATE), Math.round((to - 0.1) * RATE)]
      for (let i = first; i < end; i++) {
        const w = 0.5 - 0.5 * Math.cos((2 * Math.PI * (i - first)) / (end - first))
        const turn = (2 * Math.PI * harmonic * hz * factor * i) / RATE
        re += w * x[i]! * Math.cos(turn)
        im += w * x[i]! * Math.sin(turn)
      }
      return 20 * Math.log10(Math.hypot(re, im))
    }
    // Against the sixth, which lies well inside.
    const off = (k: number): number => levelOf(y, k) - levelOf(wanted.channels[0]!, k)
    for (const k of [1, 2, 3]) expect(Math.abs(off(k) - off(6))).toBeLessThan(1.5)
  })

  it('do not depend on what of the recording was warped before, or how', () => {
    const { channels } = bandPiece(
      'guitar',
      {
        meter: '4/4',
        bpm: 104,
        feel: 'steady',
        bars: 1,
        bass: false,
        tune: null,
        groove: null,
        chords: 'guitar',
      },
      52,
    )
    const fresh = (): Float32Array[] => channels.map((x) => x.slice(0, RATE))
    const render = (
      some: readonly Float32Array[],
      steps: number,
      attacks: readonly number[],
      curve: PitchCurve = [],
    ): string => {
      const map = [
        { source: 0, target: 0 },
        { source: RATE, target: RATE },
      ]
      const pitch = 2 ** (steps / 12)
      const settings = { ...DEFAULT_STRETCH, pitch, formants: 'keep' } as const
      const source = { channels: some, sampleRate: RATE }
      return hashAudio(stretchAudio(source, map, attacks, settings, undefined, curve), RATE)
    }
    const attacks = [15000, 26000]
    const glide = [
      { source: 10000, ratio: 1 },
      { source: 30000, ratio: 1.2 },
    ]
    const used = fresh()
    for (const [steps, where, curve] of [
      [3, [], []],
      [3, attacks, []],
      [-2, attacks, []],
      [3, attacks, []],
      [3, attacks, glide],
      [3, [15000], []],
    ] as const)
      expect(render(used, steps, where, curve)).toBe(render(fresh(), steps, where, curve))
  })

  it.each(['guitar', 'piano'] as const)('bring nothing of an attack to before it (%s)', (chords) => {
    const plan = { meter: '4/4', bpm: 104, feel: 'steady', bars: 4, bass: false, tune: null } as const
    const { channels, onsets } = bandPiece(chords, { ...plan, groove: null, chords }, 52)
    const x = channels[0]!
    const attacks = onsets.map((t) => Math.round(t * RATE)).filter((at) => at > 0.03 * RATE)
    const map = [
      { source: 0, target: 0 },
      { source: x.length, target: x.length },
    ]
    for (const steps of [-5, 5]) {
      const settings = { ...DEFAULT_STRETCH, method: 'chords', formants: 'keep' } as const
      const pitch = 2 ** (steps / 12)
      const y = stretchAudio({ channels: [x], sampleRate: RATE }, map, attacks, { ...settings, pitch })[0]!
      const louder = attacks.map((at) => {
        const [from, to] = [at - Math.round(0.01 * RATE), at - Math.round(0.0005 * RATE)]
        return db((rms(y, from, to) + 1e-6) / (rms(x, from, to) + 1e-6))
      })
      // Filters over 46 ms brought up to 33 dB to before the piano's first chord.
      expect(percentile(louder, 0.9)).toBeLessThan(2)
      expect(Math.abs(percentile(louder, 0.5))).toBeLessThan(1.5)
    }
  })
})
