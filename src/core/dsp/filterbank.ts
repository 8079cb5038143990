// A bank of overlapping triangular filters at equal steps of log frequency.

/** One triangular band: weights for the magnitude bins from `first`. */
export interface Band {
  readonly first: number
  readonly weights: Float32Array
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
): Band[] {
  const top = Math.min(high, sampleRate / 2)
  const bins: number[] = []
  for (let f = low, i = 0; f <= top; i++, f = low * 2 ** (i / perOctave)) {
    const bin = Math.round((f * size) / sampleRate)
    if (bin > 0 && bin < size / 2 && bin !== bins[bins.length - 1]) bins.push(bin)
  }
  const bands: Band[] = []
  for (let i = 1; i + 1 < bins.length; i++) {
    const [a, b, c] = [bins[i - 1]!, bins[i]!, bins[i + 1]!]
    const weights = new Float32Array(c - a - 1)
    for (let k = a + 1; k < c; k++) weights[k - a - 1] = k <= b ? (k - a) / (b - a) : (c - k) / (c - b)
    bands.push({ first: a + 1, weights })
  }
  return bands
}

/** Weighted sums of magnitudes in each band. */
export function applyBank(bank: readonly Band[], magnitudes: Float32Array, out: Float32Array): Float32Array {
  bank.forEach((band, i) => {
    let sum = 0
    for (let k = 0; k < band.weights.length; k++) sum += band.weights[k]! * magnitudes[band.first + k]!
    out[i] = sum
  })
  return out
}
