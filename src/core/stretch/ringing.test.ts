// Tones that ring on under attacks, and through knots.
import { describe, expect, it } from 'vitest'
import { toneAfter, toneUnderHats } from '../../../tests/support/hats'
import { sine } from '../../../tests/support/signals'
import { led } from './leads'
import { openSpan } from './methods'
import { spansOf } from './spans'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH, type StretchSettings } from './types'
import type { TimeMap } from '../timing/time-map'

const RATE = 44100
const METHODS = ['chords', 'mix'] as const
const settingsOf = (method: (typeof METHODS)[number]): StretchSettings => ({ ...DEFAULT_STRETCH, method })

const even = (length: number, ratio: number): TimeMap => [
  { source: 0, target: 0 },
  { source: length, target: Math.round(length * ratio) },
]

/** Attacks at which the speed changes, from one to the other and back. */
function bent(attacks: readonly number[], length: number, ratios: readonly [number, number]): TimeMap {
  const map = [{ source: 0, target: 0 }]
  ;[...attacks.filter((_, i) => i % 2), length].forEach((source, i) => {
    const last = map[map.length - 1]!
    map.push({ source, target: last.target + Math.round((source - last.source) * ratios[i % 2]!) })
  })
  return map
}

describe.each(METHODS)('a tone under hats with %s', (method) => {
  const settings = settingsOf(method)

  // The worst of the pitch is where spans are so short that frames are, too: a low tone comes back to its phase then.
  it.each([
    [82.4, 0.75, 50],
    [82.4, 1.25, 25],
    [82.4, 1.5, 25],
    [220, 0.75, 25],
    [220, 1.25, 12],
    [700, 1.25, 5],
    [700, 1.5, 5],
  ])('of %d Hz is as loud all the time at %d times', (hz, ratio, cents) => {
    const { channels, attacks } = toneUnderHats(hz, 5, RATE, -12)
    const y = stretchAudio(
      { channels, sampleRate: RATE },
      even(channels[0]!.length, ratio),
      attacks,
      settings,
    )[0]!
    const tone = toneAfter(y, hz, RATE)
    expect(tone.softest).toBeGreaterThan(-0.5)
    expect(tone.loudest).toBeLessThan(0.5)
    expect(tone.cents).toBeLessThan(cents)
  })

  it.each([
    [0.9, 1.1],
    [1.25, 1],
  ] as const)('is as loud all the time where the speed changes from %d to %d times', (a, b) => {
    const { channels, attacks } = toneUnderHats(220, 5, RATE, -12)
    const map = bent(attacks, channels[0]!.length, [a, b])
    const tone = toneAfter(
      stretchAudio({ channels, sampleRate: RATE }, map, attacks, settings)[0]!,
      220,
      RATE,
    )
    expect(tone.softest).toBeGreaterThan(-0.8)
    expect(tone.loudest).toBeLessThan(0.5)
  })

  it.each([0.75, 1.25, 1.5])('without the hats has no click where they were, at %d times', (ratio) => {
    const { attacks } = toneUnderHats(220, 5, RATE, -12)
    const x = sine(220, 5, RATE, 0.3)
    const y = stretchAudio({ channels: [x], sampleRate: RATE }, even(x.length, ratio), attacks, settings)[0]!
    // The third difference of a click of one sample is as large as it; that of the tone is 0.00003 times the tone. Where
    // frames leave out an attack, 3 ms before it, the weight that is made up for bends by 57 dB less than the tone at 1.5 times.
    const steepest = 0.3 * (2 * Math.sin((Math.PI * 220) / RATE)) ** 3
    const least = 0.3 * 10 ** ((ratio > 1.4 ? -56 : -66) / 20)
    let most = 0
    for (let i = RATE / 2; i < y.length - RATE / 2; i++)
      most = Math.max(most, Math.abs(y[i + 3]! - 3 * y[i + 2]! + 3 * y[i + 1]! - y[i]!))
    expect(most).toBeLessThan(steepest + least)
  })

  it('transposed is as loud all the time', () => {
    const { channels, attacks } = toneUnderHats(220, 5, RATE, -12)
    const pitch = 2 ** (2 / 12)
    const map = even(channels[0]!.length, 1.25)
    const y = stretchAudio({ channels, sampleRate: RATE }, map, attacks, { ...settings, pitch })[0]!
    const tone = toneAfter(y, 220 * pitch, RATE)
    expect(tone.softest).toBeGreaterThan(-0.8)
    expect(tone.loudest).toBeLessThan(0.5)
  })

  it('is the same when a span is rendered by itself', () => {
    const { channels, attacks } = toneUnderHats(220, 3, RATE, -12)
    const map = even(channels[0]!.length, 1.25)
    const spans = led(spansOf(map, attacks), map, settings, RATE)
    expect(spans.filter((s) => s.lead).length).toBeGreaterThan(spans.length / 2)
    const whole = stretchAudio({ channels, sampleRate: RATE }, map, attacks, settings)[0]!
    let end = whole.length
    for (const span of [...spans].reverse()) {
      const out = [new Float32Array(span.length)]
      // A recording that nothing is remembered of.
      const fresh = { channels: [channels[0]!.slice()], sampleRate: RATE }
      openSpan(fresh, structuredClone(span), settings).pull(out, 0, span.length)
      expect(out[0]!.every((v, i) => v === whole[end - span.length + i])).toBe(true)
      end -= span.length
    }
    expect(end).toBe(0)
  })

  it('gives way to an attack that is something else, sample for sample', () => {
    const x = sine(220, 3, RATE, 0.2)
    const at = Math.round(1.4 * RATE)
    const other = sine(330, 2, RATE, 0.5, 1)
    for (let i = at; i < x.length; i++) x[i] = other[i - at]!
    const y = stretchAudio({ channels: [x], sampleRate: RATE }, even(x.length, 1.25), [at], settings)[0]!
    const n = Math.round(0.015 * RATE)
    const target = Math.round(at * 1.25)
    expect([...y.subarray(target, target + n)]).toEqual([...x.subarray(at, at + n)])
  })
})

describe('which spans lead others', () => {
  const attacks = Array.from({ length: 40 }, (_, i) => 4000 + i * 8000)
  const chords = settingsOf('chords')
  const length = 330000
  const ledAlong = (map: TimeMap, struck = attacks, settings = chords) =>
    led(spansOf(map, struck), map, settings, RATE)

  it('are those before attacks between knots, within two seconds of the recording', () => {
    const spans = ledAlong(even(length, 1.25))
    for (const [i, s] of spans.entries()) {
      const before = spans[i - 1]
      const same = before && Math.floor(before.from / (2 * RATE)) === Math.floor(s.from / (2 * RATE))
      expect(s.lead).toBe(same ? before : undefined)
      expect(before?.ringsOn !== undefined).toBe(s.lead !== undefined)
    }
    const map = [...even(length, 1.25)]
    map.splice(1, 0, { source: attacks[3]!, target: 40000 })
    const bent = ledAlong(map)
    expect(bent.find((s) => s.from === attacks[3])!.lead).toBeUndefined()
    expect(bent.find((s) => s.from === attacks[4])!.lead).toBeDefined()
  })

  it('are none where nothing is stretched, pitch changes, or another method is used', () => {
    const leads = (spans: readonly { readonly lead?: unknown }[]) => spans.filter((s) => s.lead).length
    expect(leads(ledAlong(even(length, 1)))).toBe(0)
    expect(leads(ledAlong(even(length, 1.25), attacks, { ...chords, pitch: 1.1 }))).toBe(0)
    expect(leads(ledAlong(even(length, 1.25), attacks, { ...chords, method: 'hits' }))).toBe(0)
  })

  it('are told from others by what is before them since the two seconds began', () => {
    const name = (k: number, without: number) =>
      ledAlong(
        even(length, 1.25),
        attacks.filter((_, i) => i !== without),
      ).find((s) => s.from === attacks[k])!.lead!.ringsOn
    expect(name(8, 5)).not.toBe(name(8, -1))
    expect(name(8, 9)).toBe(name(8, -1))
    expect(name(14, 5)).toBe(name(14, -1))
  })
})
