// Frames read at a changing speed: a pitch that glides is a steady one there.

/** A way of reading a frame: of every sample to read, the first of four that it lies between, and their weights. */
export interface Warp {
  /** How fast a pitch rises that is steady then, octaves a second. */
  readonly speed: number
  /** Samples of the recording before the frame's first one, and how many in all. */
  readonly before: number
  readonly length: number
  readonly places: Int32Array
  readonly weights: Float32Array
}

/**
 * Reads a frame so that a pitch that rises by a constant rate is steady, and what it is in the frame's middle.
 *
 * A tone of the frequency f exp(c u) has turned by f (exp(c u) - 1) / c, which is a steady tone's f v where u = ln(1 + c v) / c.
 * Source: L. Weruaga & M. Képesi, "The fan-chirp transform for non-stationary harmonic signals", Signal Processing 87(6), 2007.
 *
 * @param speed octaves a second; 0 reads it as it is
 * @param rate samples of the recording per second
 * @param count samples to read; @param middle the one that stays where it is; @param step samples of the recording between them
 */
export function warpOf(speed: number, rate: number, count: number, middle: number, step = 1): Warp {
  const c = (speed * Math.LN2) / rate
  const at = Float64Array.from({ length: count }, (_, i) => {
    const v = step * (i - middle)
    return step * middle + (c === 0 ? v : Math.log1p(c * v) / c)
  })
  const before = 1 - Math.floor(Math.min(at[0]!, at[count - 1]!))
  const places = new Int32Array(count)
  const weights = new Float32Array(4 * count)
  at.forEach((t, i) => {
    const first = Math.floor(t)
    const u = t - first
    places[i] = before + first - 1
    // Lagrange's polynomial through four samples.
    weights[4 * i] = (-u * (u - 1) * (u - 2)) / 6
    weights[4 * i + 1] = ((u + 1) * (u - 1) * (u - 2)) / 2
    weights[4 * i + 2] = (-(u + 1) * u * (u - 2)) / 2
    weights[4 * i + 3] = ((u + 1) * u * (u - 1)) / 6
  })
  return { speed, before, length: Math.max(...places) + 4, places, weights }
}

/** Reads a frame. @param x `length` samples, `before` of them before the frame's first */
export function readWarped({ places, weights }: Warp, x: Float32Array, out: Float32Array): void {
  for (let i = 0, w = 0; i < places.length; i++, w += 4) {
    const p = places[i]!
    out[i] =
      weights[w]! * x[p]! +
      weights[w + 1]! * x[p + 1]! +
      weights[w + 2]! * x[p + 2]! +
      weights[w + 3]! * x[p + 3]!
  }
}
