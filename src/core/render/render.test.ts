// Plan, pieces and mix: identity, any range, locality, linked microphones, and the demo after quantize.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { slackWater } from '../../../demo/slack-water'
import { quantizedDemo } from '../../../tests/support/demo-quantize'
import { toneUnderHats } from '../../../tests/support/hats'
import { locate, percentile } from '../../../tests/support/measure'
import { noise, strokes, struck } from '../../../tests/support/signals'
import { measure } from '../analysis/analyse'
import type { Transient } from '../analysis/transients'
import type { AudioData } from '../audio/buffer'
import { DEFAULT_METHOD, newSession, newTrack } from '../session/create'
import { addTrack, setTempo } from '../session/edits'
import { moveNote } from '../session/pin-edits'
import type { Recording, Session } from '../session/types'
import { METHOD_NAMES, type MethodName } from '../stretch/types'
import { beats, samples } from '../units'
import { hashAudio } from '../hash'
import { mixRange, piecesIn } from './mix'
import { renderPiece } from './piece'
import { planSession, type Plan } from './plan'

interface Loaded {
  readonly session: Session
  readonly audio: ReadonlyMap<string, AudioData>
  readonly findings: ReadonlyMap<string, readonly Transient[]>
}

function load(parts: readonly AudioData[], method: MethodName, bpm = 120, place = 0): Loaded {
  const audio = new Map<string, AudioData>()
  const findings = new Map<string, readonly Transient[]>()
  let session = newSession('s', 's', parts[0]!.sampleRate)
  parts.forEach((a, i) => {
    const id = `r${i}`
    const recording: Recording = {
      id,
      name: id,
      sampleRate: a.sampleRate,
      channels: a.channels.length,
      length: samples(a.channels[0]!.length),
      coding: '',
    }
    audio.set(id, a)
    findings.set(id, measure(a.channels, a.sampleRate).transients)
    session = addTrack(
      session,
      recording,
      newTrack(`t${i}`, recording, beats(place), { ...DEFAULT_METHOD, method }),
    )
  })
  return { session: setTempo(session, bpm), audio, findings }
}

const planOf = (l: Loaded, session = l.session, original = false): Plan =>
  planSession(session, (id) => l.findings.get(id)!, { quality: 'fine', original })

/** Renders with a fresh cache in a given order, then mixes ranges of a given size. */
function rendered(l: Loaded, plan: Plan, block = plan.end, shuffle = false): Float32Array[] {
  const cache = new Map<string, Float32Array[]>()
  const pieces = piecesIn(plan, plan.start, plan.end)
  if (shuffle) pieces.reverse()
  for (const p of pieces)
    cache.set(
      p.key,
      renderPiece(p, (id) => l.audio.get(id)!),
    )
  const out = Array.from({ length: plan.channels }, () => new Float32Array(plan.end))
  for (let at = 0; at < plan.end; at += block) {
    const to = Math.min(plan.end, at + block)
    mixRange(plan, (p) => cache.get(p.key), at, to)!.forEach((x, c) => out[c]!.set(x, at))
  }
  return out
}

it('later attacks of one event begin pieces of their own in Hits only', () => {
  const spans = (method: MethodName): number[] => {
    const l = load(
      [{ sampleRate: 44100, channels: [strokes(3, 44100, [1, 0.3], [1.025, 0.5], [2, 0.5])] }],
      method,
    )
    const moved = moveNote(l.session, 't0-1', samples(2 * 44100), beats(4.1), [])
    return planOf(l, moved).clips[0]!.placed.map((p) => Math.round((1000 * p.piece.span.from) / 44100))
  }
  expect(spans('hits')).toEqual([0, 1000, 1025, 2000])
  expect(spans('chords')).toEqual([0, 1000, 2000])
})

it('pieces that tones ring on into are told apart by what is before them', () => {
  const a = toneUnderHats(220, 1.9, 44100, -12)
  const l = load([a], 'chords')
  const last = a.attacks[a.attacks.length - 1]!
  const moved = moveNote(l.session, 't0-1', samples(last), beats((last / 44100) * 2 + 0.3), [])
  const keys = (without: number) =>
    new Map(
      planSession(moved, (id) => l.findings.get(id)!.filter((t) => t.at !== without), {
        quality: 'fine',
      }).clips[0]!.placed.map(({ piece }) => [piece.span.from, piece.key] as const),
    )
  const all = keys(-1)
  const places = [...all.keys()]
  const [early, left, next, later] = [1, 3, 4, 6].map((i) => places[i]!) as [number, number, number, number]
  const less = keys(left)
  expect(less.get(early)).toBe(all.get(early))
  expect(all.has(left) && !less.has(left)).toBe(true)
  for (const place of [next, later]) {
    expect(less.has(place)).toBe(true)
    expect(less.get(place)).not.toBe(all.get(place))
  }
})

it('a clip that is moved with all its pins has the pieces it had', () => {
  const a = toneUnderHats(220, 1.9, 44100, -12)
  const l = load([a], 'chords')
  const [left, note, right] = [a.attacks[2]!, a.attacks[3]!, a.attacks[4]!].map(samples)
  const session = moveNote(l.session, 't0-1', note!, beats((note! / 44100) * 2 + 0.1), [left!, right!])
  const later: Session = {
    ...session,
    tracks: session.tracks.map((t) => ({
      ...t,
      clips: t.clips.map((c) => ({
        ...c,
        place: beats(c.place + 3),
        pins: c.pins.map((p) => ({ ...p, place: beats(p.place + 3) })),
      })),
    })),
  }
  const pieces = (s: Session) => planOf(l, s).clips[0]!.placed.map((p) => p.piece)
  expect(pieces(session).some((p) => p.span.shiftAtStart !== undefined)).toBe(true)
  expect(pieces(later).map((p) => p.key)).toEqual(pieces(session).map((p) => p.key))
})

const same = (a: Float32Array, b: Float32Array): boolean =>
  a.length === b.length && a.every((v, i) => Object.is(v, b[i]))
const method = fc.constantFrom<MethodName>(...METHOD_NAMES)

describe('a session', () => {
  it('without edits is its recording, bit for bit', () => {
    fc.assert(
      fc.property(
        fc.integer(),
        fc.constantFrom(22050, 44100, 48000),
        fc.constantFrom(1, 2),
        method,
        (seed, rate, channels, m) => {
          const a = struck(seed, 1, rate, channels)
          const l = load([a], m)
          return rendered(l, planOf(l)).every((x, c) => same(x, a.channels[c]!))
        },
      ),
      { numRuns: 20 },
    )
  })

  it('gives the same samples for any block size and any order of rendering', () => {
    fc.assert(
      fc.property(
        fc.integer(),
        method,
        fc.integer({ min: 1000, max: 50000 }),
        fc.double({ min: -0.08, max: 0.08, noNaN: true }),
        (seed, m, block, d) => {
          const a = struck(seed, 2, 44100, 2)
          const l = load([a], m)
          const note = a.attacks[2]!
          const session = moveNote(l.session, 't0-1', samples(note), beats((note / 44100) * 2 + d), [
            samples(a.attacks[1]!),
            samples(a.attacks[3]!),
          ])
          const plan = planOf(l, session)
          const whole = rendered(l, plan)
          return rendered(l, plan, block, true).every((x, c) => same(x, whole[c]!))
        },
      ),
      { numRuns: 15 },
    )
  })

  it('an edit changes no sample and no piece beyond its reach, and original stays original', () => {
    fc.assert(
      fc.property(fc.integer(), method, fc.double({ min: -0.1, max: 0.1, noNaN: true }), (seed, m, d) => {
        const a = struck(seed, 3, 44100, 1)
        const l = load([a], m)
        const [left, note, right] = [a.attacks[3]!, a.attacks[4]!, a.attacks[5]!].map(samples)
        const session = moveNote(l.session, 't0-1', note!, beats((note! / 44100) * 2 + d), [left!, right!])
        const [before, after] = [rendered(l, planOf(l))[0]!, rendered(l, planOf(l, session))[0]!]
        expect(same(after.subarray(0, left), before.subarray(0, left))).toBe(true)
        expect(same(after.subarray(right), before.subarray(right))).toBe(true)
        expect(same(rendered(l, planOf(l, session, true))[0]!, a.channels[0]!)).toBe(true)
      }),
      { numRuns: 15 },
    )
  })

  it('linked microphones keep their phase: a delayed copy stays delayed by the same samples', () => {
    const delay = 31
    const near = struck(5, 3, 44100, 1).channels[0]!
    const far = new Float32Array(near.length)
    far.set(
      near.subarray(0, near.length - delay).map((x) => 0.5 * x),
      delay,
    )
    const parts = [near, far].map((x) => ({ sampleRate: 44100, channels: [x] }))
    for (const m of ['hits', 'chords'] as const) {
      const l = load(parts, m)
      // Repeat, since mirror runs backwards for a while, which turns any delay round.
      const linked = {
        ...l.session,
        tracks: l.session.tracks.map((t) => ({
          ...t,
          linkGroup: 'kit',
          method: { ...t.method, fill: 'repeat' as const },
        })),
      }
      const attacks = struck(5, 3, 44100, 1).attacks
      const session = moveNote(linked, 't0-1', samples(attacks[4]!), beats((attacks[4]! / 44100) * 2 + 0.1), [
        samples(attacks[3]!),
        samples(attacks[5]!),
      ])
      const only = (id: string): Float32Array => {
        const plan = planSession(session, (r) => l.findings.get(r)!, { quality: 'fine', tracks: [id] })
        return rendered(l, plan)[0]!
      }
      const [a, b] = [only('t0'), only('t1')]
      const found = locate(a, attacks[3]! + 200, 20000, b, attacks[3]! + 200, 200)
      expect(found.at - (attacks[3]! + 200)).toBe(delay)
      expect(found.correlation).toBeGreaterThan(0.98)
    }
  })

  it('reads a recording of another rate at the session’s', () => {
    const l = load([struck(1, 1, 44100, 1), struck(2, 1, 48000, 2)], 'chords')
    const plan = planOf(l)
    expect(plan.channels).toBe(2)
    expect(plan.clips.map((c) => c.end)).toEqual([44100, 44100])
  })

  it('hashes tell recordings apart and know equal ones', () => {
    const x = noise(0.1, 44100)
    expect(hashAudio([x], 44100)).toBe(hashAudio([Float32Array.from(x)], 44100))
    const y = Float32Array.from(x)
    y[100] = y[100]! + 1e-7
    expect(hashAudio([y], 44100)).not.toBe(hashAudio([x], 44100))
    expect(hashAudio([x], 48000)).not.toBe(hashAudio([x], 44100))
  })
})

describe('the demo session, quantized at 100 %', () => {
  const demo = slackWater()
  const bars: [string, number, 8 | 16, number][] = [
    ['drum', 0, 16, 3],
    ['cittern', 1, 8, 8],
    ['bass', 2, 8, 8],
  ]
  it.each(bars)('puts the attacks of the %s on the grid (95th percentile)', (_name, index, division, bar) => {
    const q = quantizedDemo(demo[index]!, division)
    expect(q.length).toBe(q.recorded)
    expect(Math.min(...q.correlations)).toBeGreaterThan(0.98)
    expect(percentile(q.deviations, 0.95)).toBeLessThanOrEqual(bar)
  })
})
