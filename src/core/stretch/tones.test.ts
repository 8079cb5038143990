import { describe, expect, it } from 'vitest'
import { Part } from './sorting'
import { toldBeside, toldParts, type Tones } from './tones'

const RATE = 44100
/** Frames of 4,096 samples: a bin is 10.77 Hz. */
const tones: Tones = {
  size: 4096,
  ends: Float32Array.from([3, 8, 14, 400, 2048]),
  parts: Uint8Array.from([Part.RAISED, Part.SAME, Part.RINGS, Part.SAME, Part.RAISED]),
  hz: Float32Array.from([0, 55, 110, 1000, 9000]),
}

describe('of a low tone frames of full length tell', () => {
  const toldOf = (peaks: readonly number[], size: number, own: number): number[] => [
    ...toldParts(tones, Int32Array.from(peaks), size, new Uint8Array(peaks.length).fill(own)),
  ]

  it('what becomes of it', () => {
    expect(toldOf([1, 2, 3, 5], 2048, Part.RINGS)).toEqual([Part.RAISED, Part.SAME, Part.SAME, Part.RINGS])
    expect(toldOf([2], 1024, Part.RAISED)).toEqual([Part.RINGS])
  })

  it('nothing of what becomes of higher ones', () => {
    expect(toldOf([6, 100, 1000], 2048, Part.RINGS)).toEqual([Part.RINGS, Part.RINGS, Part.RINGS])
  })

  it('where beside its bin it lies', () => {
    // 55 Hz are 2.554 bins of 21.53 Hz.
    expect(toldBeside(tones, 3, 2048, RATE)).toBeCloseTo(-0.446, 3)
    expect(toldBeside(tones, 2, 2048, RATE)).toBeCloseTo(0.554, 3)
  })

  it('nothing where it is raised, does not ring on by that, or is not low', () => {
    expect(toldBeside(tones, 1, 2048, RATE)).toBeUndefined()
    expect(toldBeside(tones, 5, 2048, RATE)).toBeUndefined()
    expect(toldBeside(tones, 6, 2048, RATE)).toBeUndefined()
  })
})
