// Tempo, beats and meter: on rhythms whose beats are known, and what a person's corrections do.
import { beforeAll, describe, expect, it } from 'vitest'
import { bandPiece, type BandPlan } from '../../../../bench/corpus/pieces'
import { rested } from '../../../../bench/corpus/rests'
import type { Piece } from '../../../../bench/corpus/types'
import { onsetScore } from '../../../../tests/support/measure'
import { beatScore } from '../../../../tests/support/scores'
import { noise, strokes } from '../../../../tests/support/signals'
import { analyse, type Findings } from '../analyse'
import { HYPOTHESIS_FEATURES } from './evidence'
import { hypotheses } from './hypotheses'
import { RANKING } from './ranking-weights'
import { statedTempos, tempoInName } from './stated'
import { beatsAt, findBeats } from './track'

const PLAN: BandPlan = {
  meter: '4/4',
  groove: 'backbeat',
  bpm: 104.37,
  feel: 'steady',
  chords: 'piano',
  bass: true,
  tune: null,
}
const play = (change: Partial<BandPlan>, seed: number): Piece =>
  bandPiece('test', { ...PLAN, ...change }, seed)
const found = (p: Piece, stated: Parameters<typeof analyse>[2] = []): Findings =>
  analyse(p.channels, p.sampleRate, stated)
const beatF = (p: Piece, f: Pick<Findings, 'beats'>): number =>
  onsetScore(
    p.beats!,
    f.beats.map((b) => b.time),
    0.07,
  ).f

describe('a loop', () => {
  it.each([1, 2])('of %d bars of three beats has its tempo from its length', (bars) => {
    const piece = play(
      { meter: '3/4', groove: 'ride', bpm: 109.23, loop: true, bars, chords: null, bass: false },
      5,
    )
    const { tempo, meter } = found(piece)
    expect(Math.abs(tempo.bpm - 109.23)).toBeLessThan(0.02)
    expect(tempo.steady).toBe(true)
    expect(meter.beatsPerBar).toBe(3)
  })

  it('that is cut 30 ms too long is as fast as it is played', () => {
    const { channels, sampleRate } = play({ loop: true, bars: 2 }, 8)
    const longer = channels.map((x) => Float32Array.from([...x, ...new Float32Array(0.03 * sampleRate)]))
    const { tempo } = analyse(longer, sampleRate)
    expect(Math.abs(tempo.bpm - 104.37)).toBeLessThan(0.02)
  })

  it.each([0.5, 1])('that begins with a rest of %d beats has its tempo from its length', (rest) => {
    const loop = rested(play({ loop: true, bars: 2, bpm: 118.4, chords: null, bass: false }, 21), rest)
    const { tempo, beats, beatOne } = found(loop)
    expect(Math.abs(tempo.bpm - 118.4)).toBeLessThan(0.02)
    expect(beatF(loop, { beats })).toBeGreaterThan(0.9)
    // The bar begins with the file.
    const bar = (4 * 60) / 118.4
    expect(Math.abs(beatOne! - bar * Math.round(beatOne! / bar))).toBeLessThan(0.03)
  })

  it.each([
    ['busy', 92, 402],
    ['busy', 106, 416],
    ['half', 132, 442],
  ])('of one bar of %s at %d BPM begins with it, though another beat weighs more', (groove, bpm, seed) => {
    const { beatOne } = found(play({ groove, bpm, chords: null, loop: true, bars: 1 }, seed))
    expect(beatOne).toBeLessThan(0.03)
  })

  it('that is played loosely in sixteenths is as fast as its length says, in quarters', () => {
    const beat = 60 / 97
    const loose = [0, -0.014, 0.012, -0.008, 0.018]
    const hits = Array.from({ length: 16 }, (_, k): [number, number] => [
      k * (beat / 4) + loose[k % loose.length]!,
      k % 4 ? 0.35 : 0.9,
    ])
    const loop = [strokes(4 * beat, 44100, ...hits)]
    const { tempo } = analyse(loop, 44100)
    expect(Math.abs(tempo.bpm - 97)).toBeLessThan(0.02)
    expect(tempo.steady).toBe(true)
    // Unless somebody says that those are quarters.
    expect(Math.abs(analyse(loop, 44100, [{ bpm: 194, from: 'name' }]).tempo.bpm - 194)).toBeLessThan(0.02)
  })
})

it('a loop of one bar whose second beat is pushed is as fast as its length says', () => {
  const beat = 60 / 97
  const sixteenths = [0, 1, 2, 3, 3.5, 5, 6, 7, 8, 9, 10, 11, 11.5, 12, 13, 14, 14.4, 15, 15.6]
  // All but the first lie a little early, so that the beats that are found are too fast for the bar.
  const hits = sixteenths.map((k): [number, number] => [
    Math.max(0, k * (beat / 4) - 0.009),
    k % 2 ? 0.6 : 0.8,
  ])
  const { tempo } = analyse([strokes(4 * beat, 44100, ...hits)], 44100)
  expect(Math.abs(tempo.bpm - 97)).toBeLessThan(0.02)
  expect(tempo.steady).toBe(true)
})

it('a tempo is as likely as all ways to count it, from the beats or from between them', () => {
  const step = 60 / 97 / 4
  const levels = [0.2, 0, 0.9, 0, 0.2, 0.3, 0.9, 0.3]
  const hits = Array.from({ length: 64 }, (_, k): [number, number] => [
    0.2 + k * step,
    levels[k % levels.length]!,
  ])
  const sounding = hits.filter(([, level]) => level > 0)
  const { tempo, rhythm, chroma } = analyse([strokes(0.5 + 64 * step, 44100, ...sounding)], 44100)
  expect(Math.abs(tempo.bpm - 97)).toBeLessThan(0.02)
  expect(tempo.confidence).toBeGreaterThan(Math.max(...tempo.candidates.slice(1).map((c) => c.score)))
  // Of the slower one there are two counts, and it is as sure as both.
  const slow = findBeats(rhythm, chroma, [], { tempo: { low: 80, high: 110 } }).tempo
  expect(Math.abs(slow.bpm - 97)).toBeLessThan(0.02)
  expect(slow.confidence).toBeGreaterThan(0.9)
})

describe('a steady band', () => {
  let piece: Piece
  let f: Findings
  beforeAll(() => {
    piece = play({}, 31337)
    f = found(piece)
  })

  it('tempo to 0.02 BPM, one tempo, 4/4, beat 1 within 10 ms', () => {
    expect(f.tempo.steady).toBe(true)
    expect(Math.abs(f.tempo.bpm - 104.37)).toBeLessThan(0.02)
    expect(f.meter).toMatchObject({ beatsPerBar: 4, beatUnit: 4 })
    expect(Math.abs(f.beatOne! - piece.downbeats![0]!)).toBeLessThan(0.01)
  })

  it('every beat within 10 ms, numbered from each beat 1', () => {
    expect(
      onsetScore(
        piece.beats!,
        f.beats.map((b) => b.time),
        0.01,
      ).f,
    ).toBeGreaterThan(0.97)
    const ones = f.beats.filter((b) => b.beat === 1).map((b) => b.time)
    expect(onsetScore(piece.downbeats!, ones, 0.03).f).toBeGreaterThan(0.95)
    expect(f.beats.every((b) => b.confidence > 0 && b.confidence <= 1)).toBe(true)
  })

  it('half and double are named, with evidence for the chosen one', () => {
    const [chosen, ...others] = f.tempo.candidates
    expect(chosen!.relation).toBe('chosen')
    expect(chosen!.evidence.join(' ')).toMatch(/% of its beats have a note within 30 ms/)
    const half = others.find((c) => c.relation === 'half')!
    expect(half.bpm).toBeCloseTo(f.tempo.bpm / 2, 6)
    expect(others.find((c) => c.relation === 'double')!.bpm).toBeCloseTo(f.tempo.bpm * 2, 6)
    const total = f.tempo.candidates.reduce((s, c) => s + c.score, 0)
    expect(total).toBeLessThanOrEqual(1 + 1e-9)
  })

  it('half keeps the beats 1, double adds the middles', () => {
    const times = f.beats.map((b) => b.time)
    const one = f.beats.findIndex((b) => b.beat === 1)
    expect(beatsAt('half', times, one)).toContain(times[one])
    const double = beatsAt('double', times, one)
    expect(double.length).toBe(2 * times.length - 1)
    expect(double[1]).toBeCloseTo((times[0]! + times[1]!) / 2)
  })

  it('“beat 1 is here” and “this is a beat” hold in the second pass', () => {
    const third = f.beats.find((b) => b.beat === 3)!.time
    const moved = findBeats(f.rhythm, f.chroma, [], { downbeat: third })
    const nearest = [...moved.beats].sort((a, b) => Math.abs(a.time - third) - Math.abs(b.time - third))[0]!
    expect(nearest.beat).toBe(1)
    const off = f.beats[6]!.time + 30 / f.tempo.bpm
    const shifted = findBeats(f.rhythm, f.chroma, [], { beats: [off] })
    expect(Math.min(...shifted.beats.map((b) => Math.abs(b.time - off)))).toBeLessThan(0.03)
  })

  it('“tempo between 45 and 60” gives half the beats; “three in a bar” gives bars of three', () => {
    const slow = findBeats(f.rhythm, f.chroma, [], { tempo: { low: 45, high: 60 } })
    expect(Math.abs(slow.tempo.bpm - 52.185)).toBeLessThan(0.05)
    expect(findBeats(f.rhythm, f.chroma, [], { beatsPerBar: 3 }).meter.beatsPerBar).toBe(3)
  })
})

describe('other meters and feels', () => {
  it.each([
    ['3/4', 'waltz', 132.1, 11],
    ['6/8', 'ballad', 188.3, 12],
    ['4/4', 'swing', 126.7, 13],
  ] as const)('%s %s: meter, beats and beat 1', (meter, groove, bpm, seed) => {
    const p = play({ meter, groove, bpm }, seed)
    const f = found(p)
    expect(f.meter).toMatchObject(p.meter!)
    expect(beatF(p, f)).toBeGreaterThan(0.93)
    const ones = f.beats.filter((b) => b.beat === 1).map((b) => b.time)
    expect(onsetScore(p.downbeats!, ones, 0.07).f).toBeGreaterThan(0.9)
  })

  it('a drifting performance is no single tempo, and its beats are followed', () => {
    const p = play({ feel: 'rubato' }, 14)
    const f = found(p)
    expect(f.tempo.steady).toBe(false)
    expect(beatF(p, f)).toBeGreaterThan(0.93)
    expect(
      beatScore(
        p.beats!,
        f.beats.map((b) => b.time),
      ).cmlt,
    ).toBeGreaterThan(0.85)
  })

  it('a beatless introduction is carried on backwards and marked', () => {
    const p = play({ intro: 4 }, 15)
    const f = found(p)
    // The held chord of the introduction is the first onset, the band's first stroke the second.
    const entry = p.onsets[1]!
    const early = f.beats.filter((b) => b.time < entry - 0.1)
    expect(early.length).toBeGreaterThan(3)
    expect(early.filter((b) => b.extrapolated).length / early.length).toBeGreaterThan(0.7)
    const later = f.beats.filter((b) => b.time > entry)
    expect(later.filter((b) => b.extrapolated).length / later.length).toBeLessThan(0.05)
  })

  it('a loop is exactly as long as its beats', () => {
    const p = play({ loop: true, bars: 2, bpm: 117.43, chords: null, bass: false }, 16)
    const f = found(p)
    expect(Math.abs(f.tempo.bpm - 117.43)).toBeLessThan(0.02)
    expect(f.tempo.candidates[0]!.evidence.join(' ')).toMatch(/The file is 8 beats long/)
  })
})

describe('stated tempo', () => {
  it.each([
    ['Slack Water 92bpm.wav', 92],
    ['bpm_128_dry.aif', 128],
    ['loop 104,5 BPM take 2.wav', 104.5],
    ['bass_117.wav', 117],
    ['take 03.wav', null],
    ['2026-11-25 room.wav', null],
    ['24bit 96kHz.wav', null],
    ['fiddle.wav', null],
    ['set 110 and 120.wav', null],
  ])('“%s” states %s', (name, bpm) => expect(tempoInName(name)).toBe(bpm))

  it('name and tags are told apart', () =>
    expect(statedTempos('x 90bpm.wav', 91)).toEqual([
      { bpm: 90, from: 'name' },
      { bpm: 91, from: 'tags' },
    ]))

  it('is evidence, not believed: a wrong one changes nothing, a right one is named', () => {
    const p = play({}, 31337)
    const wrong = found(p, [{ bpm: 131, from: 'name' }])
    expect(Math.abs(wrong.tempo.bpm - 104.37)).toBeLessThan(0.02)
    const right = found(p, [{ bpm: 104.4, from: 'tags' }])
    expect(right.tempo.candidates[0]!.evidence).toContain('The tags say 104.4 BPM.')
  })
})

it('there is as much evidence of each way to count as the ranking weighs', () => {
  const { rhythm, chroma } = found(play({ bars: 4 }, 3))
  const { list } = hypotheses(rhythm, chroma)
  expect(RANKING.mean.length).toBe(HYPOTHESIS_FEATURES.length)
  for (const h of list) {
    expect(h.features.length).toBe(HYPOTHESIS_FEATURES.length)
    expect(h.features.every(Number.isFinite)).toBe(true)
  }
})

it('nothing to count: noise and silence have no beats', () => {
  for (const x of [noise(3, 44100, 0.2), new Float32Array(44100)]) {
    const f = analyse([x], 44100)
    expect(f.tempo.confidence).toBeLessThan(0.6)
    expect(f.beats.filter((b) => b.confidence > 0.6)).toEqual([])
  }
})
