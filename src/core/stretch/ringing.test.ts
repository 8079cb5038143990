// Tones that ring on under attacks, and through knots.
import { describe, expect, it } from 'vitest'
import { chordAfter, chordUnderHats, movedMap, toneAfter, toneUnderHats } from '../../../tests/support/hats'
import { sine } from '../../../tests/support/signals'
import { led } from './leads'
import { openSpan } from './methods'
import { spansOf } from './spans'
import { stretchAudio } from './stretch'
import { DEFAULT_STRETCH, type Span, type StretchSettings } from './types'
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

  // The worst of the pitch is where a tone lies between quarter tones, and has to come back every two seconds.
  it.each([
    [55, 1, 0.75, 4],
    [55, 1, 1.5, 5],
    [82.4, 1, 0.75, 2],
    [82.4, 1, 1.25, 2],
    [82.4, 1, 1.5, 3],
    [83.6, 1, 0.75, 12],
    [85, 1, 0.75, 4],
    [85, 1, 1.5, 4],
    [220, 1, 0.75, 0.5],
    [220, 1, 1.25, 0.5],
    [220, 1, 1.5, 0.5],
    [223, 1, 0.75, 5],
    [700, 1, 0.75, 2],
    [700, 1, 1.25, 1],
    [700, 1, 1.5, 1],
    // Basses under sixteenths of 120 a minute, where frames are shorter.
    [41.2, 1.4, 0.75, 10],
    [41.2, 1.4, 1.25, 10],
    [55, 1.4, 1.25, 4],
    [65.4, 1.4, 0.75, 3],
    [65.4, 1.4, 1.25, 3],
    [65.4, 1.4, 1.5, 4],
  ])('of %d Hz, hats %d times as fast, is as loud all the time at %d times', (hz, pace, ratio, cents) => {
    const { channels, attacks } = toneUnderHats(hz, 5, RATE, -12, pace)
    const y = stretchAudio(
      { channels, sampleRate: RATE },
      even(channels[0]!.length, ratio),
      attacks,
      settings,
    )[0]!
    const tone = toneAfter(y, hz, RATE)
    const most = hz < 50 ? 0.8 : 0.5
    expect(tone.softest).toBeGreaterThan(-most)
    expect(tone.loudest).toBeLessThan(most)
    expect(tone.cents).toBeLessThan(cents)
  })

  it.each([
    [0.75, 2.5, 6],
    // Every hat is moved by up to 20 ms: partials that frames tell badly from others jump at some.
    [1, 4, 22],
    [1.25, 2.5, 6],
    [1.5, 2.5, 6],
  ])('and others, of a fifth, keep their pitch and level at %d times', (ratio, cents, worst) => {
    const notes = [130.8, 196]
    const played = chordUnderHats(notes, 4, RATE, -12)
    const map = ratio === 1 ? movedMap(played, 1, 0.02) : even(played.channels[0]!.length, ratio)
    const chord = chordAfter(stretchAudio(played, map, played.attacks, settings)[0]!, notes, RATE)
    expect(chord.softest).toBeGreaterThan(-1)
    expect(chord.loudest).toBeLessThan(0.5)
    expect(chord.cents).toBeLessThan(cents)
    expect(chord.worst).toBeLessThan(worst)
  })

  it.each([
    [82.4, 1, 1],
    [85, 1, 1],
    [110, 1, 0.5],
    [220, 1, 0.5],
    [440, 1, 0.5],
    [700, 1, 0.5],
    [82.4, 1.1, 1.5],
    [85, 1.1, 2],
    [110, 1.1, 0.5],
    [223, 1.1, 8],
    [440, 1.1, 0.5],
  ])('of %d Hz keeps its pitch where every hat is moved by up to 20 ms, at %d times', (hz, ratio, cents) => {
    const played = toneUnderHats(hz, 5, RATE, -12)
    const y = stretchAudio(played, movedMap(played, ratio, 0.02), played.attacks, settings)[0]!
    const tone = toneAfter(y, hz, RATE)
    expect(tone.softest).toBeGreaterThan(-0.3)
    expect(tone.loudest).toBeLessThan(0.3)
    expect(tone.cents).toBeLessThan(cents)
  })

  it.each([8000, 32000, 44100, 96000])('has no step at knots without an attack, at %d Hz', (rate) => {
    const x = sine(220, 3, rate, 0.3)
    const map = [0, 0.5, 0.9, 1.6, 2.2, 3].map((t, i) => ({
      source: Math.round(t * rate),
      target: Math.round((t + [0, 0.01, -0.02, 0.015, 0.03, 0][i]!) * rate),
    }))
    const y = stretchAudio({ channels: [x], sampleRate: rate }, map, [], settings)[0]!
    const tone = toneAfter(y, 220, rate)
    expect(tone.softest).toBeGreaterThan(-0.1)
    expect(tone.loudest).toBeLessThan(0.1)
    expect(tone.cents).toBeLessThan(0.5)
    const steepest = 0.3 * (2 * Math.sin((Math.PI * 220) / rate)) ** 2
    let most = 0
    for (let i = rate / 4; i < y.length - rate / 4; i++)
      most = Math.max(most, Math.abs(y[i]! - 2 * y[i - 1]! + y[i - 2]!))
    expect(most).toBeLessThan(steepest + 0.0002)
  })

  it('leaves a constant where it is', () => {
    const played = toneUnderHats(220, 4, RATE, -12)
    const channels = [new Float32Array(played.channels[0]!.length).fill(0.2)]
    for (const ratio of [1, 1.1]) {
      const y = stretchAudio(
        { channels, sampleRate: RATE },
        movedMap(played, ratio, 0.02),
        played.attacks,
        settings,
      )[0]!
      // The side of a constant in a spectrum, turned like a tone, would make it 0.0045 and more.
      for (const v of y.subarray(RATE / 4, y.length - RATE / 4))
        if (Math.abs(v - 0.2) > 0.004) expect(v).toBe(0.2)
    }
  })

  it('leaves a moved attack as it is where nothing rings, sample for sample', () => {
    const { channels, attacks } = toneUnderHats(220, 3, RATE, -12)
    const tone = sine(220, 3, RATE, 0.3)
    const x = channels[0]!.map((v, i) => v - tone[i]!)
    const played = { channels: [x], attacks, sampleRate: RATE }
    const map = movedMap(played, 1, 0.02)
    const y = stretchAudio(played, map, attacks, settings)[0]!
    const n = Math.round(0.015 * RATE)
    for (const { source, target } of map.slice(1, -1))
      expect([...y.subarray(target, target + n)]).toEqual([...x.subarray(source, source + n)])
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

  it.each([
    [82.4, 2, 'move', 2],
    [110, -3, 'keep', 1],
    [220, 2, 'keep', 1],
    [220, -3, 'move', 1],
    [440, 5, 'move', 1],
  ] as const)(
    'of %d Hz keeps its pitch transposed by %d semitones, formants %s',
    (hz, steps, formants, cents) => {
      const played = toneUnderHats(hz, 5, RATE, -12)
      const pitch = 2 ** (steps / 12)
      const maps = [even(played.channels[0]!.length, 1.25), movedMap(played, 1, 0.02)]
      // Kept formants take four times as long: each of the two has one of the maps.
      for (const map of formants === 'move' ? maps : [maps[steps > 0 ? 1 : 0]!]) {
        const y = stretchAudio(played, map, played.attacks, { ...settings, pitch, formants })[0]!
        const tone = toneAfter(y, hz * pitch, RATE)
        expect(tone.softest).toBeGreaterThan(-0.4)
        expect(tone.loudest).toBeLessThan(0.4)
        expect(tone.cents).toBeLessThan(cents)
      }
    },
  )

  it('transposed without the hats has no click where they were', () => {
    const { attacks } = toneUnderHats(220, 5, RATE, -12)
    const x = sine(220, 5, RATE, 0.3)
    const pitch = 2 ** (2 / 12)
    const y = stretchAudio({ channels: [x], sampleRate: RATE }, even(x.length, 1), attacks, {
      ...settings,
      pitch,
    })[0]!
    const steepest = 0.3 * (2 * Math.sin((Math.PI * 220 * pitch) / RATE)) ** 3
    let most = 0
    for (let i = RATE / 2; i < y.length - RATE / 2; i++)
      most = Math.max(most, Math.abs(y[i + 3]! - 3 * y[i + 2]! + 3 * y[i + 1]! - y[i]!))
    expect(most).toBeLessThan(steepest + 0.3 * 10 ** (-66 / 20))
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

it('a tone on a transposed tape keeps its pitch under hats', () => {
  const played = toneUnderHats(220, 5, RATE, -12)
  const pitch = 2 ** (2 / 12)
  const sound = { ...DEFAULT_STRETCH, method: 'tape', pitch } as const
  const y = stretchAudio(played, even(played.channels[0]!.length, 1.25), played.attacks, sound)[0]!
  const tone = toneAfter(y, (220 * pitch) / 1.25, RATE)
  expect(tone.softest).toBeGreaterThan(-0.4)
  expect(tone.loudest).toBeLessThan(0.4)
  expect(tone.cents).toBeLessThan(1)
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

  it('else tones are shifted by as much as the map puts the place later, counted from an origin', () => {
    const map = attacks.slice(0, 6).map((source, i) => ({ source, target: source + 1000 + i * i * 100 }))
    // One that is not bent, and one that is too short.
    map.push({ source: 52000, target: map[5]!.target + 8000 }, { source: 53000, target: 55000 })
    map.push({ source: length, target: length + 5000 })
    const spans = ledAlong(map)
    const shiftOf = (all: readonly Span[], from: number): (number | undefined)[] => {
      const i = all.findIndex((s) => s.from === from)
      return [all[i - 1]?.shiftAtEnd, all[i]!.shiftAtStart]
    }
    expect(shiftOf(spans, attacks[0]!)).toEqual([undefined, undefined])
    for (const k of [1, 2, 3, 4])
      expect(shiftOf(spans, attacks[k]!)).toEqual([1000 + k * k * 100, 1000 + k * k * 100])
    for (const from of [attacks[5]!, 52000, 53000])
      expect(shiftOf(spans, from)).toEqual([undefined, undefined])
    const counted = led(spansOf(map, attacks), map, chords, RATE, 1100)
    expect(shiftOf(counted, attacks[1]!)).toEqual([undefined, undefined])
    expect(shiftOf(counted, attacks[3]!)).toEqual([800, 800])
    const hits = ledAlong(map, attacks, { ...chords, method: 'hits' })
    expect(hits.every((s) => s.shiftAtStart === undefined && s.shiftAtEnd === undefined)).toBe(true)
  })

  it('are shifted by the pitch too where that changes, with a tape by nothing else', () => {
    const shifts = (method: 'chords' | 'tape') =>
      ledAlong(even(length, 1.25), attacks, { ...chords, method, pitch: 1.1 })
        .slice(0, 3)
        .map((s) => [s.to, s.shiftAtEnd, s.ringsOn])
    expect(shifts('chords')).toEqual(
      [4000, 12000, 20000].map((to) => [to, Math.round(0.375 * to), undefined]),
    )
    expect(shifts('tape')).toEqual([4000, 12000, 20000].map((to) => [to, Math.round(0.1 * to), undefined]))
  })

  it('are none where nothing is stretched, pitch changes, or another method is used', () => {
    const leads = (spans: readonly { readonly lead?: unknown }[]) => spans.filter((s) => s.lead).length
    expect(leads(ledAlong(even(length, 1)))).toBe(0)
    expect(leads(ledAlong(even(length, 1.25), attacks, { ...chords, pitch: 1.1 }))).toBe(0)
    expect(leads(ledAlong(even(length, 1.25), attacks, { ...chords, method: 'hits' }))).toBe(0)
  })

  it('have tones turn, in equal steps of time, towards where the last of them is to leave them', () => {
    const map = [
      { source: 0, target: 0 },
      { source: attacks[20]!, target: 1.25 * attacks[20]! },
      { source: length, target: 1.25 * attacks[20]! + (length - attacks[20]!) },
    ]
    const spans = ledAlong(map)
    const at = (k: number) => spans.find((s) => s.from === attacks[k])!
    // The last of the first two seconds ends at 92,000, later by a quarter of that; the next ones where nothing is stretched.
    expect(at(10).to).toBe(92000)
    expect(at(10).shiftAtEnd).toBe(23000)
    expect(at(10).toward).toBeUndefined()
    for (const k of [0, 4, 9])
      expect(at(k).toward).toEqual({ shift: 23000, rest: 2000 * (10 - k), share: 1 / (11 - k) })
    expect(at(19).shiftAtEnd).toBeUndefined()
    for (const k of [11, 18])
      expect(at(k).toward).toEqual({ shift: 0, rest: 2000 * (19 - k), share: 1 / (20 - k) })
    expect(at(18).ringsOn).not.toBe(ledAlong(even(length, 1.25)).find((s) => s.from === attacks[18])!.ringsOn)
    // After the recording's end nobody hears where they would be.
    const ending = ledAlong(even(length, 1.25)).filter((s) => s.ringsOn)
    expect(ending[ending.length - 1]!.toward).toBeUndefined()
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
