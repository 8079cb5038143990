// The mix: gains, fades at a clip's edges, waiting for pieces; any range is that part of the whole.
import { describe, expect, it } from 'vitest'
import { noise } from '../../../tests/support/signals'
import { mixRange } from './mix'
import type { Piece, Plan, PlannedClip } from './plan'

const LENGTH = 3000
const sound = noise(0.1, 44100, 0.5, 4).subarray(0, LENGTH)
const piece = (key: string): Piece => ({ key, span: { length: LENGTH / 2 } }) as Piece

/** One clip of two pieces from sample 500 on. */
const clip = (fadeIn: number, fadeOut: number, gain = 1): PlannedClip => ({
  clipId: 'c',
  gain,
  pan: 0,
  start: 500,
  end: 500 + LENGTH,
  fadeIn,
  fadeOut,
  placed: [0, 1].map((i) => ({
    piece: piece(`p${i}`),
    at: 500 + (i * LENGTH) / 2,
    firstChannel: 0,
    channels: 1,
  })),
})
const planOf = (...clips: PlannedClip[]): Plan => ({
  sampleRate: 44100,
  start: 0,
  end: 4000,
  channels: 1,
  clips,
})
const pieces = (p: Piece): Float32Array[] => [p.key === 'p0' ? sound.subarray(0, 1500) : sound.subarray(1500)]
const mixed = (plan: Plan, from: number, to: number): Float32Array => mixRange(plan, pieces, from, to)![0]!

describe('a mix', () => {
  it.each([
    [0, 0],
    [400, 0],
    [0, 700],
    [400, 700],
    // Longer together than the clip: both act where they meet.
    [2500, 2000],
  ])(
    'fades in over %i and out over %i samples by raised cosines, and is untouched between',
    (fadeIn, fadeOut) => {
      const out = mixed(planOf(clip(fadeIn, fadeOut)), 0, 4000)
      const cosine = (x: number): number => (x >= 1 ? 1 : 0.5 - 0.5 * Math.cos(Math.PI * x))
      for (let n = 0; n < 4000; n++) {
        const i = n - 500
        const inside = i >= 0 && i < LENGTH
        const gain = (fadeIn ? cosine(i / fadeIn) : 1) * (fadeOut ? cosine((LENGTH - i) / fadeOut) : 1)
        expect(out[n]).toBeCloseTo(inside ? gain * sound[i]! : 0, 6)
        if (inside && i >= fadeIn && LENGTH - i >= fadeOut) expect(out[n]).toBe(sound[i])
      }
    },
  )

  it('is the same in any range', () => {
    const plan = planOf(clip(400, 700, 0.7), clip(0, 300, 1.2))
    const whole = mixed(plan, 0, 4000)
    for (const [from, to] of [
      [0, 510],
      [800, 2100],
      [1999, 2001],
      [2700, 3600],
    ] as const)
      expect(mixed(plan, from, to)).toEqual(whole.slice(from, to))
  })

  it('waits until every piece that sounds in the range is there', () => {
    const first = (p: Piece): Float32Array[] | undefined => (p.key === 'p0' ? pieces(p) : undefined)
    expect(mixRange(planOf(clip(0, 0)), first, 0, 2000)).toBeDefined()
    expect(mixRange(planOf(clip(0, 0)), first, 0, 2001)).toBeUndefined()
  })
})
