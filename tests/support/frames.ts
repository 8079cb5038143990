// Short-time spectra of windowed frames.
import { realFft } from '../../src/core/dsp/fft'
import { copyRange } from '../../src/core/dsp/signal'
import { hann } from '../../src/core/dsp/windows'

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
export function frameReader(size: number): FrameReader {
  const fft = realFft(size)
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
