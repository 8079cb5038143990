// Short-time spectra: windowed frames and their magnitudes.
import { copyRange } from './signal'
import { realFft, type RealFft } from './fft'
import type { Kernels } from './kernels/kernels'
import { hann } from './windows'

/** A framed transform that reads any place of a signal, zero outside it. */
export interface FrameReader {
  readonly size: number
  /**
   * Packed spectrum of the Hann-windowed frame that starts at `from`.
   *
   * @param signal samples; @param from first sample of the frame, may lie outside; @param spectrum receives `size` floats
   */
  read(signal: Float32Array, from: number, spectrum: Float32Array): void
}

/** A frame reader of one size (a size `realFft` supports). */
export function frameReader(size: number, fft: RealFft = realFft(size)): FrameReader {
  const window = hann(size)
  const frame = new Float32Array(size)
  return {
    size,
    read(signal, from, spectrum) {
      if (from < 0 || from + size > signal.length) {
        copyRange(signal, from, from + size, frame.fill(0))
        for (let i = 0; i < size; i++) frame[i]! *= window[i]!
      } else for (let i = 0; i < size; i++) frame[i] = signal[from + i]! * window[i]!
      fft.forward(frame, spectrum)
    },
  }
}

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
