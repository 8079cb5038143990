// Frames of a recording with their spectral envelope warped along frequency.
import { workspaceAgain } from '../dsp/kernels/kernels'
import { realFft } from '../dsp/fft'
import { meanMagnitudes } from '../dsp/magnitudes'
import { hann } from '../dsp/windows'
import { envelopeMaker, envelopeRoom } from './envelope'

/** Frames that lie over each other. */
export const OVERLAP = 4
const OVERLAP_GAIN = 1 / 1.5
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

/** A hop of overlapped frames. */
export interface WarpedHop {
  /** Factors of its frames, the first frame's first. */
  readonly factors: readonly number[]
  /** Planar samples. */
  readonly channels: readonly Float32Array[]
  /** Their power under each hop of the squared window. */
  readonly parts: readonly number[]
  /** What the frame that begins with it should have under the squared window. */
  readonly power: number
}

/** Warps one frame at a time; all channels share their gains. */
export interface FrameWarper {
  /** Where the next frame's samples go, planar; they are not there any more when it is warped. */
  readonly frames: readonly Float32Array[]
  /**
   * Warps the frame, which keeps its level.
   *
   * @param hz its pitch, 0 where there is none; @param factor its envelope at f becomes what it is at f * factor
   */
  warp(hz: number, factor: number): WarpedFrame
  /** Adds frames a hop apart up, as far as the last one's first hop. @param frames four, the first one first */
  overlap(frames: readonly WarpedFrame[]): WarpedHop
}

const roomFor = workspaceAgain()

/** A warper, which is good until the next one is made. @param size of its frames; @param rate samples per second */
export function frameWarper(channels: number, size: number, rate: number): FrameWarper {
  const half = size / 2
  const hop = size / OVERLAP
  const fft = realFft(size)
  const [floats, arrays] = envelopeRoom(size)
  const space = roomFor((2 * channels + 5) * size + 8 + floats, 2 * channels + 6 + arrays)
  const { run } = space
  const [window, squared, gains] = [0, 1, 2].map(() => space.floats(size)) as [
    Float32Array,
    Float32Array,
    Float32Array,
  ]
  window.set(hann(size))
  run.multiply(window.byteOffset, window.byteOffset, squared.byteOffset, size)
  const planar = (): Float32Array[] => Array.from({ length: channels }, () => space.floats(size))
  const [frames, spectra] = [planar(), planar()]
  const mags = space.floats(half + 1)
  const envelopeOf = envelopeMaker(size, rate, space, mags)
  const [sum, added] = [space.floats(hop), space.floats(hop)]
  const windowed = (x: Float32Array): void =>
    run.multiply(x.byteOffset, window.byteOffset, x.byteOffset, size)
  return {
    frames,
    warp(hz, factor) {
      frames.forEach((x, c) => {
        windowed(x)
        fft.forward(x, spectra[c]!)
      })
      meanMagnitudes(run, spectra, mags)
      run.warpGains(envelopeOf(hz).byteOffset, factor, LIMIT, half, gains.byteOffset)
      let [before, after] = [1e-20, 1e-20]
      // At 0 Hz and at half the rate, which stand once in a spectrum and all others twice.
      let ends = 0
      for (const s of spectra) {
        ends += s[0]! ** 2 + s[1]! ** 2
        before += run.energy(s.byteOffset, size)
        run.multiply(s.byteOffset, gains.byteOffset, s.byteOffset, size)
        after += run.energy(s.byteOffset, size)
      }
      const level = (Math.sqrt(before / after) * OVERLAP_GAIN) / size
      const warped = spectra.map((s, c) => {
        const frame = frames[c]!
        fft.inverseUnscaled(s, frame)
        windowed(frame)
        run.ramp(frame.byteOffset, level, 0, size)
        return frame.slice()
      })
      return { factor, channels: warped, power: (2 * before - ends) / size }
    },
    overlap(frames) {
      const parts = new Array<number>(OVERLAP).fill(0)
      const last = frames[OVERLAP - 1]!
      const overlapped = last.channels.map((_, c) => {
        sum.fill(0)
        frames.forEach((frame, f) => {
          const from = (OVERLAP - 1 - f) * hop
          added.set(frame.channels[c]!.subarray(from, from + hop))
          run.accumulate(added.byteOffset, 1, sum.byteOffset, hop)
        })
        run.multiply(sum.byteOffset, sum.byteOffset, added.byteOffset, hop)
        for (let j = 0; j < OVERLAP; j++)
          parts[j]! += run.dot(added.byteOffset, squared.byteOffset + 4 * j * hop, hop)
        return sum.slice()
      })
      return { factors: frames.map((f) => f.factor), channels: overlapped, parts, power: last.power }
    },
  }
}
