// The highest frequencies in short windows: quiet cymbals begin there, over everything that sounds below.
import { fftSize, realFft } from '../dsp/fft'
import { workspaceAgain } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import { hann } from '../dsp/windows'

/** What counts as highest: above most of what strings and voices have, and below where files are cut off, Hz. */
const LOW = 11000
const HIGH = 20000
/** Short enough that one hit's ring is past when the next begins, seconds. */
const WINDOW_SECONDS = 0.0058
/** Power below which nothing sounds, of a full-scale sine. */
const SILENCE = 1e-10

const roomFor = workspaceAgain()

/**
 * A meter of the power from 11 to 20 kHz, all channels together.
 *
 * @param channels planar audio; @param sampleRate Hz
 * @returns natural log of power around a sample, full-scale sine about 0; the same everywhere below 32 kHz. It holds
 * until the next meter is made.
 */
export function brillianceMeter(
  channels: readonly Float32Array[],
  sampleRate: number,
): (around: number) => number {
  const nothing = Math.log(SILENCE)
  if (sampleRate < 32000) return () => nothing
  const length = channels[0]?.length ?? 0
  const size = fftSize(Math.round(WINDOW_SECONDS * sampleRate))
  const fft = realFft(size)
  const { run, floats } = roomFor(3 * size)
  const [window, windowed, spectrum] = [floats(size), floats(size), floats(size)]
  window.set(hann(size))
  const from = 2 * Math.ceil((LOW * size) / sampleRate)
  const to = 2 * Math.floor((Math.min(HIGH, 0.48 * sampleRate) * size) / sampleRate)
  const scale = 1 / (size * size * 0.09375)
  return (around) => {
    // A window that hangs over the end would hear the sound fall there.
    const start = Math.min(around - (size >> 1), Math.max(0, length - size))
    let power = 0
    for (const x of channels) {
      if (start >= 0 && start + size <= x.length) windowed.set(x.subarray(start, start + size))
      else copyRange(x, start, start + size, windowed.fill(0))
      run.multiply(windowed.byteOffset, window.byteOffset, windowed.byteOffset, size)
      fft.forward(windowed, spectrum)
      power += run.energy(spectrum.byteOffset + 4 * from, to - from)
    }
    return Math.log((power * scale) / channels.length + SILENCE)
  }
}

/** Frames on either side of a rise. */
const REACH = 3

/**
 * Rise of the highest frequencies before every frame: mean of its 15 ms against the 15 ms before, natural log of power.
 */
export function brillianceRise(top: Float32Array): Float32Array {
  const out = new Float32Array(top.length)
  for (let f = REACH; f + REACH <= top.length; f++) {
    let sum = 0
    for (let i = 0; i < REACH; i++) sum += top[f + i]! - top[f - 1 - i]!
    out[f] = sum / REACH
  }
  return out
}
