// Long spans in parts: nothing of it is heard, and nothing depends on how it is read.
import { describe, expect, it } from 'vitest'
import { db, rms } from '../../../tests/support/measure'
import { noise, sine } from '../../../tests/support/signals'
import { openStretcher, stretchAudio } from './stretch'
import { DEFAULT_STRETCH, type StretchSettings } from './types'

const RATE = 8000
const SECONDS = 70
const RATIO = 1.25
const whole = [
  { source: 0, target: 0 },
  { source: SECONDS * RATE, target: SECONDS * RATE * RATIO },
]
const kept: Partial<StretchSettings> = { pitch: 2 ** (3 / 12), formants: 'keep' }
const ways: [string, StretchSettings][] = [
  ['hits', { ...DEFAULT_STRETCH, method: 'hits' }],
  ['hits by repeat', { ...DEFAULT_STRETCH, method: 'hits', fill: 'repeat' }],
  ['cuts', { ...DEFAULT_STRETCH, method: 'cuts' }],
  ['chords with formants kept', { ...DEFAULT_STRETCH, ...kept, method: 'chords' }],
]

describe('a span of more than a minute', () => {
  it.each(ways)('has its length and level, and no step, with %s', (_, settings) => {
    const tone = sine(220, SECONDS, RATE)
    const out = stretchAudio({ channels: [tone], sampleRate: RATE }, whole, [], settings)[0]!
    expect(out.length).toBe(SECONDS * RATE * RATIO)
    expect(Math.abs(db(rms(out, 0, out.length) / rms(tone, 0, tone.length)))).toBeLessThan(0.2)
    const steepest = (x: Float32Array): number =>
      x.reduce((most, v, i) => (i ? Math.max(most, Math.abs(v - x[i - 1]!)) : most), 0)
    expect(steepest(out)).toBeLessThan(1.5 * settings.pitch * steepest(tone))
  })

  it.each(['hits', 'cuts'] as const)('begins anew at fixed places of the recording with %s', (method) => {
    const hiss = noise(SECONDS, RATE, 0.3, 5)
    const settings: StretchSettings = { ...DEFAULT_STRETCH, method }
    const out = stretchAudio({ channels: [hiss], sampleRate: RATE }, whole, [], settings)[0]!
    for (const second of [20, 40, 60])
      for (let i = 0; i < 0.02 * RATE; i++)
        expect(out[second * RATE * RATIO + i]).toBe(hiss[second * RATE + i])
  })

  it.each(ways)('is the same in chunks of any size with %s', (_, settings) => {
    const hiss = noise(SECONDS, RATE, 0.3, 6)
    const source = { channels: [hiss], sampleRate: RATE }
    const once = stretchAudio(source, whole, [], settings)[0]!
    const stretcher = openStretcher(source, whole, [], settings)
    const out = new Float32Array(once.length)
    for (let at = 0, n = 1; at < out.length; n = (n * 7) % 9973) at += stretcher.read([out], at, n)
    expect(out.every((v, i) => v === once[i])).toBe(true)
  })
})
