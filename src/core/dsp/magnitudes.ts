// Magnitudes of spectra.
import type { Kernels } from './kernels/kernels'

/**
 * Magnitudes of several packed spectra taken together by power: sqrt of their mean power in each bin.
 *
 * @param run loops of the workspace that all arrays lie in
 * @param spectra each of `size` packed floats; @param magnitudes receives size/2 + 1 values
 * @returns the sum of their squares
 */
export function meanMagnitudes(
  run: Kernels,
  spectra: readonly Float32Array[],
  magnitudes: Float32Array,
): number {
  magnitudes.fill(0)
  const half = spectra[0]!.length / 2
  for (const s of spectra) run.addPowers(s.byteOffset, magnitudes.byteOffset, half)
  return run.roots(magnitudes.byteOffset, 1 / spectra.length, half + 1)
}

/**
 * Magnitudes of a packed spectrum.
 *
 * @param spectrum `size` packed floats; @param magnitudes receives size/2 + 1 values
 */
export function magnitudes(spectrum: Float32Array, magnitudes: Float32Array): Float32Array {
  const half = spectrum.length / 2
  magnitudes[0] = Math.abs(spectrum[0]!)
  magnitudes[half] = Math.abs(spectrum[1]!)
  for (let k = 1; k < half; k++) {
    const re = spectrum[2 * k]!
    const im = spectrum[2 * k + 1]!
    magnitudes[k] = Math.sqrt(re * re + im * im)
  }
  return magnitudes
}
