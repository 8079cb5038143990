// A bank of overlapping triangular filters at equal steps of log frequency.
import type { Workspace } from './kernels/kernels'

/** Triangular bands, flat in memory: band b weighs the bins from first[b] with weights[start[b] .. start[b + 1]). */
export interface FilterBank {
  readonly count: number
  readonly first: Int32Array
  readonly start: Int32Array
  readonly weights: Float32Array
  /** Centre of each band, Hz. */
  readonly centres: Float32Array
}

/**
 * Triangular filters at `perOctave` centres an octave between two frequencies; centres that fall on the same
 * bin are merged, so low bands are as fine as the transform allows.
 *
 * @param size transform size; @param sampleRate Hz; @param low, high limits, Hz
 * Source: S. Böck & G. Widmer, "Maximum filter vibrato suppression for onset detection", DAFx 2013 (24 an octave).
 */
export function logFilterBank(
  size: number,
  sampleRate: number,
  perOctave = 24,
  low = 30,
  high = 17000,
): FilterBank {
  const top = Math.min(high, sampleRate / 2)
  const bins: number[] = []
  for (let f = low, i = 0; f <= top; i++, f = low * 2 ** (i / perOctave)) {
    const bin = Math.round((f * size) / sampleRate)
    if (bin > 0 && bin < size / 2 && bin !== bins[bins.length - 1]) bins.push(bin)
  }
  const count = Math.max(0, bins.length - 2)
  const first = new Int32Array(count)
  const start = new Int32Array(count + 1)
  const centres = new Float32Array(count)
  const weights: number[] = []
  for (let i = 0; i < count; i++) {
    const [a, b, c] = [bins[i]!, bins[i + 1]!, bins[i + 2]!]
    first[i] = a + 1
    centres[i] = (b * sampleRate) / size
    for (let k = a + 1; k < c; k++) weights.push(k <= b ? (k - a) / (b - a) : (c - k) / (c - b))
    start[i + 1] = weights.length
  }
  return { count, first, start, weights: Float32Array.from(weights), centres }
}

/**
 * Puts a bank into a workspace that magnitudes and sums lie in, too.
 *
 * @returns weighted sums of magnitudes in each band; `out` receives `count` values
 */
export function bankIn(
  space: Workspace,
  bank: FilterBank,
): (magnitudes: Float32Array, out: Float32Array) => void {
  const first = space.ints(bank.first).byteOffset
  const start = space.ints(bank.start).byteOffset
  const weights = space.floats(bank.weights.length)
  weights.set(bank.weights)
  return (magnitudes, out) =>
    space.run.bands(first, start, weights.byteOffset, bank.count, magnitudes.byteOffset, out.byteOffset)
}

/** Floats that a bank takes in a workspace. */
export const bankRoom = (bank: FilterBank): number => 2 * bank.count + 1 + bank.weights.length
