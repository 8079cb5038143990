// Which of two bands a partial follows where they part.
import { describe, expect, it } from 'vitest'
import type { Layer } from './layer'
import { followEachOther } from './turns'

const RATE = 48000
const CUTOFF = 1500

/** A layer whose partials lie at some frequencies, Hz, and turn by some angles. */
function layerOf(size: number, partials: readonly (readonly [hz: number, angle: number])[]): Layer {
  const bins = partials.map(([hz]) => Math.round((hz * size) / RATE))
  const turns = {
    count: bins.length,
    peaks: Int32Array.from(bins),
    ends: Int32Array.from(bins, (b, i) => (i + 1 < bins.length ? (b + bins[i + 1]!) >> 1 : size / 2)),
    by: Float32Array.from(partials.flatMap(([, angle]) => [Math.cos(angle), Math.sin(angle)])),
  }
  return { size, hop: size / 4, turns } as Layer
}

const angles = ({ turns }: Layer): number[] =>
  Array.from(turns.peaks, (_, p) => Math.atan2(turns.by[2 * p + 1]!, turns.by[2 * p]!))

describe('a partial where two bands part', () => {
  it('turns in both as in the band that has more of it, and elsewhere as it does by itself', () => {
    const low = layerOf(4096, [
      [600, 0.1],
      [1400, 0.2],
      [1600, 0.3],
      [2500, 0.4],
    ])
    const high = layerOf(2048, [
      [600, -0.1],
      [1400, -0.2],
      [1600, -0.3],
      [2500, -0.4],
    ])
    followEachOther(low, high, CUTOFF, RATE)
    ;[0.1, 0.2, -0.3, 0.4].forEach((a, i) => expect(angles(low)[i]).toBeCloseTo(a, 6))
    ;[-0.1, 0.2, -0.3, -0.4].forEach((a, i) => expect(angles(high)[i]).toBeCloseTo(a, 6))
  })

  it('is on the side that the longer frames tell, though the shorter ones tell the other', () => {
    // A bin of the shorter frames is 23 Hz wide.
    const low = layerOf(4096, [[1490, 0.5]])
    const high = layerOf(2048, [[1505, -0.5]])
    followEachOther(low, high, CUTOFF, RATE)
    expect(angles(high)[0]).toBeCloseTo(0.5, 6)
    expect(angles(low)[0]).toBeCloseTo(0.5, 6)
  })

  it('is left alone where one of the bands is silent', () => {
    const low = layerOf(4096, [[1490, 0.5]])
    followEachOther(low, layerOf(2048, []), CUTOFF, RATE)
    expect(angles(low)[0]).toBeCloseTo(0.5, 6)
  })
})
