// Frames of a recording with their spectral envelope warped along frequency.
import { workspaceAgain } from '../dsp/kernels/kernels'
import { realFft } from '../dsp/fft'
import { frameReader, meanMagnitudes } from '../dsp/stft'
import { hann } from '../dsp/windows'

/** Most that a bin is raised or lowered, nepers (43 dB). */
const LIMIT = 5

/** A frame with its envelope warped. */
export interface WarpedFrame {
  /** What the envelope at f is that of f times this. */
  readonly factor: number
  /** Planar samples under the window; overlapped by three quarters they add up to a signal. */
  readonly channels: readonly Float32Array[]
  /** What its samples should have together under the squared window. */
  readonly power: number
}

/** Warps one frame at a time; all channels share their gains. */
export interface FrameWarper {
  /** Reads the frame that begins at a sample of planar signals, silent outside. @returns magnitudes of all together */
  read(sounds: readonly Float32Array[], at: number): Float32Array
  /**
   * Warps the frame that was read last, which keeps its level.
   *
   * @param envelope log envelope of its magnitudes, size/2 + 1 values; the one at f becomes what it is at f * factor
   */
  warp(envelope: Float32Array, factor: number): WarpedFrame
}

const roomFor = workspaceAgain()

/** A warper, which is good until the next one is made. @param size of its frames */
export function frameWarper(channels: number, size: number): FrameWarper {
  const half = size / 2
  const reader = frameReader(size)
  const fft = realFft(size)
  const window = hann(size)
  const space = roomFor((channels + 2) * size + 8, channels + 2)
  const { run } = space
  const spectra = Array.from({ length: channels }, () => space.floats(size))
  const mags = space.floats(half + 1)
  const gains = space.floats(size)
  return {
    read(sounds, at) {
      sounds.forEach((x, c) => reader.read(x, at, spectra[c]!))
      meanMagnitudes(run, spectra, mags)
      return mags
    },
    warp(envelope, factor) {
      for (let k = 0; k < half; k++) {
        const place = k * factor
        const lower = Math.min(half - 1, Math.floor(place))
        const [a, b] = [envelope[lower]!, envelope[lower + 1]!]
        const wanted = a + Math.min(1, place - lower) * (b - a) - envelope[k]!
        gains[2 * k] = gains[2 * k + 1] = Math.exp(Math.max(-LIMIT, Math.min(LIMIT, wanted)))
      }
      let [before, after] = [1e-20, 1e-20]
      // At 0 Hz and at half the rate, which stand once in a spectrum and all others twice.
      let ends = 0
      for (const s of spectra) {
        ends += s[0]! ** 2 + s[1]! ** 2
        before += run.energy(s.byteOffset, size)
        run.multiply(s.byteOffset, gains.byteOffset, s.byteOffset, size)
        after += run.energy(s.byteOffset, size)
      }
      const level = Math.sqrt(before / after) / 1.5
      const warped = spectra.map((s) => {
        const frame = new Float32Array(size)
        fft.inverse(s, frame)
        for (let i = 0; i < size; i++) frame[i]! *= window[i]! * level
        return frame
      })
      return { factor, channels: warped, power: (2 * before - ends) / size }
    },
  }
}
