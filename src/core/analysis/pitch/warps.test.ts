// Pitches that glide faster than a frame is short: read at a changing speed their waves repeat.
import { describe, expect, it } from 'vitest'
import { percentile } from '../../../../tests/support/measure'
import { voice } from '../../../../tests/support/voice'
import { materialOf, measure } from '../analyse'
import { mainSource } from '../source'
import { joinCandidates, pitchCandidates, pitchFrames } from './candidates'
import { pitchLine } from './find'
import { readWarped, warpOf } from './warps'

const RATE = 44100
const cents = (hz: number, truth: number): number => 1200 * Math.log2(hz / truth)

describe('a frame read as if it glided', () => {
  it.each([3, -3, 1.5])(
    'makes a tone that rises by %d octaves a second steady, with its pitch in the middle',
    (speed) => {
      const [count, middle, hz] = [1400, 400, 200]
      const warp = warpOf(speed, RATE, count, middle)
      const c = speed * Math.LN2
      const phase = (i: number): number => (2 * Math.PI * hz * Math.expm1((c * i) / RATE)) / c
      const x = Float32Array.from({ length: warp.length }, (_, i) =>
        Math.sin(phase(i - warp.before - middle)),
      )
      const y = new Float32Array(count)
      readWarped(warp, x, y)
      y.forEach((v, i) => expect(v).toBeCloseTo(Math.sin((2 * Math.PI * hz * (i - middle)) / RATE), 4))
    },
  )
})

/** Share of a voice's vowels in which its pitch line is more than 30 cents off, or has none; and its distance where it has, 95th percentile. */
function lost(hz: number, depth: number): { readonly share: number; readonly cents: number } {
  const { channels, vowels, pitchAt } = voice(hz, 1, depth, 0.6)
  const { f0, hop } = pitchLine(mainSource(channels, RATE))
  const off: number[] = []
  for (const { from, to } of vowels)
    for (let k = Math.ceil((from + 0.06) / hop); k * hop < to - 0.06; k++)
      off.push(f0[k]! > 0 ? Math.abs(cents(f0[k]!, pitchAt(k * hop - from))) : Infinity)
  return {
    share: off.filter((v) => v > 30).length / off.length,
    cents: percentile(off.filter(Number.isFinite), 0.95),
  }
}

describe('a voice with vibrato', () => {
  // Singers: 34 to 123 cents, 71 in the mean (E. Prame, "Vibrato extent and intonation in professional Western lyric singing", JASA 102(1), 1997; from memory).
  it.each([
    [75, 80],
    [75, 120],
    [95, 120],
    [110, 80],
    [150, 80],
    [150, 120],
    [220, 120],
  ])('of %d Hz ± %d cents keeps its pitch line throughout', (hz, depth) => {
    const { share, cents: off } = lost(hz, depth)
    expect(share).toBeLessThan(0.01)
    expect(off).toBeLessThan(hz > 150 ? 20 : 15)
  })

  it.each([
    [75, 80],
    [110, 80],
    [150, 80],
    [110, 120],
  ])('of %d Hz ± %d cents is suggested Line', (hz, depth) => {
    const { channels } = voice(hz, 1, depth, 0.8)
    expect(materialOf(channels, RATE, measure(channels, RATE)).suggested).toBe('line')
  })

  it('has the same candidates in parts', () => {
    const source = mainSource(voice(95, 1, 100, 0.6).channels, RATE)
    const frames = pitchFrames(source)
    const cuts = [0, 41, 42, 100, 171, frames]
    const parts = cuts.slice(1).map((to, i) => pitchCandidates(source, undefined, { from: cuts[i]!, to }))
    expect(joinCandidates(parts)).toEqual(pitchCandidates(source))
  })
})
