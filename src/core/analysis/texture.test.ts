// What is told a texture, and what only sounds noisy.
import { describe, expect, it } from 'vitest'
import { smallRoom } from '../../../demo/instruments/room'
import { bandPiece, type BandPlan } from '../../../bench/corpus/pieces'
import { hiss, shower } from '../../../tests/support/textures'
import { sine, strokes } from '../../../tests/support/signals'
import { realFft } from '../dsp/fft'
import { randomFrom } from '../dsp/random'
import { hann } from '../dsp/windows'
import { resample } from '../audio/resample'
import { materialOf, measure } from './analyse'
import { mainSource } from './source'
import { textureMeter, tonelessMeter, tonelessness, type Texture } from './texture'

const RATE = 44100
const SIZE = 512

function textureOf(x: Float32Array): Texture {
  const [fft, window] = [realFft(SIZE), hann(SIZE)]
  const [frame, spectrum] = [new Float32Array(SIZE), new Float32Array(SIZE)]
  const frames = Math.floor(x.length / SIZE)
  const meter = textureMeter(SIZE, RATE, frames)
  for (let f = 0; f < frames; f++) {
    for (let i = 0; i < SIZE; i++) frame[i] = x[f * SIZE + i]! * window[i]!
    fft.forward(frame, spectrum)
    meter.add(
      Float32Array.from({ length: SIZE / 2 + 1 }, (_, k) =>
        k < SIZE / 2 ? Math.hypot(spectrum[2 * k]!, k ? spectrum[2 * k + 1]! : 0) : 0,
      ),
    )
  }
  return meter.between(0, frames)
}

const suggested = (channels: readonly Float32Array[], rate = RATE) =>
  materialOf(channels, rate, measure(channels, rate))

const rain = (): Float32Array => shower(12, RATE, 400, 0.002, 3)
const applause = (): Float32Array => shower(12, RATE, 150, 0.006, 5)

/** Noise that falls by 6 dB an octave, as wind and distant water do. */
function brown(seconds: number): Float32Array {
  let y = 0
  return hiss(seconds, RATE, 8).map((v) => (y = 0.98 * y + 0.2 * v))
}

/** Four notes of six players each, out of tune by some cents and each with a vibrato of their own. */
function strings(): Float32Array {
  const random = randomFrom(3)
  const out = new Float32Array(8 * RATE)
  for (const hz of [131, 196, 330, 494])
    for (let player = 0; player < 6; player++) {
      const [own, speed, turn] = [hz * 2 ** ((random() - 0.5) / 60), 4 + 3 * random(), 6 * random()]
      let phase = 6 * random()
      for (let i = 0; i < out.length; i++) {
        phase += (2 * Math.PI * own * (1 + 0.008 * Math.sin((6.28 * speed * i) / RATE + turn))) / RATE
        const fade = Math.min(1, i / RATE, (out.length - i) / RATE)
        // Each harmonic's sine from the two before it.
        const twice = 2 * Math.cos(phase)
        let [sum, sine, before] = [0, Math.sin(phase), 0]
        for (let k = 1; k <= 6; k++) {
          sum += sine / k
          const next = twice * sine - before
          before = sine
          sine = next
        }
        out[i]! += 0.02 * fade * sum
      }
    }
  return out
}

const PLAN: BandPlan = {
  meter: '4/4',
  groove: 'busy',
  bpm: 132,
  feel: 'steady',
  bars: 6,
  chords: null,
  bass: false,
  tune: null,
}

/** A guitar's and an organ's chords, overdriven. */
function overdriven(seed: number, drive = 100, plan = PLAN): Float32Array {
  const chords = (['guitar', 'organ'] as const).map(
    (c) => bandPiece(c, { ...plan, groove: null, chords: c }, seed).channels[0]!,
  )
  let dull = 0
  return chords[0]!.map((v, i) => {
    dull += 0.45 * (Math.tanh(drive * (v + 0.5 * (chords[1]![i] ?? 0))) - dull)
    return 0.5 * dull
  })
}

const wall = overdriven(5)

describe('the meter', () => {
  it('calls Gaussian noise all noise and even', () => {
    const { noise, steps } = textureOf(hiss(12, RATE, 5))
    expect(Math.abs(noise - 1)).toBeLessThan(0.02)
    expect(steps).toBeLessThan(2.5)
  })

  it('finds tones in long frames, and none in noise of any colour, in bursts and in silence', () => {
    const of = (x: Float32Array): number => tonelessness([tonelessMeter(mainSource([x], RATE))(0, x.length)])
    for (const x of [hiss(12, RATE, 5), brown(12), rain(), applause()])
      expect(Math.abs(of(x) - 1)).toBeLessThan(0.06)
    expect(of(new Float32Array(RATE))).toBe(1)
    expect(of(wall)).toBeLessThan(0.3)
    expect(textureOf(wall).noise).toBeGreaterThan(0.93)
  })

  it('calls tones no noise', () => {
    const [low, high] = [sine(440, 3, RATE, 0.3), sine(1320, 3, RATE, 0.2)]
    expect(textureOf(low.map((v, i) => v + high[i]!)).noise).toBeLessThan(0.7)
  })

  it('calls silence no noise, and what is as soft as 24 bits can be the noise that it is', () => {
    expect(textureOf(new Float32Array(RATE)).noise).toBe(0)
    const soft = hiss(2, RATE, 5).map((v) => v * 1e-6)
    expect(Math.abs(textureOf(soft).noise - 1)).toBeLessThan(0.05)
  })

  it('finds the spread of what fades', () => {
    const fading = hiss(4, RATE, 5).map((v, i) => v * 10 ** (-i / RATE / 2))
    expect(textureOf(fading).steps).toBeLessThan(3)
    expect(textureOf(fading).spread).toBeGreaterThan(8)
    expect(textureOf(hiss(4, RATE, 5)).spread).toBeLessThan(2)
  })

  it('finds the steps of a drum kit even when it is squashed to one level', () => {
    const kit = bandPiece('kit', PLAN, 5).channels[0]!
    expect(textureOf(kit).steps).toBeGreaterThan(9)
    expect(textureOf(kit.map((v) => Math.tanh(8 * v))).steps).toBeGreaterThan(9)
  })
})

describe('the suggestion', () => {
  it.each([
    ['hiss', () => hiss(12, RATE, 5)],
    ['rain', rain],
    ['a downpour', () => shower(12, RATE, 2000, 0.002, 3)],
    ['applause', applause],
    ['applause in a room', () => smallRoom(applause(), RATE, 0.2)],
    ['a few clapping', () => shower(12, RATE, 20, 0.01, 7)],
    ['wind', () => brown(12)],
    ['surf', () => brown(12).map((v, i) => v * (1.5 - Math.cos((2 * Math.PI * i) / RATE / 4)))],
  ])('is Grains for %s', (_, make) => {
    const material = suggested([make()])
    expect(material.suggested).toBe('grains')
    expect(material.regions.map((r) => r.suggested)).toEqual(['grains'])
  })

  it('is Grains for rain at 8 and 96 kHz, and in stereo', () => {
    const x = rain()
    for (const rate of [8000, 96000])
      expect(
        suggested([...resample({ channels: [x], sampleRate: RATE }, rate).channels], rate).suggested,
      ).toBe('grains')
    expect(suggested([x, shower(12, RATE, 400, 0.002, 4)]).suggested).toBe('grains')
  })

  it('is not Grains for a cymbal that is left to ring, nor for a snare', () => {
    const ring = (seconds: number, t60: number): Float32Array =>
      hiss(seconds, RATE, 8).map((v, i) => (i < 400 ? 0 : v * 10 ** ((-3 * (i - 400)) / RATE / t60)))
    expect(suggested([ring(2, 2)]).suggested).not.toBe('grains')
    expect(suggested([ring(0.5, 0.3)]).suggested).not.toBe('grains')
  })

  it('is not Grains for chords that are far overdriven, alone or with drums, squashed or not', () => {
    expect(suggested([wall]).suggested).toBe('chords')
    const drums = bandPiece('drums', { ...PLAN, groove: 'backbeat', bass: true }, 5).channels[0]!
    const both = wall.map((v, i) => 0.8 * v + 0.6 * (drums[i] ?? 0))
    for (const x of [both, both.map((v) => Math.tanh(4 * v))])
      expect(['mix', 'chords']).toContain(suggested([x]).suggested)
  })

  it('is not Hits for such chords with drums that strike nine times a second', () => {
    const plan = { ...PLAN, bpm: 165 }
    const drums = bandPiece('drums', { ...plan, groove: 'busy', bass: true }, 3).channels[0]!
    const both = overdriven(3, 4, plan).map((v, i) => 0.8 * v + 0.6 * (drums[i] ?? 0))
    const { suggested: method, density } = suggested([both])
    expect(density).toBeGreaterThan(8)
    expect(method).toBe('mix')
  })

  it('is not Grains for a brush on a snare, whose noise never stops', () => {
    const beat = RATE / 8
    const brush = hiss(8, RATE, 8).map((v, i) => v * 10 ** (-(i % beat) / beat))
    const { noise, spread } = textureOf(brush)
    expect(noise).toBeGreaterThan(0.93)
    expect(spread).toBeLessThan(7)
    expect(suggested([brush]).suggested).not.toBe('grains')
  })

  it('is not Grains for a held chord of many notes, however even', () => {
    const chord = new Float32Array(8 * RATE)
    for (const hz of [110, 131, 165, 196, 247, 294, 370, 440, 523, 622, 784, 932])
      sine(hz, 8, RATE, 0.05, hz).forEach((v, i) => (chord[i]! += v + 0.3 * Math.sin(7 * v)))
    for (const t of [1, 3, 5, 7])
      strokes(3, RATE, [0.01, 0.3]).forEach((v, i) => (chord[t * RATE + i]! += 0.2 * v))
    const { steps, spread } = textureOf(chord)
    expect(steps).toBeLessThan(6)
    expect(spread).toBeLessThan(7)
    expect(suggested([chord]).suggested).not.toBe('grains')
  })

  it.each([
    ['of strings', strings],
    ['that swells and fades', () => strings().map((v, i) => v * (1.05 - Math.cos((Math.PI * i) / RATE)))],
  ])('is Chords for a section %s, though nothing in it begins or has one pitch', (_, make) => {
    const material = suggested([make()])
    expect(material.density).toBeLessThan(0.4)
    expect(material.singleLine).toBeLessThan(0.05)
    expect(material.suggested).toBe('chords')
  })

  it.each(['busy', 'shaker', 'backbeat'])('is Hits for drums (%s), as they are and squashed', (groove) => {
    const kit = bandPiece('kit', { ...PLAN, groove }, 5).channels[0]!
    expect(suggested([kit]).suggested).toBe('hits')
    expect(suggested([kit.map((v) => Math.tanh(8 * v))]).suggested).toBe('hits')
  })
})
