// Windows for analysis, synthesis and filter design.

/**
 * Periodic Hann window: 0.5 - 0.5 cos(2πn/N).
 * Source: F. J. Harris, "On the use of windows for harmonic analysis with the DFT", Proc. IEEE 66(1), 1978.
 */
export function hann(size: number): Float32Array {
  const w = new Float32Array(size)
  for (let i = 0; i < size; i++) w[i] = 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / size)
  return w
}

/** Zeroth-order modified Bessel function of the first kind (power series; Abramowitz & Stegun 9.6.12). */
export function besselI0(x: number): number {
  let sum = 1
  let term = 1
  const q = (x * x) / 4
  for (let k = 1; term > sum * 1e-17; k++) {
    term *= q / (k * k)
    sum += term
  }
  return sum
}

/**
 * Shape parameter of a Kaiser window for a stop-band attenuation.
 *
 * @param attenuation dB, above 50
 * Source: J. F. Kaiser, "Nonrecursive digital filter design using the I0-sinh window function", 1974.
 */
export const kaiserBeta = (attenuation: number): number => 0.1102 * (attenuation - 8.7)

/**
 * Half-cosine ramp from 0 to 1 over [0, 1]; a ramp and its mirror sum to 1 (equal gain, for like signals).
 */
export const fadeIn = (x: number): number => (x <= 0 ? 0 : x >= 1 ? 1 : 0.5 - 0.5 * Math.cos(Math.PI * x))
