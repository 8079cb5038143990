import { describe, expect, it } from 'vitest'
import { Part } from './sorting'
import { toldBeside, toldPart, type Tones } from './tones'

const RATE = 44100
/** Frames of 4,096 samples: a bin is 10.77 Hz. */
const tones: Tones = {
  size: 4096,
  ends: Float32Array.from([3, 8, 14, 400, 2048]),
  parts: Uint8Array.from([Part.RAISED, Part.SAME, Part.RINGS, Part.SAME, Part.RAISED]),
  hz: Float32Array.from([0, 55, 110, 1000, 9000]),
}

describe('of a low tone frames of full length tell', () => {
  it('what becomes of it', () => {
    expect(toldPart(tones, 1, 2048, Part.RINGS)).toBe(Part.RAISED)
    expect(toldPart(tones, 3, 2048, Part.RAISED)).toBe(Part.SAME)
    expect(toldPart(tones, 2, 1024, Part.RAISED)).toBe(Part.RINGS)
  })

  it('nothing of what becomes of higher ones', () => {
    expect(toldPart(tones, 6, 2048, Part.RAISED)).toBe(Part.RAISED)
    expect(toldPart(tones, 100, 2048, Part.RINGS)).toBe(Part.RINGS)
  })

  it('where beside its bin it lies', () => {
    // 55 Hz are 2.554 bins of 21.53 Hz.
    expect(toldBeside(tones, 3, 2048, RATE)).toBeCloseTo(-0.446, 3)
    expect(toldBeside(tones, 2, 2048, RATE)).toBeCloseTo(0.554, 3)
    expect(toldBeside(tones, 5, 4096, RATE)).toBeCloseTo(0.108, 3)
  })

  it('nothing where it is raised, another one, or not low', () => {
    expect(toldBeside(tones, 1, 2048, RATE)).toBeUndefined()
    expect(toldBeside(tones, 5, 2048, RATE)).toBeUndefined()
    expect(toldBeside(tones, 7, 4096, RATE)).toBeUndefined()
    expect(toldBeside(tones, 3, 8192, RATE)).toBeUndefined()
  })
})
