// What follows an attack is where the map has it, whatever was copied of the attack.
import { describe, expect, it } from 'vitest'
import { imageChange, stereoPiece } from '../../../bench/stretch/image'
import { db, rms, secondDifference, steepest } from '../../../tests/support/measure'
import { noise, sine } from '../../../tests/support/signals'
import { peak } from '../dsp/energy'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH } from './types'

const RATE = 44100
const STRUCK = 0.5
const CHANGE = 0.65

/** A tone that sets in at `STRUCK` and turns soft at `CHANGE`, which no attack tells. */
const tone = new Float32Array(1.4 * RATE).map((_, i) => {
  const t = i / RATE
  const level = t < STRUCK ? 0 : t < CHANGE ? 0.4 : 0.1
  return level * Math.sin(2 * Math.PI * 440 * t)
})

/** A tone that wavers by 30 cents, from one frequency to another in eight seconds. */
function gliding(from: number, to: number): Float32Array {
  let turns = 0
  return new Float32Array(8 * RATE).map((_, i) => {
    const t = i / RATE
    turns += ((from + ((to - from) * t) / 8) * 2 ** ((30 / 1200) * Math.sin(2 * Math.PI * 5.5 * t))) / RATE
    return 0.5 * Math.sin(2 * Math.PI * turns)
  })
}

/** When the tone turns soft, seconds. */
function softFrom(x: Float32Array, after: number): number {
  const level = (t: number): number => rms(x, Math.round((t - 0.01) * RATE), Math.round((t + 0.01) * RATE))
  const middle = Math.sqrt((0.4 ** 2 + 0.1 ** 2) / 4)
  let t = after
  while (level(t) > middle) t += 0.0005
  return t
}

describe('a steady tone before an attack', () => {
  it.each([55, 110, 220])('has no corner where frames are left out: %d Hz', (hz) => {
    const x = sine(hz, 2, RATE)
    const attacks = [0.3, 0.55, 0.8, 1.05, 1.3, 1.55].map((t) => Math.round(t * RATE))
    const own = (2 * Math.PI * hz) / RATE
    for (const method of ['chords', 'mix'] as const)
      for (const ratio of [0.75, 1.25, 1.5, 2, 3]) {
        const map = [
          { source: 0, target: 0 },
          { source: x.length, target: Math.round(x.length * ratio) },
        ]
        const sound = { ...DEFAULT_STRETCH, method }
        const y = stretchAudio({ channels: [x], sampleRate: RATE }, map, attacks, sound)[0]!
        const bent = secondDifference(y)
        const corners = attacks.map((a) => {
          const to = Math.round(a * ratio)
          return peak(bent, to - Math.round(0.03 * RATE), to)
        })
        // A full-scale wave's own curvature, and what 66 dB below the tone may add.
        expect(Math.max(...corners), `${method} ${ratio}`).toBeLessThan(1.5 * own ** 2 + 5e-4)
      }
  })
})

describe('a recording that begins and ends in the middle of a sound', () => {
  it.each([60, 300])('has its edges at its ends and nowhere else: %d Hz', (hz) => {
    const x = Float32Array.from({ length: RATE }, (_, i) => 0.5 * Math.cos((2 * Math.PI * hz * i) / RATE))
    const edge = Math.round(Math.max(1 / hz, 0.01) * RATE)
    for (const method of ['chords', 'mix'] as const)
      for (const ratio of [0.7, 1.25, 2])
        for (const pitch of [1, 1.3]) {
          const map = [
            { source: 0, target: 0 },
            { source: x.length, target: Math.round(x.length * ratio) },
          ]
          const sound = { ...DEFAULT_STRETCH, method, pitch, formants: 'keep' as const }
          const y = stretchAudio({ channels: [x], sampleRate: RATE }, map, [], sound)[0]!
          const what = `${method} ${ratio} ${pitch}`
          // A resampled edge rings for a few samples.
          expect(steepest(y.subarray(10, y.length - 10)) / steepest(x), what).toBeLessThan(2.5 * pitch)
          for (const part of [y.subarray(0, edge), y.subarray(y.length - edge)])
            expect(Math.abs(db(rms(part) / rms(x))), what).toBeLessThan(1.5)
        }
  })
})

describe('a body after its attack', () => {
  it.each([
    ['chords', 0.5],
    ['chords', 1.5],
    ['chords', 2],
    ['mix', 0.5],
    ['mix', 1.5],
  ] as const)('with %s at %f comes back to its place within a tenth of a second', (method, ratio) => {
    const map = [
      { source: 0, target: 0 },
      { source: tone.length, target: Math.round(tone.length * ratio) },
    ]
    const softened = (attacks: readonly number[]): number => {
      const sound = { ...DEFAULT_STRETCH, method }
      const [y] = stretchAudio({ channels: [tone], sampleRate: RATE }, map, attacks, sound)
      return softFrom(y!, STRUCK * ratio + 0.03)
    }
    // Windows smear the change alike; with no attack given, nothing is copied and all is where the map has it.
    expect(Math.abs(softened([STRUCK * RATE]) - softened([]))).toBeLessThan(0.003)
  })

  // Mix parts its bands at 1500 Hz.
  it.each([
    [1500, 1500],
    [1300, 1700],
    [1700, 1300],
    [1450, 1450],
  ])('lets a wavering tone from %i to %i Hz keep its level where bands part', (from, to) => {
    const x = gliding(from, to)
    for (const ratio of [0.8, 1.25, 1.5]) {
      const map = [
        { source: 0, target: 0 },
        { source: x.length, target: Math.round(x.length * ratio) },
      ]
      const sound = { ...DEFAULT_STRETCH, method: 'mix' } as const
      const y = stretchAudio({ channels: [x], sampleRate: RATE }, map, [], sound)[0]!
      const level = (n: number): number => 20 * Math.log10(rms(y, n, n + 2048) * Math.SQRT2 * 2)
      for (let n = RATE; n + RATE < y.length; n += 1024) expect(Math.abs(level(n))).toBeLessThan(0.3)
    }
  })

  it.each(['chords', 'mix'] as const)('%s keeps a stereo image', (method) => {
    const { channels, sampleRate } = stereoPiece()
    const length = channels[0]!.length
    const map = [
      { source: 0, target: 0 },
      { source: length, target: Math.round(length * 1.25) },
    ]
    const out = stretchAudio({ channels, sampleRate }, map, [], { ...DEFAULT_STRETCH, method })
    const { level, mono, phase } = imageChange(channels, out, sampleRate, 1.25)
    expect(level).toBeLessThan(0.3)
    expect(mono).toBeLessThan(0.3)
    expect(phase).toBeLessThan(5)
  })
})

describe('a tone that begins between two attacks', () => {
  /** Clicks in pairs, 70 ms apart, and a tone that sets in between those of each; the clicks' places. */
  const pairs = (hz: number): { readonly x: Float32Array; readonly attacks: number[] } => {
    const x = new Float32Array(6 * RATE)
    const attacks: number[] = []
    const click = noise(0.004, RATE, 0.1)
    const apart = Math.round(0.07 * RATE)
    for (let from = 0.3 * RATE; from < 5.5 * RATE; from += 0.4 * RATE) {
      const first = Math.round(from)
      attacks.push(first, first + apart)
      for (const at of [first, first + apart]) for (let i = 0; i < click.length; i++) x[at + i]! += click[i]!
      for (let i = 0; i < 0.3 * RATE; i++) {
        const t = i / RATE
        const rises = Math.min(1, t / 0.05) * Math.exp(-t / 0.5) * Math.min(1, (0.3 - t) / 0.05)
        x[first + Math.round(0.04 * RATE) + i]! += 0.4 * rises * Math.sin(2 * Math.PI * hz * t)
      }
    }
    return { x, attacks }
  }

  it.each([311, 349, 392, 440, 494])('at %i Hz does not cancel itself at the second', (hz) => {
    const ratio = 0.75
    const { x, attacks } = pairs(hz)
    const map = [
      { source: 0, target: 0 },
      { source: x.length, target: Math.round(x.length * ratio) },
    ]
    const sound = { ...DEFAULT_STRETCH, method: 'chords' } as const
    const [y] = stretchAudio({ channels: [x], sampleRate: RATE }, map, attacks, sound)
    const n = Math.round(0.005 * RATE)
    let worst = 0
    for (let k = 1; k < attacks.length; k += 2) {
      const [was, is] = [attacks[k]!, Math.round(attacks[k]! * ratio)]
      for (const from of [-2 * n, -n]) {
        const before = rms(x, was + Math.round(from / ratio), was + Math.round((from + n) / ratio))
        worst = Math.min(worst, 20 * Math.log10(rms(y!, is + from, is + from + n) / before))
      }
    }
    expect(worst).toBeGreaterThan(-0.5)
  })
})
