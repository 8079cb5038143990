// Voices as people have them with Line and Chords: pulses of folds that are shut for a third of a period, no two alike, breath, glides.
import { describe, expect, it } from 'vitest'
import { linePiece } from '../../../bench/corpus/pieces'
import { toneUnderHats } from '../../../tests/support/hats'
import { spectralDistance } from '../../../bench/stretch/metrics'
import { powerAt, rms, secondDifference } from '../../../tests/support/measure'
import { periodic } from '../../../tests/support/signals'
import { speaker, unevenness, type Manner } from '../../../tests/support/speaker'
import { defaultAttacks, measure } from '../analysis/analyse'
import { attackPlaces } from '../analysis/select'
import { withSlurs } from '../analysis/slurs'
import { samples } from '../units'
import { protectedBy } from './spans'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH, type MethodName, type StretchSettings } from './types'

const RATE = 44100
const MAN: Manner = { hz: 115, jitter: 0.007, shimmer: 0.04, breath: 0.04, swing: 2 }
const WOMAN: Manner = { hz: 210, jitter: 0.007, shimmer: 0.04, breath: 0.06, swing: 2 }
const CHILD: Manner = { hz: 300, jitter: 0.006, shimmer: 0.03, breath: 0.06, swing: 2 }
const STEADY: Manner = { hz: 210, jitter: 0, shimmer: 0, breath: 0, swing: 0 }

/** Transposed at the same speed, with its formants kept. */
function transposed(x: Float32Array, semitones: number, attacks: readonly number[]): Float32Array {
  const ends = [0, x.length].map((n) => ({ source: n, target: n }))
  const sound = {
    ...DEFAULT_STRETCH,
    method: 'line',
    pitch: 2 ** (semitones / 12),
    formants: 'keep',
  } as const
  return stretchAudio({ channels: [x], sampleRate: RATE }, ends, attacks, sound)[0]!
}

describe('a voice that speaks', () => {
  it.each([-5, 3, 5])('as steady as a machine it stays so in every vowel, %i semitones away', (semitones) => {
    const said = speaker(STEADY)
    const out = transposed(said.channels[0]!, semitones, [])
    for (const { jitter, shimmer } of unevenness(out, speaker(STEADY, 2 ** (semitones / 12)))) {
      expect(jitter).toBeLessThan(0.2)
      expect(shimmer).toBeLessThan(1)
    }
  })

  it.each([
    ['man', MAN, 5],
    ['man', MAN, -5],
    ['woman', WOMAN, 5],
    ['woman', WOMAN, -5],
    ['child', CHILD, 5],
    ['child', CHILD, -5],
  ] as const)('of a %s has periods hardly less even than one at that pitch', (_, manner, semitones) => {
    const { channels } = speaker(manner)
    const found = defaultAttacks(measure(channels, RATE).transients, RATE)
    const out = transposed(channels[0]!, semitones, attackPlaces(found, protectedBy('line')))
    const wanted = speaker(manner, 2 ** (semitones / 12))
    const should = unevenness(wanted.channels[0]!, wanted)
    const all = unevenness(out, wanted)
    const mean = (of: typeof all, what: 'jitter' | 'shimmer'): number =>
      of.reduce((sum, u) => sum + u[what], 0) / of.length
    expect(mean(all, 'jitter')).toBeLessThan(mean(should, 'jitter') + 0.25)
    expect(mean(all, 'shimmer')).toBeLessThan(mean(should, 'shimmer') + 1)
    all.forEach(({ jitter, shimmer }, v) => {
      expect(jitter).toBeLessThan(should[v]!.jitter + 0.4)
      expect(shimmer).toBeLessThan(should[v]!.shimmer + 2.5)
    })
  })
})

describe('a steady voice', () => {
  it.each([
    [210, -5],
    [210, 5],
    [250, -5],
    [250, 5],
  ])('of %i Hz has no harmonic that is hardly there, %i semitones away', (hz, semitones) => {
    const said = speaker({ ...STEADY, hz })
    const wanted = speaker({ ...STEADY, hz }, 2 ** (semitones / 12))
    const out = transposed(said.channels[0]!, semitones, [])
    wanted.vowels.forEach(({ from, to }, v) => {
      const [a, b] = [Math.round((from + 0.15) * RATE), Math.round((to - 0.15) * RATE)]
      const pitch = wanted.pitchAt(v, from)
      const level = (x: Float32Array, h: number): number =>
        10 * Math.log10(powerAt(x.subarray(a, b), h * pitch))
      const numbers = Array.from({ length: Math.floor(2500 / pitch) }, (_, k) => k + 1)
      const own = numbers.map((h) => level(wanted.channels[0]!, h))
      const top = Math.max(...own)
      // Cut out around marks half a period beside the pulses, some were 14 to 25 dB too soft.
      numbers.forEach((h, k) => {
        if (own[k]! > top - 30) expect(level(out, h) - own[k]!).toBeGreaterThan(-9)
      })
    })
  })

  it.each([-0.5, 0.5])('keeps its brightness %f semitones away', (semitones) => {
    const x = speaker(WOMAN).channels[0]!
    const bright = (y: Float32Array): number => rms(secondDifference(y))
    expect(Math.abs(20 * Math.log10(bright(transposed(x, semitones, [])) / bright(x)))).toBeLessThan(0.5)
  })
})

describe('a glide', () => {
  it('is no attack to what stretches tones, the voice goes on through it; a vowel after silence is one', () => {
    const { channels, vowels } = speaker({ ...WOMAN, swing: 4 })
    const found = defaultAttacks(measure(channels, RATE).transients, RATE)
    const begins = (at: number): boolean => vowels.some((v) => Math.abs(at / RATE - v.from) < 0.05)
    expect(found.filter((t) => begins(t.at)).map((t) => t.slurred)).toEqual(vowels.map(() => undefined))
    const inside = found.filter((t) => !begins(t.at))
    const slurred = inside.filter((t) => t.slurred === 'alone')
    expect(slurred.length).toBeGreaterThan(0.5 * inside.length)
    const places = (method: MethodName): number[] => attackPlaces(found, protectedBy(method))
    expect(places('cuts')).toEqual(found.map((t) => t.at))
    for (const method of ['chords', 'mix'] as const)
      expect(places(method)).toEqual(found.filter((t) => t.slurred !== 'alone').map((t) => t.at))
    expect(places('line')).toEqual(found.filter((t) => !t.slurred).map((t) => t.at))
  })

  it('that Chords goes on through is nearer the recording than one that is kept as an attack', () => {
    const { channels } = speaker(WOMAN)
    const found = defaultAttacks(measure(channels, RATE).transients, RATE)
    const length = channels[0]!.length
    const [through, kept] = [protectedBy('chords'), { later: false, slurs: 'all' } as const].map((which) => {
      const map = [
        { source: 0, target: 0 },
        { source: length, target: Math.round(0.75 * length) },
      ]
      const settings: StretchSettings = { ...DEFAULT_STRETCH, method: 'chords' }
      const out = stretchAudio({ channels, sampleRate: RATE }, map, attackPlaces(found, which), settings)[0]!
      return spectralDistance(channels[0]!, out, 0.75)
    })
    expect(through!.convergence).toBeLessThan(0.8 * kept!.convergence)
    expect(through!.distance).toBeLessThan(kept!.distance)
  })

  it.each([
    [220, -12],
    [440, -24],
    [220, -40],
  ])('is no stroke over a tone that goes on: %i Hz, hats of %i dB', (hz, level) => {
    const { channels } = toneUnderHats(hz, 2, RATE, level)
    const found = measure(channels, RATE).transients
    expect(found.length).toBeGreaterThan(8)
    expect(found.filter((t) => t.slurred === 'alone')).toEqual([])
    expect(attackPlaces(found, protectedBy('chords'))).toEqual(found.map((t) => t.at))
    // The tone goes on all the same, and Line with it.
    expect(found.filter((t) => t.slurred === 'struck').length).toBeGreaterThan(0.8 * found.length)
    expect(attackPlaces(found, protectedBy('line')).length).toBeLessThan(0.2 * found.length)
  })

  it.each(['string', 'bass', 'keys'] as const)('is nothing that is struck or plucked: %s', (instrument) => {
    for (const seed of [31, 32]) {
      const { channels, sampleRate } = linePiece(instrument, instrument, seed)
      const found = measure(channels, sampleRate).transients
      expect(found.length).toBeGreaterThan(20)
      expect(found.filter((t) => t.slurred)).toEqual([])
    }
  })

  it.each([
    [1, true],
    [1.3, true],
    [1.6, false],
    [2, false],
  ])('is told from its level: a tone that goes on %f times as loud', (louder, slurred) => {
    const x = periodic(210, 2, RATE, 12)
    for (let i = RATE; i < x.length; i++) x[i]! *= louder
    const held = { hop: 0.005, f0: new Float32Array(400).fill(210), voicing: new Float32Array(400).fill(1) }
    const [event] = withSlurs([{ at: samples(RATE), strength: 0.5 }], held, [x], RATE)
    expect(event!.slurred).toBe(slurred ? 'alone' : undefined)
  })
})
