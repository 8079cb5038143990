// A recording looked over, lowered and measured in pieces: the same as at once, to the last bit.
import { describe, expect, it } from 'vitest'
import { noise, sine, struck } from '../../../tests/support/signals'
import { framePieces, framesIn, joinFrames } from './frames'
import { onsetStrength } from './onset-strength'
import { pitchCandidates } from './pitch/candidates'
import { splitFrames } from './progress'
import { joined } from '../dsp/signal'
import { channelSource, mainSource, pieceSources, readLowered } from './source'
import { blockEnergies, survey, surveyBlocks, surveyFrom } from './survey'

const RATE = 44100
const stereo = (rate: number): Float32Array[] => {
  const [left, right] = struck(7, 6, rate, 2).channels
  return [left!, right!.map((v, i) => 0.8 * v + 0.01 * Math.sin(i))]
}

describe('a survey', () => {
  it('in pieces is that of the whole', () => {
    const channels = stereo(RATE)
    const whole = survey(channels, RATE)
    const length = channels[0]!.length
    for (const count of [1, 2, 7, 200]) {
      const parts = splitFrames(surveyBlocks(length, RATE), count).map((r) =>
        blockEnergies(channels, RATE, r),
      )
      expect(surveyFrom(joined(parts), 2, length, RATE)).toEqual(whole)
    }
  })

  it('tells the loudest channel, what cancels, and how loud the loud parts are', () => {
    const x = sine(220, 3, RATE, 0.5)
    const half = x.map((v, i) => (i < x.length / 2 ? v : 0))
    const inverted = x.map((v) => -v)
    expect(survey([half, x], RATE)).toMatchObject({ loudest: 1, cancels: false })
    expect(survey([x, inverted], RATE).cancels).toBe(true)
    expect(survey([x, noise(3, RATE, 0.5)], RATE).cancels).toBe(false)
    // A sine's root mean square is its amplitude over the root of two; half a recording of silence changes nothing.
    for (const channels of [[x], [half], [x, x]])
      expect(survey(channels, RATE).loudness).toBeCloseTo(0.5 / Math.SQRT2, 3)
    expect(survey([new Float32Array(0)], RATE)).toEqual({ loudest: 0, cancels: false, loudness: 0 })
  })
})

describe('frames in pieces', () => {
  for (const rate of [8000, RATE, 96000])
    it(`are those of the whole at ${rate} Hz, in whatever order`, () => {
      const channels = stereo(rate)
      const seen = survey(channels, rate)
      const curve = onsetStrength(channels, rate)
      const candidates = pitchCandidates(mainSource(channels, rate))
      for (const count of [1, 3, 8]) {
        const pieces = framePieces(channels, rate, count)
        const backwards = [...pieces].reverse().map((p) => framesIn(channels, rate, p, seen))
        expect(joinFrames(backwards.reverse())).toEqual({ curve, candidates })
      }
    })

  it('are made of the loudest channel where the mean would cancel', () => {
    const x = sine(220, 2, RATE)
    const channels = [x, x.map((v) => -0.9 * v)]
    const [piece] = framePieces(channels, RATE, 1)
    const made = framesIn(channels, RATE, piece!, survey(channels, RATE)).candidates
    expect(made).toEqual(pitchCandidates(mainSource([x], RATE)))
  })
})

describe('a piece of a recording', () => {
  it('reads as the whole does, wherever it is begun, and zero outside', () => {
    const channels = stereo(RATE)
    const [all, main] = [channelSource(channels, RATE), mainSource(channels, RATE)]
    const seen = survey(channels, RATE)
    const read = (source: typeof all, from: number): Float32Array => {
      const out = new Float32Array(700).fill(9)
      source.copy(source.channelCount - 1, from, out)
      return out
    }
    for (const first of [-300, 0, 40001]) {
      const piece = pieceSources(channels, RATE, 1, seen)
      for (let from = first; from < first + 70000; from += 501) {
        expect(read(piece.all, from)).toEqual(read(all, from))
        // A little before and long after what was read last.
        for (const at of [from - 90, from + 60000]) expect(read(piece.main, at)).toEqual(read(main, at))
      }
    }
  })

  it('lies alike in shared memory, at odd places too', () => {
    const x = noise(1, RATE)
    const shared = new Float32Array(new SharedArrayBuffer(4 * (x.length + 1))).subarray(1)
    shared.set(x)
    for (const times of [0, 1, 2])
      for (const from of [-50, 0, 1, 1234, 9001])
        expect(readLowered(shared, from, 5000, times)).toEqual(readLowered(x, from, 5000, times))
  })
})
