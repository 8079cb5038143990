// What an ear would notice: attacks, joins, level, pitch.
import { describe, expect, it } from 'vitest'
import { addPartials, type DampedSine } from '../../../bench/corpus/partials'
import { besideHarmonics, besideTone, db, rms } from '../../../tests/support/measure'
import { noise, periodic, sine, struck } from '../../../tests/support/signals'
import { hiss } from '../../../tests/support/textures'
import { crossfadeGains, crossfadeTo } from './joins'
import { knowsAttacks } from './spans'
import { openStretcher, stretchAudio } from './stretch'
import { DEFAULT_STRETCH, METHOD_NAMES, type Fill, type StretchSettings } from './types'

const RATE = 44100
const settings = (over: Partial<StretchSettings>): StretchSettings => ({ ...DEFAULT_STRETCH, ...over })
const whole = (length: number, ratio: number) => [
  { source: 0, target: 0 },
  { source: length, target: Math.round(length * ratio) },
]

/** Frequency of a tone from the phase of its correlation with a complex exponential at two places. */
function measuredHz(x: Float32Array, near: number, from: number, to: number): number {
  const phase = (at: number): number => {
    let [re, im] = [0, 0]
    for (let i = 0; i < 4096; i++) {
      const w = 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / 4096)
      const p = (2 * Math.PI * near * (at + i)) / RATE
      re += w * x[at + i]! * Math.cos(p)
      im -= w * x[at + i]! * Math.sin(p)
    }
    return Math.atan2(im, re)
  }
  let turn = phase(to) - phase(from)
  turn -= 2 * Math.PI * Math.round(turn / (2 * Math.PI))
  return near + (turn * RATE) / (2 * Math.PI * (to - from))
}

describe('Hits', () => {
  it.each(['mirror', 'repeat', 'rest'] as Fill[])(
    'copies every attack sample for sample, filled by %s',
    (fill) => {
      const played = struck(11, 4, RATE, 1, 3)
      const x = played.channels[0]!
      for (const ratio of [0.7, 1.4]) {
        const out = stretchAudio(
          { channels: [x], sampleRate: RATE },
          whole(x.length, ratio),
          played.attacks,
          settings({ method: 'hits', fill }),
        )[0]!
        for (const a of played.attacks.slice(0, -1)) {
          const at = Math.round(a * ratio)
          // A sample to either side, since the map puts an attack on the nearest sample.
          const same = [-1, 0, 1].some((d) => x.subarray(a, a + 441).every((v, i) => out[at + d + i] === v))
          expect(same, `attack at ${a}`).toBe(true)
        }
      }
    },
  )

  it('a shorter tail is silent where the sound was cut', () => {
    const x = sine(200, 1, RATE)
    const out = stretchAudio(
      { channels: [x], sampleRate: RATE },
      whole(x.length, 1.2),
      [],
      settings({ method: 'hits', tail: 30 }),
    )[0]!
    expect(rms(out, Math.round(0.4 * RATE), Math.round(0.9 * RATE))).toBe(0)
    expect(rms(out, 0, Math.round(0.2 * RATE))).toBeCloseTo(rms(x, 0, Math.round(0.2 * RATE)), 4)
  })
})

describe.each(['chords', 'mix'] as const)('%s', (method) => {
  it.each([0.75, 0.9, 1.25, 1.5])('keeps the pitch and the level of a steady tone at %s', (ratio) => {
    const x = sine(440, 3, RATE)
    const out = stretchAudio(
      { channels: [x], sampleRate: RATE },
      whole(x.length, ratio),
      [],
      settings({ method }),
    )[0]!
    const [from, to] = [Math.round(0.4 * RATE), out.length - Math.round(0.5 * RATE)]
    expect(1200 * Math.log2(measuredHz(out, 440, from, from + 8192) / 440)).toBeCloseTo(0, 0)
    expect(Math.abs(db(rms(out, from, to) / rms(x)))).toBeLessThan(0.2)
  })

  it('has no click where stretched and untouched audio meet', () => {
    const x = sine(330, 3, RATE)
    const map = [0, 1, 2, 3].map((s, i) => ({
      source: s * RATE,
      target: [0, RATE, Math.round(2.3 * RATE), Math.round(3.3 * RATE)][i]!,
    }))
    const out = stretchAudio({ channels: [x], sampleRate: RATE }, map, [], settings({ method }))[0]!
    // The steepest step of a sine is amplitude times angular frequency; a click would be many times that.
    const steepest = 0.5 * 2 * Math.sin((Math.PI * 330) / RATE)
    let top = 0
    for (let i = 1; i < out.length; i++) top = Math.max(top, Math.abs(out[i]! - out[i - 1]!))
    expect(top).toBeLessThan(1.25 * steepest)
  })
})

/** A vowel-like tone: pulses through three resonances, with vibrato when asked. */
function vowel(hz: number, seconds: number): Float32Array {
  const x = new Float32Array(seconds * RATE)
  const partials: DampedSine[] = []
  for (let h = 1; h * hz < 5000; h++) {
    const gain = [
      [700, 90],
      [1100, 100],
      [2500, 140],
    ].reduce((s, [f, w]) => s + 1 / (1 + ((h * hz - f!) / w!) ** 2), 0.01)
    partials.push({ hz: h * hz, amplitude: (0.1 * gain) / h ** 0.2, phase: h, decay: Infinity })
  }
  addPartials(x, 0, x.length, partials, RATE)
  return x
}

/** Tones that die away fast, each begun by a burst of noise gone after some milliseconds. */
function plucks(rate: number): { x: Float32Array; attacks: number[] } {
  const attacks = Array.from({ length: 9 }, (_, i) => Math.round((0.1 + 0.35 * i) * rate))
  const x = new Float32Array(Math.round(3.4 * rate))
  const burst = noise(0.02, rate, 0.3, 4)
  attacks.forEach((a, k) => {
    const hz = 220 * 2 ** ((k % 5) / 12)
    for (let i = 0; a + i < (attacks[k + 1] ?? x.length); i++)
      x[a + i] = 0.5 * Math.exp(-i / (0.06 * rate)) * Math.sin((2 * Math.PI * hz * i) / rate)
    burst.forEach((v, i) => (x[a + i]! += v * Math.exp(-i / (0.002 * rate))))
  })
  return { x, attacks }
}

describe.each(['chords', 'mix'] as const)('%s between attacks', (method) => {
  const { x, attacks } = plucks(RATE)
  const stretchedBy = (ratio: number): Float32Array =>
    stretchAudio(
      { channels: [x], sampleRate: RATE },
      whole(x.length, ratio),
      attacks,
      settings({ method }),
    )[0]!
  const step = Math.round(0.01 * RATE)

  it.each([0.8, 1.25, 1.5])('a tone dies away as the map says, at %s times', (ratio) => {
    const y = stretchedBy(ratio)
    attacks.slice(0, -1).forEach((a, k) => {
      const [from, to] = [a, attacks[k + 1]!].map((v) => Math.round(v * ratio)) as [number, number]
      for (let at = from + 2 * step; at + step < to - step; at += step) {
        const middle = (at + step / 2 - from) / ratio / RATE
        // Of the tone alone, which falls by 1.4 dB in a hundredth of a second.
        const wanted = db((0.5 / Math.SQRT2) * Math.exp(-middle / 0.06))
        expect(Math.abs(db(rms(y, at, at + step)) - wanted)).toBeLessThan(1.5)
      }
    })
  })

  it.each([0.8, 1.25, 2, 3.5])('an attack sounds once, at %s times', (ratio) => {
    const y = stretchedBy(ratio)
    /** What is above the tone: the second difference, which a tone of 220 Hz hardly has. */
    const upper = (z: Float32Array, from: number, to: number): number => {
      let sum = 0
      for (let i = from; i < to; i++) sum += (z[i]! - 2 * z[i - 1]! + z[i - 2]!) ** 2
      return sum
    }
    for (const a of attacks.slice(0, -1)) {
      const at = Math.round(a * ratio)
      const all = upper(x, a, a + step)
      expect(upper(y, at, at + step) / all).toBeCloseTo(1, 2)
      // Neither ahead of its place nor a second time after it: 30 dB below.
      for (const [from, to] of [
        [-4 * step, -2],
        [1.4 * step, 8 * step],
      ] as const)
        expect(upper(y, Math.round(at + from), Math.round(at + to)) / all).toBeLessThan(1e-3)
    }
  })
})

describe('Line', () => {
  it.each([0.75, 1.25, 1.5])(
    'a steady vowel keeps its pitch within a tenth of a cent and gains less than 0.5 dB of wavering at %s',
    (ratio) => {
      const x = vowel(147.3, 3)
      const out = stretchAudio(
        { channels: [x], sampleRate: RATE },
        whole(x.length, ratio),
        [],
        settings({ method: 'line' }),
      )[0]!
      const [from, to] = [Math.round(0.3 * RATE), out.length - Math.round(0.3 * RATE)]
      const off = 1200 * Math.log2(measuredHz(out, 147.3, from, from + 22050) / 147.3)
      expect(Math.abs(off)).toBeLessThan(0.1)
      const levels: number[] = []
      for (let at = from; at + 1200 < to; at += 600) levels.push(db(rms(out, at, at + 1200)))
      const steady: number[] = []
      for (let at = from; at + 1200 < x.length - from; at += 600) steady.push(db(rms(x, at, at + 1200)))
      const spread = (v: number[]): number => Math.max(...v) - Math.min(...v)
      expect(spread(levels) - spread(steady)).toBeLessThan(0.5)
    },
  )

  it.each([110, 440, 880, 1318.5, 1760, 3000])('adds nothing to a tone of %f Hz', (hz) => {
    const x = sine(hz, 3, RATE)
    for (const ratio of [0.75, 1.25, 2]) {
      const out = stretchAudio(
        { channels: [x], sampleRate: RATE },
        whole(x.length, ratio),
        [],
        settings({ method: 'line' }),
      )[0]!
      for (let t = 0.3; t + 0.8 < out.length / RATE; t += 0.5)
        expect(
          besideTone(out, hz, RATE, Math.round(t * RATE), Math.round((t + 0.5) * RATE)),
          `at ${ratio}`,
        ).toBeLessThan(-55)
    }
  })

  // Tones of which one sample was another where a place passes a power of two, as its fraction loses digits there.
  it.each([
    [97.31 * 1.13 * 1.13 * 1.13 * 1.13, 1.25],
    [97.31 * 1.13 ** 10, 1.6],
    [147.3, 0.75],
  ])('reads a tone of %f Hz between samples the same in chunks of any size, at %f', (hz, ratio) => {
    const x = Float32Array.from({ length: 4 * RATE }, (_, i) =>
      [1, 2, 3, 4, 5].reduce(
        (sum, h) => sum + (0.1 / h) * Math.sin((2 * Math.PI * h * hz * i) / RATE + h),
        0,
      ),
    )
    const map = whole(x.length, ratio)
    const all = stretchAudio({ channels: [x], sampleRate: RATE }, map, [], settings({ method: 'line' }))[0]!
    for (const size of [64, 777]) {
      const reader = openStretcher({ channels: [x], sampleRate: RATE }, map, [], settings({ method: 'line' }))
      const out = [new Float32Array(reader.length)]
      for (let at = 0; at < reader.length;) at += reader.read(out, at, Math.min(size, reader.length - at))
      expect(out[0]!.findIndex((v, i) => v !== all[i])).toBe(-1)
    }
  })

  it('every stretch of a hoarse vowel between two splices is the recording, sample for sample', () => {
    const breath = noise(1, RATE, 0.1, 5)
    const x = vowel(147.3, 1).map((v, i) => v + breath[i]!)
    const out = stretchAudio(
      { channels: [x], sampleRate: RATE },
      whole(x.length, 1.25),
      [],
      settings({ method: 'line' }),
    )[0]!
    const known = new Set(x)
    const same = out.reduce((n, v) => n + (known.has(v) ? 1 : 0), 0)
    expect(same / out.length).toBeGreaterThan(0.6)
  })

  // Whole samples of a period: A0, B0, C sharp 1, D1 and E1 of the lowest strings, and as a sine.
  it.each([
    [1604, 40],
    [1429, 40],
    [1273, 40],
    [1202, 40],
    [1202, 1],
    [1070, 40],
  ])('keeps a tone whose period is %i samples periodic (%i harmonics)', (period, harmonics) => {
    const x = periodic(period, 3, RATE, harmonics)
    for (const ratio of [0.75, 1.25, 1.5]) {
      const out = stretchAudio({ channels: [x], sampleRate: RATE }, whole(x.length, ratio), [], { ...DEFAULT_STRETCH, method: 'line' })[0]! // prettier-ignore
      const [from, to] = [Math.round(0.3 * RATE), out.length - Math.round(0.3 * RATE)]
      const change = out.map((v, i) => v - (out[i - period] ?? 0))
      expect(db(rms(change, from, to) / rms(out, from, to)), `${ratio}`).toBeLessThan(-65)
    }
  })
})

describe.each(['chords', 'mix'] as const)('a low sine with %s', (method) => {
  it.each([20, 27.5, 30.9, 36.7, 41.2, 50, 55, 61.7, 82.4, 110])('of %f Hz has nothing beside it', (hz) => {
    const x = sine(hz, 3, RATE)
    for (const ratio of [0.75, 1.25, 1.5]) {
      const out = stretchAudio(
        { channels: [x], sampleRate: RATE },
        whole(x.length, ratio),
        [],
        settings({ method }),
      )[0]!
      const middle = out.length >> 1
      expect(besideTone(out, hz, RATE, middle - RATE / 2, middle + RATE / 2), String(ratio)).toBeLessThan(-80)
    }
  })
})

describe('Chords', () => {
  // E1, G1, A1, B1 of strings: whole samples of a period before and after.
  it.each([
    [1070, 26],
    [900, 36],
    [802, 36],
    [715, 36],
  ])('keeps a low tone whose period is %i samples on its harmonics: %i dB', (period, least) => {
    const x = periodic(period, 4, RATE)
    for (const ratio of [0.75, 1.25, 1.5]) {
      const out = stretchAudio({ channels: [x], sampleRate: RATE }, whole(x.length, ratio), [], { ...DEFAULT_STRETCH, method: 'chords' })[0]! // prettier-ignore
      expect(besideHarmonics(out, period, Math.floor((1.5 * RATE) / period)), String(ratio)).toBeLessThan(
        -least,
      )
    }
  })
})

describe('Tape', () => {
  it('pitch follows speed, and images lie more than 100 dB below', () => {
    const x = sine(5000, 2, RATE)
    const out = stretchAudio(
      { channels: [x], sampleRate: RATE },
      whole(x.length, 1.25),
      [],
      settings({ method: 'tape' }),
    )[0]!
    const from = Math.round(0.5 * RATE)
    expect(1200 * Math.log2(measuredHz(out, 4000, from, from + 8192) / 4000)).toBeCloseTo(0, 2)
    // What is left when the tone is fitted and taken away.
    let [c, s] = [0, 0]
    const n = RATE
    for (let i = 0; i < n; i++) {
      const p = (2 * Math.PI * 4000 * (from + i)) / RATE
      c += (2 / n) * out[from + i]! * Math.cos(p)
      s += (2 / n) * out[from + i]! * Math.sin(p)
    }
    let rest = 0
    for (let i = 0; i < n; i++) {
      const p = (2 * Math.PI * 4000 * (from + i)) / RATE
      rest += (out[from + i]! - c * Math.cos(p) - s * Math.sin(p)) ** 2
    }
    expect(db(Math.sqrt(rest / n) / rms(out, from, from + n))).toBeLessThan(-100)
  })

  it.each([441, 64])('follows a moving rate to within 100 dB, with a knot every %i samples', (step) => {
    const map = [{ source: 0, target: 0 }]
    for (let source = step, target = 0; source <= 2 * RATE; source += step) {
      target += step * (1 + 0.3 * Math.sin(source / 9000))
      map.push({ source, target: Math.round(target) })
    }
    for (const hz of [1000, 9000, 14000]) {
      const x = sine(hz, 2, RATE)
      const out = stretchAudio({ channels: [x], sampleRate: RATE }, map, [], settings({ method: 'tape' }))[0]!
      let [k, error, power] = [0, 0, 0]
      for (let i = 2000; i < out.length - 2000; i++) {
        while (map[k + 1]!.target <= i) k++
        const [a, b] = [map[k]!, map[k + 1]!]
        const place = a.source + ((i - a.target) * (b.source - a.source)) / (b.target - a.target)
        const wanted = 0.5 * Math.sin((2 * Math.PI * hz * place) / RATE)
        error += (out[i]! - wanted) ** 2
        power += wanted ** 2
      }
      expect(10 * Math.log10(error / power), `${hz}`).toBeLessThan(-100)
    }
  })
})

describe('attacks that are known', () => {
  /** How far a method's output is another when attacks are, against itself, dB. */
  const matters = (over: Partial<StretchSettings>): number => {
    const x = sine(200, 2, RATE).map((v, i) => v * Math.exp(-(i % 9000) / 6000))
    const render = (attacks: readonly number[]): Float32Array =>
      stretchAudio({ channels: [x], sampleRate: RATE }, whole(x.length, 1.25), attacks, settings(over))[0]!
    const [without, known] = [render([]), render([9000, 18000, 27000, 36000, 45000, 54000, 63000, 72000])]
    return db(rms(known.map((v, i) => v - without[i]!)) / rms(without))
  }
  it.each(['hits', 'line', 'chords', 'mix', 'grains', 'cuts'] as const)('matter to %s', (method) => {
    expect(knowsAttacks(settings({ method }))).toBe(true)
    expect(matters({ method })).toBeGreaterThan(-20)
  })
  it('do not matter to a tape, which plays on through them, unless it is transposed', () => {
    expect(knowsAttacks(settings({ method: 'tape' }))).toBe(false)
    // Places at attacks are whole samples: half a sample at most.
    expect(matters({ method: 'tape' })).toBeLessThan(-35)
    expect(knowsAttacks(settings({ method: 'tape', pitch: 1.2 }))).toBe(true)
    expect(matters({ method: 'tape', pitch: 1.2 })).toBeGreaterThan(-20)
  })
})

describe('Cuts', () => {
  it('slices sound as recorded from their start on, and gaps between them are covered', () => {
    const played = struck(4, 4, RATE, 1, 3)
    const x = played.channels[0]!
    const out = stretchAudio(
      { channels: [x], sampleRate: RATE },
      whole(x.length, 1.15),
      played.attacks,
      settings({ method: 'cuts' }),
    )[0]!
    for (const a of played.attacks.slice(0, -1)) {
      const at = Math.round(a * 1.15)
      const same = [-1, 0, 1].some((d) => x.subarray(a, a + 800).every((v, i) => out[at + d + i] === v))
      expect(same, `attack at ${a}`).toBe(true)
    }
    // A tone that sounds all through sounds all through afterwards.
    const tone = sine(200, 2, RATE)
    const cut = [0, 0.5, 1, 1.5].map((s) => Math.round(s * RATE))
    const moved = stretchAudio(
      { channels: [tone], sampleRate: RATE },
      [...cut, tone.length].map((source) => ({ source, target: Math.round(source * 1.1) })),
      cut,
      settings({ method: 'cuts' }),
    )[0]!
    for (let at = 0; at + 2205 < 1.9 * RATE; at += 2205)
      expect(Math.abs(db(rms(moved, at, at + 2205) / rms(tone))), `at ${at}`).toBeLessThan(3)
  })
})

describe('level', () => {
  it.each(METHOD_NAMES.filter((m) => m !== 'cuts' && m !== 'hits'))('%s keeps it within 0.2 dB', (method) => {
    const x = vowel(220, 3)
    for (const ratio of [0.8, 1.25]) {
      const out = stretchAudio(
        { channels: [x], sampleRate: RATE },
        whole(x.length, ratio),
        [],
        settings({ method }),
      )[0]!
      expect(Math.abs(db(rms(out) / rms(x))), `at ${ratio}`).toBeLessThan(0.2)
    }
  })
})

describe('a constant offset', () => {
  it.each(['chords', 'mix', 'line'] as const)(
    'stays as it is, and takes nothing of a soft tone beside it: %s',
    (method) => {
      const offset = 0.03
      const tone = sine(220, 2, RATE, 0.05)
      const left = tone.map((v) => v + offset)
      for (const ratio of [0.75, 1.25]) {
        const out = stretchAudio(
          { channels: [left, tone], sampleRate: RATE },
          whole(tone.length, ratio),
          [],
          settings({ method }),
        )
        const [from, to] = [0.5 * RATE, 1.3 * RATE]
        const mean = out.map((x) => x.subarray(from, to).reduce((t, v) => t + v, 0) / (to - from))
        expect(mean[0]).toBeCloseTo(offset, 4)
        expect(mean[1]).toBeCloseTo(0, 4)
        out.forEach((x, c) => {
          const still = x.map((v) => v - mean[c]!)
          expect(Math.abs(db(rms(still, from, to) / rms(tone, from, to)))).toBeLessThan(0.02)
        })
      }
    },
  )
})

describe('crossfades', () => {
  it('keep the level of like and of unlike sounds (Fink, Holters & Zölzer, DAFx 2016)', () => {
    for (const r of [0, 0.5, 1])
      for (const x of [0.1, 0.37, 0.5, 0.9]) {
        const [a, b] = crossfadeGains(x, r)
        expect(a * a + b * b + 2 * a * b * r).toBeCloseTo(1, 9)
      }
    const [a, b] = [hiss(0.2, RATE, 1), hiss(0.2, RATE, 5)]
    const out = [Float32Array.from(a)]
    crossfadeTo(out, 0, a.length, [b], 0)
    for (let at = 0; at + 2000 <= a.length; at += 2000)
      expect(Math.abs(db(rms(out[0]!, at, at + 2000) / rms(a)))).toBeLessThan(0.7)
  })

  it.each([-300, 700])('take what lies outside the incoming sound for silence: from %i', (from) => {
    const a = hiss(0.02, RATE, 1)
    // Alike where both sound, so that the gains depend on how much that is.
    const b = hiss(0.02, RATE, 5).map((v, j) => 0.5 * v + (a[j - from] ?? 0))
    const padded = new Float32Array(3 * b.length)
    padded.set(b, b.length)
    const [as, same] = [[Float32Array.from(a)], [Float32Array.from(a)]]
    crossfadeTo(as, 0, a.length, [b], from)
    crossfadeTo(same, 0, a.length, [padded], b.length + from)
    expect(as[0]).toEqual(same[0])
  })
})
