// The time axis: zoom holds the place under the pointer, and the music never leaves the screen.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { clampAxis, fitAxis, toSecond, toX, zoomAxis, type Axis } from './axis'

const axes: fc.Arbitrary<Axis> = fc.record({
  start: fc.double({ min: -100, max: 600, noNaN: true }),
  perPixel: fc.double({ min: 1e-4, max: 1, noNaN: true }),
})
const extent = { from: -0.5, to: 240 }

describe('the axis', () => {
  it('goes from seconds to pixels and back', () => {
    fc.assert(
      fc.property(axes, fc.double({ min: 0, max: 2000, noNaN: true }), (a, x) => {
        expect(toX(a, toSecond(a, x))).toBeCloseTo(x, 4)
      }),
    )
  })

  it('zooms around the pointer', () => {
    fc.assert(
      fc.property(
        axes,
        fc.double({ min: 0.2, max: 5, noNaN: true }),
        fc.integer({ min: 0, max: 1000 }),
        (a, factor, x) => {
          expect(toSecond(zoomAxis(a, factor, x), x)).toBeCloseTo(toSecond(a, x), 6)
        },
      ),
    )
  })

  it('never zooms closer than half a sample a pixel', () => {
    expect(zoomAxis({ start: 0, perPixel: 1e-4 }, 1e-9, 0).perPixel).toBeCloseTo(1 / 88200, 12)
  })

  it('always shows some of the music and never more than a margin beside it', () => {
    fc.assert(
      fc.property(axes, fc.integer({ min: 300, max: 2560 }), (a, width) => {
        const c = clampAxis(a, width, extent)
        const margin = 0.03 * width * c.perPixel + 1e-6
        expect(c.start).toBeGreaterThanOrEqual(extent.from - margin)
        expect(toSecond(c, width)).toBeLessThanOrEqual(extent.to + margin)
      }),
    )
    const fit = fitAxis(extent, 1000)
    expect(toX(fit, extent.from)).toBeCloseTo(30, 6)
    expect(toX(fit, extent.to)).toBeCloseTo(970, 6)
  })
})
