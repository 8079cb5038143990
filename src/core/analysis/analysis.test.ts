// Transients: on the demo's truth, on what must not be found, and the filters on top.
import fc from 'fast-check'
import { beforeAll, describe, expect, it } from 'vitest'
import { SAMPLE_RATE, slackWater, type DemoTrack } from '../../../demo/slack-water'
import { median, onsetScore, percentile } from '../../../tests/support/measure'
import { noise, sine, struck, vibrato } from '../../../tests/support/signals'
import { samples, type Samples } from '../units'
import { defaultAttacks, eventsIn, heardIn, materialOf, measure, transientsIn } from './analyse'
import { changePoint } from './refine'
import {
  attackPlaces,
  DEFAULT_TRANSIENTS,
  nearDoubles,
  nearestZeroCrossing,
  selectTransients,
  ticksOf,
} from './select'
import { groupNear, laterOf, withParts } from './events'
import { onsetStrength } from './onset-strength'
import { pitchCandidates } from './pitch/candidates'
import { mainSource } from './source'
import { placesOf, type Transient } from './transients'

const findTransients = (...args: Parameters<typeof measure>): readonly Transient[] =>
  measure(...args).transients
const detect = (channels: readonly Float32Array[], rate: number): Transient[] =>
  defaultAttacks(findTransients(channels, rate), rate)

describe('on the demo session', () => {
  let tracks: DemoTrack[]
  beforeAll(() => {
    tracks = slackWater()
  })

  it('finds every onset where it is: F ≥ 0.95 at 50 ms, ≥ 0.90 at 10 ms, hits within a millisecond', () => {
    for (const t of tracks) {
      const found = detect(t.channels, SAMPLE_RATE).map((x) => x.at / SAMPLE_RATE)
      const truth = t.onsets.map((o) => o.time)
      expect(onsetScore(truth, found, 0.05).f, t.name).toBeGreaterThanOrEqual(0.95)
      const close = onsetScore(truth, found, 0.01)
      expect(close.f, t.name).toBeGreaterThanOrEqual(0.9)
      expect(median(close.errors.map(Math.abs)), t.name).toBeLessThan(0.001)
    }
  })

  it('suggests Hits for the drum, Chords for the cittern and Line for the bass, with reasons and figures', () => {
    const suggested = tracks.map((t) => materialOf(t.channels, SAMPLE_RATE, measure(t.channels, SAMPLE_RATE)))
    expect(suggested.map((s) => s.suggested)).toEqual(['hits', 'chords', 'line'])
    for (const s of suggested) {
      expect(s.reasons[0]).toMatch(
        /^\d+ % of the energy is in attacks \(\d+ % below 800 Hz\), \d+\.\d of them a second\.$/,
      )
      expect(s.reasons[1]).toMatch(/^\d+ % of the sounding time has one clear pitch\.$/)
    }
  })

  it('the truth holds the faults that were put in', () => {
    const [drum, cittern, bass] = tracks.map((t) =>
      t.onsets.map((o) => ({ ...o, off: 1000 * (o.time - o.intended) })),
    )
    const beat3 = drum!.filter((o) => o.beat >= 16 && o.beat < 32 && o.beat % 4 === 2)
    expect(median(beat3.map((o) => o.off))).toBeGreaterThan(28)
    expect(Math.abs(median(drum!.filter((o) => o.beat < 16).map((o) => o.off)))).toBeLessThan(4)
    expect(cittern!.find((o) => o.beat === 39.5)!.off).toBeLessThan(-60)
    expect(cittern!.find((o) => o.beat === 50)!.off).toBeGreaterThan(85)
    expect(median(bass!.map((o) => o.off))).toBeCloseTo(20, -1)
  })
})

describe('on struck tones at three rates', () => {
  it.each([22050, 44100, 48000, 96000])('at %i Hz: starts within a millisecond', (rate) => {
    const errors: number[] = []
    let missed = 0
    for (let seed = 1; seed <= 5; seed++) {
      const played = struck(seed, 4, rate, 1, 3)
      const score = onsetScore(
        played.attacks.map((a) => a / rate),
        detect(played.channels, rate).map((t) => t.at / rate),
        0.03,
      )
      errors.push(...score.errors.map((e) => Math.abs(1000 * e)))
      missed += played.attacks.length - score.errors.length
    }
    expect(missed).toBeLessThanOrEqual(1)
    expect(median(errors)).toBeLessThan(0.5)
    expect(percentile(errors, 0.95)).toBeLessThan(1.5)
  })
})

describe('places and later attacks shared out between workers', () => {
  it('are those that one finds alone, at any share', () => {
    const { channels } = struck(3, 6, 44100, 2)
    const curve = onsetStrength(channels, 44100)
    const candidates = pitchCandidates(mainSource(channels, 44100))
    const heard = heardIn(channels[0]!.length, 44100, curve, candidates)
    expect(heard.found.length).toBeGreaterThan(10)
    const alone = measure(channels, 44100).transients
    expect(transientsIn(channels, 44100)).toEqual(alone)
    for (const share of [0, 5, heard.found.length >> 1]) {
      const shared = <T>(list: readonly T[]): T[][] => [list.slice(0, share), list.slice(share)]
      const places = shared(heard.found).flatMap((part) => placesOf(part, channels, 44100))
      const events = eventsIn(heard, places, channels, 44100)
      const later = shared(events).flatMap((part) => laterOf(part, channels, 44100))
      expect(withParts(events, later, 44100)).toEqual(alone)
    }
  })
})

describe('what is no transient', () => {
  it('a steady tone, vibrato, noise and silence give none after their beginning', () => {
    const rate = 44100
    const later = (x: Float32Array): number => detect([x], rate).filter((t) => t.at > 0.35 * rate).length
    expect(later(sine(220, 3, rate))).toBe(0)
    expect(later(vibrato(440, 3, rate))).toBe(0)
    expect(later(noise(3, rate, 0.3))).toBe(0)
    expect(detect([new Float32Array(rate)], rate)).toEqual([])
  })

  it('an empty recording is refused with a sentence', () =>
    expect(() => findTransients([new Float32Array(0)], 44100)).toThrow(/empty/))

  it('says how far it is and can be cancelled', () => {
    const seen: number[] = []
    findTransients([noise(4, 44100)], 44100, (p) => seen.push(p))
    expect(seen[0]).toBe(0)
    expect(seen[seen.length - 1]).toBe(1)
    expect(() =>
      findTransients([noise(4, 44100)], 44100, (p) => {
        if (p > 0.3) throw new Error('stop')
      }),
    ).toThrow('stop')
  })
})

describe('filters', () => {
  const candidates = fc
    .array(
      fc.record({
        at: fc.integer({ min: 0, max: 200000 }),
        strength: fc.double({ min: 0.01, max: 0.99, noNaN: true }),
      }),
      { maxLength: 60 },
    )
    .map((raw): Transient[] => {
      const seen = new Map(raw.map((r) => [r.at, r.strength]))
      return [...seen].sort((a, b) => a[0] - b[0]).map(([at, strength]) => ({ at: samples(at), strength }))
    })

  it('more sensitivity never loses a transient without a gap to keep, and gaps hold', () => {
    fc.assert(
      fc.property(
        candidates,
        fc.integer({ min: 0, max: 100 }),
        fc.integer({ min: 0, max: 100 }),
        fc.integer({ min: 0, max: 200 }),
        (c, a, b, gap) => {
          const [low, high] = [Math.min(a, b), Math.max(a, b)]
          const few = selectTransients(c, low, 0, 44100)
          const many = new Set(selectTransients(c, high, 0, 44100))
          const apart = selectTransients(c, high, gap, 44100)
          return (
            few.every((t) => many.has(t)) &&
            apart.every((t, i) => i === 0 || t.at - apart[i - 1]!.at >= (gap / 1000) * 44100)
          )
        },
      ),
    )
  })

  it('corrections stand whatever the sensitivity', () => {
    const c: Transient[] = [
      { at: samples(1000), strength: 0.9 },
      { at: samples(9000), strength: 0.1 },
      { at: samples(20000), strength: 0.8 },
    ]
    const s = {
      ...DEFAULT_TRANSIENTS,
      sensitivity: 10,
      moved: [{ from: samples(9000), to: samples(9100) }],
      added: [samples(15000)],
      muted: [samples(20000)],
    }
    expect(ticksOf(c, s, 44100).map((t) => [t.id, t.at, t.origin, t.muted])).toEqual([
      [1000, 1000, 'found', false],
      [9000, 9100, 'moved', false],
      [15000, 15000, 'added', false],
      [20000, 20000, 'found', true],
    ])
  })

  it('near-doubles are events of several attacks and notes too near to the next; muted ones are not', () => {
    const c: Transient[] = [
      { at: samples(1000), strength: 0.9, parts: [samples(1900)] },
      { at: samples(20000), strength: 0.9 },
      { at: samples(22500), strength: 0.8 },
      { at: samples(40000), strength: 0.8 },
    ]
    const ticks = ticksOf(c, DEFAULT_TRANSIENTS, 44100)
    expect(nearDoubles(ticks, 44100)).toEqual([1000, 20000])
    const muted = { ...DEFAULT_TRANSIENTS, muted: [samples(1000), samples(22500)] }
    expect(nearDoubles(ticksOf(c, muted, 44100), 44100)).toEqual([])
  })

  it('the strums of a take that is strummed are no near-doubles, but an unusually slow one is', () => {
    const strummed = (late: readonly number[]): readonly number[] => {
      const c = late.map((d, i): Transient => {
        const at = samples(1000 + 20000 * i)
        return { at, strength: 0.9, ...(d ? { parts: [samples(at + 300), samples(at + d)] } : {}) }
      })
      return nearDoubles(ticksOf(c, DEFAULT_TRANSIENTS, 44100), 44100)
    }
    expect(strummed([700, 0, 650, 720, 0, 690])).toEqual([])
    expect(strummed([700, 0, 650, 720, 1500, 690])).toEqual([81000])
    expect(strummed([700, 0, 0, 0, 0, 0])).toEqual([1000])
  })

  it('a slur that was moved begins where it was put', () => {
    const c: Transient[] = [{ at: samples(1000), strength: 0.9, slurred: 'alone' }]
    const moved = { ...DEFAULT_TRANSIENTS, moved: [{ from: samples(1000), to: samples(1100) }] }
    const places = (s: typeof moved): Samples[] =>
      attackPlaces(ticksOf(c, s, 44100), { later: false, slurs: 'none' })
    expect(places({ ...moved, moved: [] })).toEqual([])
    expect(places(moved)).toEqual([1100])
  })

  it('of a tick that was moved only the attacks after it are its later ones', () => {
    const c: Transient[] = [{ at: samples(1000), strength: 0.9, parts: [samples(1900), samples(2600)] }]
    const moved = (to: number): readonly number[] | undefined =>
      ticksOf(c, { ...DEFAULT_TRANSIENTS, moved: [{ from: samples(1000), to: samples(to) }] }, 44100)[0]!
        .parts
    expect(moved(2000)).toEqual([2600])
    expect(moved(3000)).toBeUndefined()
  })

  it('attacks to protect count later ones only where they are asked for', () => {
    const c: Transient[] = [
      { at: samples(1000), strength: 0.9, parts: [samples(1900), samples(2600)] },
      { at: samples(2200), strength: 0.9 },
    ]
    const slurred: Transient[] = [
      ...c,
      { at: samples(3000), strength: 0.9, slurred: 'alone' },
      { at: samples(4000), strength: 0.9, slurred: 'struck' },
    ]
    expect(attackPlaces(slurred, { later: true, slurs: 'none' })).toEqual([1000, 1900, 2200, 2600])
    expect(attackPlaces(slurred, { later: false, slurs: 'struck' })).toEqual([1000, 2200, 4000])
    expect(attackPlaces(slurred, { later: false, slurs: 'all' })).toEqual([1000, 2200, 3000, 4000])
  })

  it('zero crossing: the nearest, within reach', () => {
    const x = sine(100, 0.1, 44100)
    expect(Math.abs(nearestZeroCrossing([x], 450, 400) - 441)).toBeLessThanOrEqual(1)
    expect(nearestZeroCrossing([new Float32Array(100).fill(1)], 50, 20)).toBe(50)
  })

  it('the change point of a variance step is where it steps (Maeda 1985)', () => {
    const x = noise(0.02, 44100, 1, 4)
    const power = Float64Array.from(x, (v, i) => (i < 500 ? 1e-4 : 1) * v * v)
    expect(Math.abs(changePoint(power) - 500)).toBeLessThanOrEqual(3)
  })
})

describe('near-doubles', () => {
  const steep = true
  it('are one event at its first attack with the strength of the strongest', () => {
    const grouped = groupNear(
      [
        { at: 5000, strength: 0.6, steep },
        { at: 1000, strength: 0.5, steep },
        { at: 1800, strength: 0.9, steep },
      ],
      1500,
      2500,
    )
    expect(grouped).toEqual([
      { at: 1000, strength: 0.9 },
      { at: 5000, strength: 0.6 },
    ])
  })

  it('what only swells belongs to what came before for longer', () => {
    const events = (steepLater: boolean): number =>
      groupNear(
        [
          { at: 1000, strength: 0.8, steep },
          { at: 3000, strength: 0.7, steep: steepLater },
        ],
        1500,
        2500,
      ).length
    expect(events(true)).toBe(2)
    expect(events(false)).toBe(1)
  })

  it('a faint precursor does not count: the event is at the clear attack', () =>
    expect(
      groupNear(
        [
          { at: 1000, strength: 0.15, steep },
          { at: 1800, strength: 0.9, steep },
        ],
        1500,
        2500,
      ),
    ).toEqual([{ at: 1800, strength: 0.9 }]))
})
