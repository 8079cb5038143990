// Pitch, formants and time of a single line, each on its own.
import { describe, expect, it } from 'vitest'
import fc from 'fast-check'
import {
  db,
  levelReport,
  powerAt,
  rms,
  secondDifference,
  sharpestCorner,
} from '../../../tests/support/measure'
import { noise, periodic, sine } from '../../../tests/support/signals'
import { formantsOf, voice, voiceReport } from '../../../tests/support/voice'
import { linePiece } from '../../../bench/corpus/pieces'
import { attacksOf } from '../../../bench/stretch/metrics'
import { pitchLine } from '../analysis/pitch/find'
import { mainSource } from '../analysis/source'
import { courseOf, curveInside, ratioAt } from './curve'
import { shaped } from './formants'
import { risesIn } from './rises'
import { openStretcher, stretchAudio } from './stretch'
import { DEFAULT_STRETCH, type PitchCurve, type StretchSettings } from './types'

const RATE = 44100
const sound = (over: Partial<StretchSettings>): StretchSettings => ({ ...DEFAULT_STRETCH, ...over })
const whole = (length: number, ratio = 1) => [
  { source: 0, target: 0 },
  { source: length, target: Math.round(length * ratio) },
]
const span = (from: number, to: number, length: number, curve?: PitchCurve) => ({
  from,
  to,
  length,
  attackAtStart: false,
  attackAtEnd: false,
  joinsStart: false,
  joinsEnd: false,
  ...(curve ? { curve } : {}),
})

/** Four seconds of a line, made once. */
const lines = new Map<string, { readonly x: Float32Array; readonly sampleRate: number }>()
function playedBy(instrument: Parameters<typeof linePiece>[1]) {
  const { channels, sampleRate } = linePiece(instrument, instrument, 41)
  return { x: channels[0]!.subarray(0, 4 * sampleRate), sampleRate }
}
const lineOf = (instrument: Parameters<typeof linePiece>[1]) => {
  const line = lines.get(instrument) ?? playedBy(instrument)
  lines.set(instrument, line)
  return line
}

describe('a voice with Line', () => {
  it.each([
    [120, 40, 0.75, 0],
    [120, 0, 1, 5],
    [120, 0, 1.25, -5],
    [120, 40, 1, -5],
    [220, 40, 1.5, -5],
    [220, 0, 1, 5],
    [220, 0, 1, 3],
    [220, 40, 1, 3],
    [220, 40, 1, 5],
    [220, 40, 1.25, -5],
  ])('of %i Hz ±%i cents at %f and %i semitones', (hz, vibrato, ratio, semitones) => {
    const pitch = 2 ** (semitones / 12)
    const { channels, consonants } = voice(hz, 1, vibrato, 0.4)
    const attacks = consonants.map((t) => Math.round(t * RATE))
    const out = stretchAudio(
      { channels, sampleRate: RATE },
      whole(channels[0]!.length, ratio),
      attacks,
      sound({ method: 'line', pitch, formants: 'keep' }),
    )[0]!
    const r = voiceReport(voice(hz, pitch, vibrato, 0.4), out, ratio)
    expect(r.f0).toBeLessThan(8)
    expect(r.wavering).toBeLessThan(0.5)
    expect(r.consonants).toBeLessThan(3)
    expect(Math.abs(r.level)).toBeLessThan(0.2)
    expect(Math.abs(r.sharpness - 1)).toBeLessThan(0.1)
    // Of the third vowel's first formant, 300 Hz, harmonics at 220 and 440 hardly tell.
    for (const off of r.formants) expect(off).toBeLessThan(3)
  })

  it.each([
    [110, 80, 1, 5],
    [110, 120, 1, -5],
    [150, 80, 1.25, 3],
    [220, 120, 1, 5],
    [110, 200, 1.25, 3],
  ])(
    'of %i Hz keeps its formants with a vibrato of %i cents at %f and %i semitones',
    (hz, vibrato, ratio, semitones) => {
      const pitch = 2 ** (semitones / 12)
      const { channels, consonants } = voice(hz, 1, vibrato, 0.6)
      const attacks = consonants.map((t) => Math.round(t * RATE))
      const settings = sound({ method: 'line', pitch, formants: 'keep' })
      const map = whole(channels[0]!.length, ratio)
      const out = stretchAudio({ channels, sampleRate: RATE }, map, attacks, settings)[0]!
      const r = voiceReport(voice(hz, pitch, vibrato, 0.6), out, ratio)
      for (const off of r.formants) expect(off).toBeLessThan(3)
      expect(Math.abs(r.sharpness - 1)).toBeLessThan(0.1)
      // These vowels are not steady, for which it is half a decibel.
      expect(r.wavering).toBeLessThan(0.8)
    },
  )

  it.each([111, 150, 176, 241])('a tone of %i Hz, clean or in faint noise, keeps its level', (hz) => {
    for (const faint of [0, 0.003, 0.01])
      for (const semitones of [-5, 5]) {
        const x = noise(1, RATE, faint, hz).map((v, i) => v + 0.5 * Math.sin((2 * Math.PI * hz * i) / RATE))
        const settings = sound({ method: 'line', pitch: 2 ** (semitones / 12), formants: 'keep' })
        const out = stretchAudio({ channels: [x], sampleRate: RATE }, whole(x.length), [], settings)[0]!
        // A second of it with both its ends; resonances on the tone would take 5 dB.
        expect(Math.abs(20 * Math.log10(rms(out) / rms(x)))).toBeLessThan(0.3)
      }
  })

  it.each([110, 165])('of %i Hz a fourth lower has the harmonic that was not there', (hz) => {
    const pitch = 2 ** (-5 / 12)
    const { channels } = voice(hz, 1, 0, 0.5)
    const wanted = voice(hz, pitch, 0, 0.5)
    const out = stretchAudio(
      { channels, sampleRate: RATE },
      whole(channels[0]!.length),
      [],
      sound({ method: 'line', pitch, formants: 'keep' }),
    )[0]!
    for (const { from, to } of wanted.vowels) {
      const off = [1, 2, 3, 4].map((k) => {
        const [a, b] = [Math.round((from + 0.1) * RATE), Math.round((to - 0.1) * RATE)]
        const of = (x: Float32Array): number => powerAt(x.subarray(a, b), k * hz * pitch)
        return 10 * Math.log10(of(out) / of(wanted.channels[0]!))
      })
      expect(off[0]! - (off[1]! + off[2]! + off[3]!) / 3).toBeGreaterThan(-2)
    }
    const mean = out.reduce((s, v) => s + v, 0) / out.length
    expect(20 * Math.log10(Math.abs(mean) / rms(out) + 1e-9)).toBeLessThan(-40)
  })

  it.each([110, 180])('leaves breath as it is, and goes over to a vowel of %i Hz without a bump', (hz) => {
    const begins = Math.round(0.3 * RATE)
    const vowel = periodic(Math.round(RATE / hz), 0.6, RATE)
    const x = noise(0.9, RATE, 0.005, 6)
    for (let i = 0; i < vowel.length; i++) x[begins + i]! += vowel[i]!
    const settings = sound({ method: 'line', pitch: 2 ** (4 / 12), formants: 'keep' })
    const y = stretchAudio({ sampleRate: RATE, channels: [x] }, whole(x.length), [], settings)[0]!
    for (let i = 0; i < begins; i++) expect(Math.abs(y[i]! - x[i]!)).toBeLessThan(1e-6)
    const most = (z: Float32Array, from: number, to: number): number =>
      z.subarray(begins + from * RATE, begins + to * RATE).reduce((top, v) => Math.max(top, Math.abs(v)), 0)
    expect(most(y, 0, 0.1)).toBeLessThan(1.2 * most(y, 0.2, 0.5))
  })

  it('consonants that nobody marked begin on time and once', () => {
    const { channels, consonants } = voice(120, 1, 0, 0.4)
    const source = { channels, sampleRate: RATE }
    const found = risesIn(source, 0, channels[0]!.length).map((n) => n / RATE)
    for (const t of consonants) expect(Math.min(...found.map((f) => Math.abs(f - t)))).toBeLessThan(0.003)
    const out = stretchAudio(source, whole(channels[0]!.length, 1.4), [], sound({ method: 'line' }))[0]!
    expect(voiceReport(voice(120, 1, 0, 0.4), out, 1.4).consonants).toBeLessThan(3)
  })

  it('does not depend on what was rendered before: a channel alone, after it was one of two', () => {
    const alone = voice(150, 1, 0, 0.3).channels[0]!
    const low = voice(105, 1, 0, 0.3).channels[0]!
    const settings = sound({ method: 'line', pitch: 1.2, formants: 'keep' })
    const map = whole(alone.length)
    const render = (channels: readonly Float32Array[]): Float32Array =>
      stretchAudio({ channels, sampleRate: RATE }, map, [], settings)[0]!
    const first = render([Float32Array.from(alone)])
    render([alone, low.map((x) => 8 * x)])
    expect(render([alone]).every((v, i) => v === first[i])).toBe(true)
  })

  it('is measured by what tells formants to half a per cent, wherever it begins to look', () => {
    const spoken = voice(220, 1, 40, 0.4)
    for (const vowel of spoken.vowels.slice(0, 2)) {
      const near = vowel.formants.map((f, i) => f * (i % 2 ? 1.06 : 0.94))
      formantsOf(spoken.channels[0]!, spoken, vowel, 1, near).forEach((hz, i) =>
        expect(Math.abs(hz / vowel.formants[i]! - 1)).toBeLessThan(0.005),
      )
    }
  })

  // Whole samples of a period before and after: a second, and a fourth, from A0, B0 and D1, both ways.
  it.each([
    [1604, 1202],
    [1429, 1273],
    [1429, 1908],
    [1202, 1605],
  ])('moves the lowest strings, a period of %i samples to %i', (before, after) => {
    const x = periodic(before, 3, RATE)
    const settings = sound({ method: 'line', pitch: before / after, formants: 'keep' })
    const out = stretchAudio({ channels: [x], sampleRate: RATE }, whole(x.length), [], settings)[0]!
    const [from, to] = [Math.round(0.3 * RATE), out.length - Math.round(0.3 * RATE)]
    const change = out.map((v, i) => v - (out[i - after] ?? 0))
    expect(db(rms(change, from, to) / rms(out, from, to))).toBeLessThan(-45)
    expect(Math.abs(db(rms(out, from, to) / rms(x, from, to)))).toBeLessThan(0.2)
  })

  it('formants shift by semitones while the pitch stays', () => {
    const spoken = voice(110, 1, 0, 0.5)
    const { channels, vowels } = spoken
    const x = channels[0]!
    const factor = 2 ** (3 / 12)
    const wanted = vowels[0]!.formants.map((f) => f * factor)
    for (const method of ['line', 'chords'] as const) {
      const out = stretchAudio(
        { channels, sampleRate: RATE },
        whole(x.length),
        [],
        sound({ method, formants: 'keep', formantShift: 3 }),
      )[0]!
      const moved = formantsOf(out, spoken, vowels[0]!, 1, wanted)
      moved.forEach((hz, i) =>
        expect(Math.abs(hz / wanted[i]! - 1), `${method} F${i + 1}`).toBeLessThan(0.03),
      )
      const pitch = pitchLine(mainSource([out], RATE))
      expect(1200 * Math.log2(pitch.f0[Math.round(0.4 / pitch.hop)]! / 110)).toBeCloseTo(0, -1)
    }
  })

  it('Chords keeps the formants too, which moving does not', () => {
    const { channels, vowels } = voice(110, 1, 0, 0.5)
    const pitch = 2 ** (5 / 12)
    const { formants } = vowels[1]!
    const first = (how: 'keep' | 'move'): number => {
      const out = stretchAudio(
        { channels, sampleRate: RATE },
        whole(channels[0]!.length),
        [],
        sound({ method: 'chords', pitch, formants: how }),
      )[0]!
      return formantsOf(out, voice(110, pitch, 0, 0.5), vowels[1]!)[0]!
    }
    expect(Math.abs(first('keep') / formants[0]! - 1)).toBeLessThan(0.03)
    expect(first('move') / formants[0]!).toBeGreaterThan(1.25)
  })

  it('gives the same samples in chunks of any size, and runs into untouched audio without a step', () => {
    const { channels } = voice(150, 1, 30, 0.4)
    const source = { channels, sampleRate: RATE }
    const map = whole(channels[0]!.length)
    const curve = [
      { source: 0.2 * RATE, ratio: 1 },
      { source: 0.25 * RATE, ratio: 1.06 },
      { source: 0.4 * RATE, ratio: 1.06 },
      { source: 0.45 * RATE, ratio: 1 },
    ]
    const settings = sound({ method: 'line', formants: 'keep' })
    // Knots on either side of the bend, so that what lies outside is the recording.
    const knots = [0, Math.round(0.18 * RATE), Math.round(0.47 * RATE), map[1]!.source]
    const ends = knots.map((n) => ({ source: n, target: n }))
    const once = stretchAudio(source, ends, [], settings, undefined, curve)[0]!
    for (const size of [7, 4097]) {
      const reader = openStretcher(source, ends, [], settings, curve)
      const out = [new Float32Array(reader.length)]
      for (let at = 0; at < reader.length;) at += reader.read(out, at, Math.min(size, reader.length - at))
      expect(out[0]!.every((v, i) => v === once[i])).toBe(true)
    }
    const x = channels[0]!
    expect(once.subarray(0, knots[1]).every((v, i) => v === x[i])).toBe(true)
    expect(once.subarray(knots[2]).every((v, i) => v === x[knots[2]! + i])).toBe(true)
    expect(once.subarray(knots[1], knots[2]).some((v, i) => v !== x[knots[1]! + i])).toBe(true)
    for (const k of [knots[1]!, knots[2]!]) {
      const step = (y: Float32Array): number => Math.abs(y[k]! - y[k - 1]!)
      expect(step(once)).toBeLessThan(step(x) + 0.02)
    }
  })
})

describe('a played line with Line', () => {
  it.each(['keys', 'bowed', 'flute', 'reed', 'sung'] as const)(
    'keeps its level at other pitches with its formants kept: %s',
    (instrument) => {
      const { x, sampleRate } = lineOf(instrument)
      for (const semitones of [-12, -5, 5, 12]) {
        const settings = sound({ method: 'line', pitch: 2 ** (semitones / 12), formants: 'keep' })
        const out = stretchAudio({ channels: [x], sampleRate }, whole(x.length), [], settings)[0]!
        const { all, worst, peak } = levelReport(x, out, sampleRate)
        expect(Math.abs(all), `${semitones}`).toBeLessThan(0.5)
        expect(Math.abs(worst), `${semitones}`).toBeLessThan(2)
        expect(peak, `${semitones}`).toBeLessThan(9)
      }
    },
  )
})

describe('a played line with its attacks given', () => {
  const ratios = [0.5, 1.5, 3]
  it.each(['keys', 'bowed', 'sung'] as const)(
    'has each once, where it should be, as it was: %s',
    (instrument) => {
      const { channels, sampleRate, onsets } = linePiece(instrument, instrument, 41)
      const x = channels[0]!.subarray(0, 8 * sampleRate)
      const attacks = onsets
        .map((t) => Math.round(t * sampleRate))
        .filter((n) => n < x.length - sampleRate / 2)
      const own = sharpestCorner(x, sampleRate, attacks)
      for (const ratio of ratios) {
        const settings = sound({ method: 'line' })
        const out = stretchAudio({ channels: [x], sampleRate }, whole(x.length, ratio), attacks, settings)[0]!
        const places = attacks.map((source) => ({ source, target: Math.round(source * ratio) }))
        const { worst, least } = attacksOf(x, out, sampleRate, places)
        // One that sounds too soon, and then again, is found there.
        expect(worst, `${ratio}`).toBeLessThan(0.05)
        expect(least, `${ratio}`).toBeGreaterThan(0.995)
        // Nor does a splice too short for its wave click before it.
        const marks = places.map(({ target }) => target)
        const corner = sharpestCorner(out, sampleRate, marks) / own
        expect(corner, `${ratio}`).toBeLessThan(1.3)
      }
    },
  )
})

it.each([90, 110, 150, 220])('the click of an attack is not heard again with Line, at %d Hz', (hz) => {
  const at = RATE / 2
  const x = sine(hz, 2, RATE).map((v, i) => (i < at ? 0 : 0.3 * v * Math.exp((at - i) / RATE)))
  noise(0.003, RATE, 0.1, 5).forEach((v, i) => (x[at + i]! += v))
  for (const ratio of [2, 3, 4]) {
    const settings = sound({ method: 'line' })
    const out = stretchAudio({ channels: [x], sampleRate: RATE }, whole(x.length, ratio), [at], settings)[0]!
    const bright = secondDifference(out)
    const place = (t: number): number => Math.round(ratio * at + t * RATE)
    const after = (from: number, to: number): number => rms(bright, place(from), place(to))
    let loudest = 0
    for (let t = 0.004; t < 0.08; t += 0.001) loudest = Math.max(loudest, after(t, t + 0.003))
    expect(db(loudest / after(0, 0.003)), `${ratio}`).toBeLessThan(-30)
  }
})

describe('a played line with its envelope warped', () => {
  it.each(['keys', 'bowed', 'reed', 'sung'] as const)('keeps its level an octave up: %s', (instrument) => {
    const { x, sampleRate } = lineOf(instrument)
    for (const method of ['chords', 'mix', 'grains'] as const) {
      const settings = sound({ method, pitch: 2, formants: 'keep' })
      const out = stretchAudio({ channels: [x], sampleRate }, whole(x.length), [], settings)[0]!
      expect(Math.abs(levelReport(x, out, sampleRate).all), method).toBeLessThan(0.3)
    }
  })
})

it.each([0.03, 0.3])('an envelope is warped at its level, %d beside 0', (offset) => {
  const plain = sine(300, 1, RATE).map((v) => 0.1 * v)
  const x = plain.map((v) => v + offset)
  const joins = { attackAtStart: false, attackAtEnd: false, joinsStart: false, joinsEnd: false }
  const all = { from: 0, to: x.length, length: x.length, ...joins }
  const settings = sound({ method: 'chords', pitch: 1.5, formants: 'keep' })
  const { source, span } = shaped({ channels: [x], sampleRate: RATE }, all, settings)
  const wave = source.channels[0]!.subarray(span.from, span.to).map((v) => v - offset)
  const [from, to] = [0.2 * RATE, 0.8 * RATE]
  expect(Math.abs(db(rms(wave, from, to) / rms(plain, from, to)))).toBeLessThan(0.1)
})

describe('a pitch that changes over time', () => {
  it.each(['chords', 'mix', 'line', 'tape'] as const)('is followed by %s', (method) => {
    const x = sine(300, 3, RATE)
    // Up a whole tone over a second in the middle.
    const top = 2 ** (2 / 12)
    const curve = [
      { source: RATE, ratio: 1 },
      { source: 2 * RATE, ratio: top },
    ]
    const out = stretchAudio(
      { channels: [x], sampleRate: RATE },
      whole(x.length, 1.2),
      [],
      sound({ method, formants: 'move' }),
      undefined,
      curve,
    )[0]!
    expect(out.length).toBe(Math.round(1.2 * x.length))
    const { f0, hop } = pitchLine(mainSource([out], RATE))
    for (const t of [0.6, 1.2, 1.5, 1.8, 2.1, 2.3, 2.7, 3.3]) {
      const hz = f0[Math.round(t / hop)]!
      // Tape's pitch follows its speed besides.
      const wanted = (300 / (method === 'tape' ? 1.2 : 1)) * ratioAt(curve, (t / 1.2) * RATE)
      expect(Math.abs(1200 * Math.log2(hz / wanted)), `at ${t} s`).toBeLessThan(8)
    }
  })

  it('reads forward, ends where it should, and its share is the inverse of its reading', () => {
    const ratio = fc.double({ min: 0.5, max: 2, noNaN: true })
    fc.assert(
      fc.property(ratio, ratio, ratio, fc.integer({ min: 400, max: 9000 }), (a, b, c, length) => {
        const curve = [
          { source: 100, ratio: a },
          { source: 700, ratio: b },
          { source: 1100, ratio: c },
        ]
        const course = courseOf(span(100, 1100, length, curve), 1.1)
        let last = -1
        for (let k = 0; k <= 10; k++) {
          const n = (k * length) / 10
          const at = course.readAt(n)
          if (at <= last) return false
          last = at
          if (Math.abs(course.shareAt(at) - n / length) > 1e-6) return false
        }
        return Math.abs(last - course.length) < 1e-6
      }),
    )
  })

  it('changes only the spans in which it differs from 1', () => {
    const curve = [
      { source: 100, ratio: 1 },
      { source: 200, ratio: 1.1 },
      { source: 300, ratio: 1 },
    ]
    expect(curveInside(curve, 0, 90)).toBeUndefined()
    expect(curveInside(curve, 300, 900)).toBeUndefined()
    expect(curveInside(curve, 150, 400)!.map((p) => p.source)).toEqual([150, 200, 300, 400])
    expect(ratioAt(curve, 150)).toBeCloseTo(1.05, 12)
    expect(ratioAt([], 5)).toBe(1)
  })
})
