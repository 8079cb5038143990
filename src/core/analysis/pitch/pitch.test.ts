// Pitch: on tones whose pitch is known, in noise and without a fundamental; notes and their numbers.
import { describe, expect, it } from 'vitest'
import { noise, sine, vibrato } from '../../../../tests/support/signals'
import { median, percentile } from '../../../../tests/support/measure'
import { mainSource } from '../source'
import { joinCandidates, pitchCandidates, pitchFrames, thresholdCdf } from './candidates'
import { pitchLine } from './find'
import { findNotes, vibratoOf } from './notes'

const RATE = 44100
const pitchOf = (x: Float32Array, rate = RATE) => pitchLine(mainSource([x], rate))
const cents = (hz: number, truth: number): number => Math.abs(1200 * Math.log2(hz / truth))

/** A harmonic tone with partials from `first` on. */
function harmonic(hz: number, seconds: number, first = 1, last = 8, rate = RATE): Float32Array {
  const out = new Float32Array(Math.round(seconds * rate))
  for (let h = first; h <= last; h++)
    for (let i = 0; i < out.length; i++)
      out[i]! += (0.3 / h) * Math.sin((2 * Math.PI * h * hz * i) / rate + h)
  return out
}

const mixed = (a: Float32Array, b: Float32Array): Float32Array => a.map((v, i) => v + b[i]!)

describe('pitch of steady tones', () => {
  it.each([27.5, 30.87, 41.2, 55, 110, 196, 440, 987.8, 1568])(
    '%f Hz within 5 cents in every frame, at three rates',
    (hz) => {
      for (const rate of [22050, 44100, 96000]) {
        const { f0 } = pitchOf(harmonic(hz, 0.6, 1, 6, rate), rate)
        const inner = [...f0].slice(10, -12)
        expect(inner.length).toBeGreaterThan(60)
        for (const v of inner) expect(cents(v, hz)).toBeLessThan(5)
      }
    },
  )

  it('a missing fundamental changes nothing (telephone band, ITU-T G.712)', () => {
    const { f0 } = pitchOf(harmonic(150, 1, 3, 20))
    expect(
      percentile(
        [...f0].slice(8, -8).map((v) => cents(v, 150)),
        0.98,
      ),
    ).toBeLessThan(10)
  })

  it('several notes have no deep pitch in common that nobody hears; a deep note among them is one', () => {
    const low = (x: Float32Array): number => {
      const { f0 } = pitchOf(x)
      return f0.filter((v) => v > 0 && v < 40).length / f0.length
    }
    // A major triad in just intonation, whose common period is that of 32.7 Hz.
    const chord = [4, 5, 6].map((k) => harmonic(32.7 * k, 1.5)).reduce(mixed)
    expect(low(chord)).toBe(0)
    expect(low(harmonic(32.7, 1.5))).toBeGreaterThan(0.9)
    // First harmonic 30 dB below the rest, as with a bowed bass.
    const bowed = mixed(harmonic(32.7, 1.5, 2, 12), sine(32.7, 1.5, RATE).map((v) => 0.01 * v)) // prettier-ignore
    expect(low(bowed)).toBeGreaterThan(0.9)
  })

  it('noise 20 dB below the tone leaves 98 % of the frames within 20 cents', () => {
    const tone = harmonic(220, 2)
    const { f0 } = pitchOf(mixed(tone, noise(2, RATE, 0.045 * Math.SQRT2, 3)))
    const right = [...f0].slice(8, -8).filter((v) => cents(v, 220) < 20).length
    expect(right / (f0.length - 16)).toBeGreaterThan(0.98)
  })

  it('noise and silence are unvoiced', () => {
    const voiced = (x: Float32Array): number => pitchOf(x).f0.filter((v) => v > 0).length / (x.length / 256)
    expect(voiced(noise(2, RATE, 0.3))).toBeLessThan(0.02)
    expect(voiced(new Float32Array(RATE))).toBe(0)
  })

  it('starts with the attack and ends with the tone, to two frames', () => {
    const x = new Float32Array(2 * RATE)
    x.set(harmonic(300, 0.8), 0.5 * RATE)
    const { f0, hop } = pitchOf(x)
    const voiced = [...f0].flatMap((v, i) => (v > 0 ? [i * hop] : []))
    expect(Math.abs(voiced[0]! - 0.5)).toBeLessThan(0.015)
    expect(Math.abs(voiced[voiced.length - 1]! - 1.3)).toBeLessThan(0.03)
  })
})

describe('candidates', () => {
  it('threshold distribution: Beta(2, 18) summed by hand', () => {
    const density = (x: number): number => 342 * x * (1 - x) ** 17
    for (const x of [0.05, 0.1, 0.3, 0.8]) {
      let sum = 0
      for (let i = 0; i < 10000; i++) sum += (density((x * (i + 0.5)) / 10000) * x) / 10000
      expect(thresholdCdf(x)).toBeCloseTo(sum, 5)
    }
  })

  it('made in parts are the same as made at once', () => {
    const source = mainSource([vibrato(330, 1.5, RATE)], RATE)
    const whole = pitchCandidates(source)
    const frames = pitchFrames(source)
    const parts = [
      pitchCandidates(source, undefined, { from: 0, to: 77 }),
      pitchCandidates(source, undefined, { from: 77, to: frames }),
    ]
    expect(joinCandidates(parts)).toEqual(whole)
  })
})

describe('notes', () => {
  it('a scale of joined notes: every pitch to 3 cents, every start to 30 ms, without attacks', () => {
    const scale = [60, 62, 64.1, 65, 67]
    const x = new Float32Array(scale.length * 0.4 * RATE)
    let phase = 0
    for (let i = 0; i < x.length; i++) {
      const hz = 440 * 2 ** ((scale[Math.floor(i / (0.4 * RATE))]! - 69) / 12)
      phase += (2 * Math.PI * hz) / RATE
      for (let h = 1; h < 6; h++) x[i]! += (0.2 / h) * Math.sin(h * phase)
    }
    const notes = findNotes(pitchOf(x), [])
    expect(notes.length).toBe(5)
    notes.forEach((n, i) => {
      expect(Math.abs(n.midi - scale[i]!)).toBeLessThan(0.03)
      expect(Math.abs(n.start - 0.4 * i)).toBeLessThan(0.03)
    })
  })

  it('finds every note of the lowest strings of basses', () => {
    const midis = [21, 23, 24, 26, 28, 31, 23]
    const tones = midis.map((m) => harmonic(440 * 2 ** ((m - 69) / 12), 0.5, 1, 12))
    const x = new Float32Array(tones.reduce((n, t) => n + t.length, 0))
    tones.forEach((t, i) => x.set(t, i * t.length))
    const notes = findNotes(pitchOf(x), [])
    expect(notes.map((n) => Math.round(n.midi))).toEqual(midis)
    notes.forEach((n, i) => expect(Math.abs(n.start - 0.5 * i)).toBeLessThan(0.04))
  })

  it('vibrato is one note with its rate and depth', () => {
    const notes = findNotes(pitchOf(vibrato(440, 3, RATE, 0.4, 5.5)), [])
    expect(notes.length).toBe(1)
    expect(Math.abs(notes[0]!.midi - 69)).toBeLessThan(0.05)
    expect(notes[0]!.vibrato.rate).toBeCloseTo(5.5, 0)
    expect(Math.abs(notes[0]!.vibrato.depth - 40)).toBeLessThan(6)
  })

  it('a repeated note needs an attack', () => {
    const pitch = pitchOf(harmonic(220, 1.2))
    expect(findNotes(pitch, []).length).toBe(1)
    const two = findNotes(pitch, [{ time: 0.6, strength: 0.9 }])
    expect(two.map((n) => n.midi.toFixed(1))).toEqual(['57.0', '57.0'])
    expect(Math.abs(two[1]!.start - 0.6)).toBeLessThan(0.01)
  })

  it('nothing goes down by an octave or more unstruck: that is the common period of what rings', () => {
    const midis = [62, 38, 64, 53]
    const f0 = Float32Array.from({ length: 400 }, (_, f) => 440 * 2 ** ((midis[(f / 100) | 0]! - 69) / 12))
    const pitch = { hop: 0.005, f0, voicing: new Float32Array(400).fill(1) }
    const midisOf = (attacks: readonly number[]): number[] =>
      findNotes(
        pitch,
        attacks.map((time) => ({ time, strength: 0.9 })),
      ).map((n) => Math.round(n.midi))
    expect(midisOf([0, 1])).toEqual([62, 64, 53])
    expect(midisOf([0, 0.5, 1, 1.5])).toEqual([62, 38, 64, 53])
  })

  it('what a room gives back of a damped note is none; what is struck, longer or as high as another is', () => {
    const made = (until: number, midi: number, attacks: readonly number[]): number => {
      const f0 = Float32Array.from({ length: 240 }, (_, f) => (f < 100 ? 220 : 0))
      f0.fill(440 * 2 ** ((midi - 69) / 12), 114, until)
      const pitch = { hop: 0.005, f0, voicing: new Float32Array(240).fill(1) }
      return findNotes(
        pitch,
        attacks.map((time) => ({ time, strength: 0.9 })),
      ).length
    }
    expect(made(136, 57.05, [0])).toBe(1)
    expect(made(136, 57.05, [0, 0.57])).toBe(2)
    expect(made(180, 57.05, [0])).toBe(2)
    expect(made(136, 60, [0])).toBe(2)
  })

  it('no vibrato in a straight or a drifting line; depth in a made one', () => {
    const hop = 0.0058
    const line = (f: (t: number) => number): number[] => Array.from({ length: 200 }, (_, i) => f(i * hop))
    expect(
      vibratoOf(
        line(() => 60),
        hop,
      ).rate,
    ).toBe(0)
    expect(
      vibratoOf(
        line((t) => 60 + 0.4 * t),
        hop,
      ).rate,
    ).toBe(0)
    const made = vibratoOf(
      line((t) => 60 + 0.3 * Math.sin(2 * Math.PI * 6 * t)),
      hop,
    )
    expect(made.rate).toBeCloseTo(6, 0)
    expect(Math.abs(made.depth - 30)).toBeLessThan(4)
  })

  it('drift and glides are measured in cents', () => {
    const x = new Float32Array(1.5 * RATE)
    let phase = 0
    for (let i = 0; i < x.length; i++) {
      const t = i / RATE
      const bend = -0.8 * Math.exp(-t / 0.03) + 0.3 * (t / 1.5)
      phase += (2 * Math.PI * 330 * 2 ** (bend / 12)) / RATE
      for (let h = 1; h < 6; h++) x[i]! += (0.2 / h) * Math.sin(h * phase)
    }
    const [note] = findNotes(pitchOf(x), [])
    expect(note!.glideIn).toBeLessThan(-25)
    expect(Math.abs(note!.drift - 30)).toBeLessThan(12)
    expect(note!.vibrato.rate).toBe(0)
  })

  it('sine tones across the range are centred to 2 cents (median)', () => {
    const off = [48, 57, 69, 81].map((m) => {
      const [n] = findNotes(pitchOf(sine(440 * 2 ** ((m - 69) / 12), 0.7, RATE)), [])
      return Math.abs(100 * (n!.midi - m))
    })
    expect(median(off)).toBeLessThan(2)
  })
})
