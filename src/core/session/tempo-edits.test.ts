// Grid to music, music to grid, tempo edits and fitting; on the jig and on small made-up clips.
import fc from 'fast-check'
import { beforeAll, describe, expect, it } from 'vitest'
import { attacksIn, jigSession, rendered, type JigSession } from '../../../tests/support/jig-session'
import { percentile } from '../../../tests/support/measure'
import { JIG_RATE } from '../../../demo/jig'
import { defaultAttacks } from '../analysis/analyse'
import { clickBeats, DEFAULT_CLICK } from '../render/click'
import { piecesIn } from '../render/mix'
import { mapOf, planSession } from '../render/plan'
import { beatToSeconds, bpmAt } from '../music/tempo-map'
import { barAt } from '../music/meter-map'
import { AS_FOUND, countBeats } from '../timing/count'
import { driftByBar, heardBeats, worstBar } from '../timing/drift'
import { toTarget } from '../timing/time-map'
import { samples } from '../units'
import { newSession, newTrack } from './create'
import { addTrack, setTempo, transpose } from './edits'
import { findClip } from './find'
import { parseSession } from './schema'
import { moveGridToMusic, moveMusicToGrid, releaseClip, setCount } from './agree-edits'
import { fitToLength, lengthInBeats, trimEnd } from './length-edits'
import { averageTempo, barTempos, keepingSeconds, rampTempo, setMeterIn, setTempoIn } from './tempo-edits'
import type { Session } from './types'

let j: JigSession
beforeAll(() => {
  j = jigSession()
}, 60000)

/** The click on every eighth of the jig. */
const EIGHTHS = { ...DEFAULT_CLICK, parts: 3 } as const

/** Seconds at which a recording place of a track's clip sounds. */
function sounds(s: Session, track: number, second: number): number {
  const { clip, recording } = findClip(s, `t${track}-1`)!
  return toTarget(mapOf(s, clip, recording), second * JIG_RATE) / JIG_RATE
}

describe('the jig, played without a click', () => {
  it('is found as it was played: six eighths to the bar, and the likeliest tempo heads its candidates', () => {
    const { tempo, meter } = j.found[0]!
    const wanted = (60 * (j.truth.beats.length - 1)) / (j.truth.beats.at(-1)!.time - j.truth.beats[0]!.time)
    expect(Math.abs(tempo.bpm / wanted - 1)).toBeLessThan(0.01)
    expect(meter).toMatchObject({ beatsPerBar: 6, beatUnit: 8 })
    const scores = tempo.candidates.map((c) => c.score)
    expect(scores[0]).toBe(Math.max(...scores))
  })

  it('the grid moves to the music: the click is with the player', () => {
    const moved = moveGridToMusic(j.session, 't0-1', j.counted, { by: 'beats', smoothing: 0 })
    const clicks = clickBeats(moved.tempo, moved.meter, JIG_RATE, 0, 100 * JIG_RATE, EIGHTHS)
    const errors = j.truth.beats.map((b) => {
      const at = sounds(moved, 0, b.time)
      return 1000 * Math.min(...clicks.map((c) => Math.abs(c.at / JIG_RATE - at)))
    })
    expect(percentile(errors, 0.5)).toBeLessThan(8)
    expect(percentile(errors, 0.95)).toBeLessThan(25)
    // Bar lines are the player's bars.
    const bars = j.truth.beats.filter((b) => b.beat === 1).map((b) => sounds(moved, 0, b.time))
    const lines = clicks.filter((c) => c.accent).map((c) => c.at / JIG_RATE)
    for (const at of bars) expect(Math.min(...lines.map((l) => Math.abs(l - at)))).toBeLessThan(0.03)
    expect(moved.meter).toEqual([{ bar: 0, numerator: 6, denominator: 8 }])
    // Both recordings still sound together and as they were.
    const [a, b] = [0, 1].map((t) => sounds(moved, t, 10))
    expect(a).toBeCloseTo(b!, 4)
    expect(sounds(moved, 0, 12) - a!).toBeCloseTo(2, 4)
    expect(() => parseSession(moved)).not.toThrow()
  })

  it('a recording that follows the grid is let go before it leads', () => {
    const conformed = moveMusicToGrid(setTempo(j.session, 165), 't0-1', j.counted, ['t0-1'], { by: 'beats' })
    const back = moveGridToMusic(conformed, 't0-1', j.counted, { by: 'beats', smoothing: 0 })
    expect(findClip(back, 't0-1')!.clip.base.kind).toBe('speed')
    expect(sounds(back, 0, 20) - sounds(back, 0, 10)).toBeCloseTo(10, 4)
    const lines = clickBeats(back.tempo, back.meter, JIG_RATE, 0, 100 * JIG_RATE, EIGHTHS).map(
      (c) => c.at / JIG_RATE,
    )
    const errors = j.truth.beats.map((b) =>
      Math.min(...lines.map((l) => Math.abs(l - sounds(back, 0, b.time)))),
    )
    expect(percentile(errors, 0.5)).toBeLessThan(0.008)
  })

  it('by bars, smoothed: as many steps as bars at most, and still near', () => {
    const moved = moveGridToMusic(j.session, 't0-1', j.counted, { by: 'bars', smoothing: 50 })
    expect(moved.tempo.length).toBeLessThan(40)
    const errors = j.truth.beats
      .filter((b) => b.beat === 1)
      .map((b) => {
        const at = sounds(moved, 0, b.time)
        const near = [0, 1, 2, 3].flatMap((k) => [barAt(moved.meter, b.bar - 1 + k - 1)])
        return 1000 * Math.min(...near.map((n) => Math.abs(beatToSeconds(moved.tempo, n.start) - at)))
      })
    expect(percentile(errors, 0.5)).toBeLessThan(15)
  })

  it('the music moves to the grid by beats: attacks are on it in the rendered audio', () => {
    // 110 dotted quarters a minute.
    const at110 = setTempo(j.session, 165)
    const attacks = (id: string): number[] =>
      defaultAttacks(j.found[Number(id[1])]?.transients ?? [], JIG_RATE).map((t) => t.at)
    const moved = moveMusicToGrid(at110, 't0-1', j.counted, ['t0-1', 't1-1'], { by: 'beats' }, attacks)
    const eighth = 60 / 330
    const onsets = j.truth.tracks[0]!.onsets
    const first = sounds(moved, 0, onsets[0]!.time)
    const origin = Math.round(first / (6 * eighth)) * 6 * eighth
    const wanted = onsets.map((o) => origin + 2 * o.beat * eighth)
    const out = rendered(j, moved, 0)
    const found = attacksIn(
      j,
      0,
      out,
      wanted.map((t) => t * JIG_RATE),
    )
    const errors = found.flatMap((t, i) => (Number.isNaN(t) ? [] : [1000 * Math.abs(t - wanted[i]!)]))
    expect(errors.length).toBeGreaterThan(0.95 * onsets.length)
    expect(percentile(errors, 0.5)).toBeLessThan(8)
    expect(percentile(errors, 0.95)).toBeLessThan(20)
  })

  it('microphones of one performance get the same beats, sample for sample', () => {
    const linked = {
      ...j.session,
      tracks: j.session.tracks.map((t) => ({ ...t, linkGroup: 'band' })),
    }
    // Each has attacks of its own, a few milliseconds apart.
    const attacks = (id: string): number[] =>
      j.counted.beats.map((b) => Math.round(b.source) + (id === 't0-1' ? 300 : -250))
    for (const ids of [['t0-1'], ['t1-1'], ['t1-1', 't0-1']]) {
      const moved = moveMusicToGrid(linked, 't0-1', j.counted, ids, { by: 'beats' }, attacks)
      const [a, b] = moved.tracks.map((t) => t.clips[0]!)
      expect(a!.base.kind).toBe('beats')
      expect(b!.base).toEqual(a!.base)
      expect(b!.place).toBe(a!.place)
    }
  })

  it('by bars the feel inside them keeps its shape', () => {
    const at110 = setTempo(j.session, 165)
    const moved = moveMusicToGrid(at110, 't0-1', j.counted, ['t0-1'], { by: 'bars' })
    // Deviation of every attack from even eighths of its own bar, as played and as placed, in shares of the bar.
    const shape = (at: (s: number) => number): number[] => {
      const bars = j.truth.beats.filter((b) => b.beat === 1).map((b) => at(b.time))
      return j.truth.tracks[0]!.onsets.flatMap((o) => {
        const bar = Math.floor(o.beat / 3)
        const [a, b] = [bars[bar], bars[bar + 1]]
        return a === undefined || b === undefined ? [] : [(at(o.time) - a) / (b - a) - (o.beat % 3) / 3]
      })
    }
    const [x, y] = [shape((s) => s), shape((s) => sounds(moved, 0, s))]
    const mean = (v: number[]): number => v.reduce((s, w) => s + w, 0) / v.length
    const [mx, my] = [mean(x), mean(y)]
    const dot = (a: number[], ma: number, b: number[], mb: number): number =>
      a.reduce((s, v, i) => s + (v - ma) * (b[i]! - mb), 0)
    expect(dot(x, mx, y, my) / Math.sqrt(dot(x, mx, x, mx) * dot(y, my, y, my))).toBeGreaterThan(0.95)
  })

  it('follows later tempo changes, until it is released', () => {
    const moved = moveMusicToGrid(setTempo(j.session, 165), 't0-1', j.counted, ['t0-1'], { by: 'beats' })
    const slower = setTempoIn(moved, 24, 30, 120, 'stay in seconds')
    const place = (s: Session, beat: number): number => {
      const known = findClip(s, 't0-1')!.clip.base
      if (known.kind !== 'beats') throw new Error('does not follow')
      const b = known.beats.find((k) => k.beat === beat)!
      return sounds(s, 0, b.source / JIG_RATE)
    }
    for (const beat of [12, 24, 27, 30, 45])
      expect(place(slower, beat)).toBeCloseTo(beatToSeconds(slower.tempo, beat), 3)
    // The other track stays where it was, in seconds.
    expect(sounds(slower, 1, 30)).toBeCloseTo(sounds(moved, 1, 30), 4)
    const free = releaseClip(slower, 't0-1')
    expect(sounds(free, 0, 20) - sounds(free, 0, 10)).toBeCloseTo(10, 4)
  })

  it('a tempo change asks for new samples only where something follows it', () => {
    const both = moveMusicToGrid(setTempo(j.session, 165), 't0-1', j.counted, ['t0-1', 't1-1'], {
      by: 'beats',
    })
    // The released one is transposed, so that its samples are made too.
    const before = transpose(releaseClip(both, 't1-1'), 't1-1', { semitones: 2 })
    const after = setTempoIn(before, 48, 54, 120, 'stay in seconds')
    const keys = (s: Session, track: number, beats?: readonly [number, number]): string[] => {
      const found = (id: string) => j.found[Number(id.slice(1))]?.transients ?? []
      const plan = planSession(s, found, { quality: 'fine', tracks: [`t${track}`] })
      const [from, to] = beats?.map((b) => Math.round(beatToSeconds(s.tempo, b) * JIG_RATE)) ?? []
      return piecesIn(plan, from ?? plan.start, to ?? plan.end).map((p) => p.key)
    }
    expect(keys(after, 1)).toEqual(keys(before, 1))
    expect(keys(after, 0, [0, 46])).toEqual(keys(before, 0, [0, 46]))
    const [changed, was] = [after, before].map((s) => new Set(keys(s, 0, [49, 53])))
    expect(changed!.size).toBeGreaterThan(3)
    expect([...changed!].filter((key) => was!.has(key))).toEqual([])
  })

  it('drift is charted bar by bar, and the most useful next point is where it is worst', () => {
    const held = { ...AS_FOUND, range: null, held: 333, one: samples(j.truth.beats[0]!.time * JIG_RATE) }
    const c = countBeats(
      { beats: [], beatsPerBar: 6, beatUnit: 8 },
      { ...held, beatsPerBar: 6, beatUnit: 8 },
      { from: 0, to: 30 * JIG_RATE },
      JIG_RATE,
    )
    const heard = new Map(j.truth.beats.map((b, n) => [n, b.time * JIG_RATE]))
    const origin = c.beats.find((b) => b.n === 0)!.source / JIG_RATE
    const drift = driftByBar(
      c,
      heard,
      (n) => origin + (n * 60) / 333,
      (s) => s / JIG_RATE,
    )
    const worst = worstBar(drift, 0.01)!
    const truth = (bar: number): number =>
      j.truth.beats[6 * (bar - 1) + 2]!.time - origin - ((6 * (bar - 1) + 2) * 60) / 333
    expect(Math.abs(worst.off - truth(worst.bar))).toBeLessThan(0.05)
    expect(drift.every((d) => Math.abs(d.off) <= Math.abs(worst.off))).toBe(true)
    expect(worstBar(drift, 100)).toBeUndefined()
    const onAttacks = heardBeats(
      c,
      j.truth.tracks[0]!.onsets.map((o) => ({ at: o.time * JIG_RATE, strength: 1 })),
      JIG_RATE,
    )
    expect(onAttacks.get(0)).toBeCloseTo(j.truth.tracks[0]!.onsets[0]!.time * JIG_RATE, 0)
  })
})

/** A session at 100 BPM with one clip of so many seconds. */
function loopSession(length: number, bpm = 100): Session {
  const recording = {
    id: 'r',
    name: 'r',
    sampleRate: 44100,
    channels: 1,
    length: samples(length * 44100),
    coding: '',
  }
  return addTrack(setTempo(newSession('s', 's', 44100), bpm), recording, newTrack('t', recording))
}

describe('fitting and trimming', () => {
  it('a loop becomes exactly as long as asked, and follows the tempo', () => {
    const s = loopSession(8.8)
    expect(lengthInBeats(s, 't-1')).toBeCloseTo(14.667, 3)
    const fitted = fitToLength(s, 't-1', 16)
    expect(lengthInBeats(fitted, 't-1')).toBeCloseTo(16, 4)
    expect(lengthInBeats(setTempo(fitted, 71), 't-1')).toBeCloseTo(16, 4)
    expect(lengthInBeats(fitToLength(fitted, 't-1', 8), 't-1')).toBeCloseTo(8, 4)
    expect(() => fitToLength(s, 't-1', 200)).toThrow(/times as long/)
    expect(() => fitToLength(s, 't-1', -1)).toThrow(/times as long/)
    expect(lengthInBeats(trimEnd(s, 't-1', 8.4 * 44100), 't-1')).toBeCloseTo(14, 3)
    expect(() => trimEnd(s, 't-1', 0)).toThrow(/later end/)
  })
})

describe('the tempo map', () => {
  it('a range keeps what follows at its own tempo, and in its place when asked', () => {
    const s = loopSession(30)
    const faster = setTempoIn(s, 8, 16, 150, 'stay in seconds')
    expect(barTempos(faster, 0, 24).map((b) => b.bpm)).toEqual(
      [100, 100, 150, 150, 100, 100].map((v) => expect.closeTo(v, 6)),
    )
    const at = (x: Session): number => {
      const { clip, recording } = findClip(x, 't-1')!
      return mapOf(x, clip, recording)[0]!.target
    }
    const moved = keepingSeconds(s, s.tempo, 6)
    expect(at(setTempoIn(moved, 2, 6, 50, 'stay in seconds'))).toBe(6 * 44100)
    expect(at(setTempoIn(moved, 2, 6, 50, 'stay on their beats'))).toBeGreaterThan(8 * 44100)
    expect(() => setTempoIn(s, 0, 4, 5, 'stay in seconds')).toThrow(/outside 10 to 999/)
  })

  it('what is edited in a held range moves nothing outside it', () => {
    const s = rampTempo(loopSession(30), 20, 28, 100, 120, 'stay on their beats')
    const held = { from: 8, to: 24 }
    const edits: ((x: Session) => Session)[] = [
      (x) => setTempoIn(x, 12, 16, 130, 'stay on their beats', held),
      (x) => setTempoIn(x, 8, 12, 70, 'stay on their beats', held),
      (x) => rampTempo(x, 8, 24, 90, 140, 'stay on their beats', held),
      (x) => rampTempo(x, 12, 20, 95, 110, 'stay on their beats', held),
    ]
    const outside = [0, 3, 8, 24, 26, 28, 40]
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...edits), { minLength: 1, maxLength: 4 }), (some) => {
        const edited = some.reduce((x, edit) => edit(x), s)
        for (const b of outside)
          expect(beatToSeconds(edited.tempo, b)).toBeCloseTo(beatToSeconds(s.tempo, b), 5)
      }),
    )
    const bars = barTempos(edits[0]!(s), 8, 20).map((b) => b.bpm)
    expect(bars[1]).toBeCloseTo(130, 6)
    expect(bars[0]).toBeCloseTo(bars[2]!, 6)
    expect(bars[0]).toBeLessThan(100)
    // A ramp over all of it keeps its proportion.
    const ramp = edits[2]!(s).tempo
    expect(bpmAt(ramp, 24 - 1e-5) / bpmAt(ramp, 8)).toBeCloseTo(140 / 90, 4)
    expect(() => setTempoIn(s, 8, 24, 130, 'stay on their beats', held)).toThrow(/their average, 101.\d+ BPM/)
    expect(() => setTempoIn(s, 4, null, 130, 'stay on their beats', held)).toThrow(/their average/)
    // No end is the end of what may change; the average moves nothing.
    const onwards = setTempoIn(s, 16, null, 90, 'stay on their beats', held).tempo
    expect(bpmAt(onwards, 20)).toBeCloseTo(90, 6)
    expect(beatToSeconds(onwards, 40)).toBeCloseTo(beatToSeconds(s.tempo, 40), 5)
    const even = setTempoIn(s, 8, 24, averageTempo(s.tempo, 8, 24), 'stay on their beats', held).tempo
    expect(beatToSeconds(even, 40)).toBeCloseTo(beatToSeconds(s.tempo, 40), 5)
    expect(() => setTempoIn(s, 4, 12, 130, 'stay on their beats', held)).toThrow(/outside the bars/)
    expect(() => setTempoIn(s, 12, 20, 20, 'stay on their beats', held)).toThrow(/cannot make up/)
  })

  it('a ramp takes as long as the integral of its tempo says, both ways', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 40, max: 200, noNaN: true }),
        fc.double({ min: 40, max: 200, noNaN: true }),
        fc.double({ min: 0, max: 40, noNaN: true }),
        (a, b, beat) => {
          const s = rampTempo(loopSession(10), 8, 24, a, b, 'stay on their beats')
          // Midpoint sums of 60 / bpm.
          let sum: number = beatToSeconds(s.tempo, Math.min(beat, 8))
          const n = 2000
          const end = Math.min(24, Math.max(8, beat))
          for (let k = 0; k < n; k++) {
            const x = 8 + ((k + 0.5) * (end - 8)) / n
            sum += (((end - 8) / n) * 60) / (a + ((b - a) * (x - 8)) / 16)
          }
          if (beat > 24) sum += ((beat - 24) * 60) / b
          return Math.abs(sum - beatToSeconds(s.tempo, beat)) < 1e-4
        },
      ),
    )
    const s = rampTempo(loopSession(10), 8, 24, 71, 76, 'stay on their beats')
    expect(averageTempo(s.tempo, 8, 24)).toBeGreaterThan(71)
    expect(averageTempo(s.tempo, 8, 24)).toBeLessThan(76)
    // Cutting into a ramp leaves what lies before it as it was.
    const cut = setTempoIn(s, 16, null, 90, 'stay on their beats')
    expect(beatToSeconds(cut.tempo, 16)).toBeCloseTo(beatToSeconds(s.tempo, 16), 3)
  })

  it('meters change at any bar, for a range or for good', () => {
    const s = setMeterIn(loopSession(10), 2, 4, 3, 4)
    expect([0, 1, 2, 3, 4, 5].map((i) => barAt(s.meter, i).length)).toEqual([4, 4, 3, 3, 4, 4])
    expect(setMeterIn(s, 2, 4, 4, 4).meter).toHaveLength(1)
    expect(() => setMeterIn(s, 0, null, 4, 3)).toThrow(/lower number/)
  })

  it('what a person says about beats is kept with the clip, and older documents get none', () => {
    const s = setCount(loopSession(10), 't-1', { ...AS_FOUND, held: 97, one: samples(441) })
    expect(findClip(parseSession(JSON.parse(JSON.stringify(s))), 't-1')!.clip.count).toEqual(
      findClip(s, 't-1')!.clip.count,
    )
    const { count: _none, ...older } = findClip(s, 't-1')!.clip
    const document = { ...s, tracks: [{ ...s.tracks[0]!, clips: [older] }] }
    expect(findClip(parseSession(JSON.parse(JSON.stringify(document))), 't-1')!.clip.count).toBeNull()
  })
})
