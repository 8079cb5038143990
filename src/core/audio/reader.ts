// Band-limited reading of whole signals at any speed.
import { realFft } from '../dsp/fft'
import { workspace, type Workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import { latest } from '../latest'
import { kaiser, makeSinc, sinc, type Sinc } from './sinc'

/** Length of the filter that limits the band, input samples. */
const WINDOW = 512
/** Samples transformed at a time. */
const SIZE = 2048
/** Steps above this many input samples take longer filters, so that as much is kept of what is left of the band. */
const WIDE = 4
/** Filters are so many times as long at most. */
const MOST_TIMES = 64
/** Output samples made at a time, as far as they read this far on. */
const BLOCK = 1024
const STRIDE = SIZE - WINDOW
/**
 * What is read between samples has twice the rate, so a short kernel will do: it passes half its band and stops from
 * one and a half on.
 */
const HALF = 8
const BETWEEN = 120
const PHASES = 1024

/** How far down the filter keeps what must not be heard, dB. */
const ATTENUATION = 110
/** Width of the band in which it falls off, as a share of the Nyquist frequency (Kaiser 1974, for a window of that length). */
const transitionOf = (length: number): number => (ATTENUATION - 7.95) / (2.285 * length * Math.PI)
const taper = kaiser(ATTENUATION)

/** A filter for a band, applied to spectra of `size` samples of which `hop` are new. */
interface Band {
  readonly size: number
  readonly hop: number
  readonly window: number
  /** Gains of a packed spectrum, both parts of a bin alike. */
  readonly gains: Float32Array
  /** Room to apply it: a frame, its spectrum at twice the rate, whose upper half stays 0, and what comes of that. */
  readonly frame: Float32Array
  readonly spectrum: Float32Array
  readonly made: Float32Array
}

function makeBand(step: number): Band {
  const times = Math.min(MOST_TIMES, 2 ** Math.ceil(Math.log2(Math.max(1, step / WIDE))))
  const [size, window] = [times * SIZE, times * WINDOW]
  // Everything falls off below the lower Nyquist frequency, so nothing folds back and no image is left. At steps of
  // thousands the longest filter is too short for that.
  const edge = 1 / Math.max(1, step)
  const cutoff = Math.max(edge / 2, edge - transitionOf(window) / 2)
  const filter = new Float32Array(size)
  for (let i = 1 - window / 2; i < window / 2; i++)
    filter[i < 0 ? i + size : i] = cutoff * sinc(cutoff * i) * taper((2 * i) / window)
  const gains = new Float32Array(size)
  realFft(size).forward(filter, gains)
  // The filter is even, so its spectrum is real; the inverse transform does not scale.
  gains[0] = gains[0]! / size
  gains[1] = 0
  for (let k = 2; k < size; k += 2) gains[k] = gains[k + 1] = gains[k]! / size
  const [spectrum, made] = [new Float32Array(2 * size), new Float32Array(2 * size)]
  return { size, hop: size - window, window, gains, frame: new Float32Array(size), spectrum, made }
}

/** Bands last made, by step: all steps up to 1 share one. */
const bands = latest<number, Band>(8)

const bandOf = (step: number): Band => {
  const key = Math.max(1, step)
  return bands.of(key, () => makeBand(key))
}

/** The kernel between samples of twice the rate, with room for two signals at a time. */
interface Between extends Sinc {
  readonly space: Workspace
  readonly inputs: readonly [Float32Array, Float32Array]
  readonly outputs: readonly [Float32Array, Float32Array]
}

let between: Between | undefined

function makeBetween(): Between {
  const taps = 2 * HALF
  const room = 2 * STRIDE + taps + 8
  const space = workspace((PHASES + 1) * taps + 2 * (room + BLOCK), 5)
  const two = (length: number) => [space.floats(length), space.floats(length)] as const
  return { ...makeSinc(1, HALF, PHASES, BETWEEN, space), space, inputs: two(room), outputs: two(BLOCK) }
}

/** Reads signals at fractional places. */
export interface Reader {
  /** First sample that is looked at to read from a place on. */
  from(place: number): number
  /** The one after the last that is looked at to read up to a place. */
  to(place: number): number
  /**
   * Reads at evenly spaced places.
   *
   * @param inputs planar; index i is sample `base + i`, and outside there is silence. What was looked at once has to
   *               stay as it was while reading goes on
   * @param start  place of the first output sample, in input samples
   * @param step   input samples an output sample
   * @param outs   receive as many samples as they have, all the same number
   */
  read(
    inputs: readonly Float32Array[],
    base: number,
    start: number,
    step: number,
    outs: readonly Float32Array[],
  ): void
}

/**
 * Opens a reader.
 *
 * The signals are brought to twice their rate block by block, by a linear-phase filter through the Fourier transform,
 * whose transition is 2.8 % of the band wide (at most a ninth of it at steps above 2) and ends at the lower Nyquist
 * frequency; in between a short windowed sinc reads. Blocks lie at fixed places, so what is read is the same however
 * it is divided into calls.
 *
 * @param channels how many signals are read together
 * @param band     largest step of reading; above 1 the band is narrowed against aliasing
 * @param origin   place from which on it will be read, in input samples: blocks are counted from there
 * Sources: A. V. Oppenheim, R. W. Schafer, "Discrete-Time Signal Processing", overlap-save; J. O. Smith, "Digital audio
 * resampling", CCRMA, Stanford (windowed-sinc interpolation).
 */
export function openReader(channels: number, band: number, origin: number): Reader {
  const { size, hop, window, gains, frame, spectrum, made } = bandOf(band)
  const fft = realFft(size)
  const twice = realFft(2 * size)
  const k = (between ??= makeBetween())
  /** The first input sample of block 0. */
  const zero = Math.floor(origin) - HALF / 2
  /** Twice the rate: blocks `first` to `first + count`, not included. */
  let doubled: Float32Array[] = Array.from({ length: channels }, () => new Float32Array(6 * hop))
  let [first, count] = [0, 0]

  const make = (inputs: readonly Float32Array[], base: number): void => {
    const from = zero + (first + count) * hop - window / 2 - base
    inputs.forEach((x, c) => {
      copyRange(x, from, from + size, frame.fill(0))
      fft.forward(frame, spectrum)
      for (let i = 0; i < size; i++) spectrum[i] = spectrum[i]! * gains[i]!
      twice.inverseUnscaled(spectrum, made)
      doubled[c]!.set(made.subarray(window, window + 2 * hop), 2 * count * hop)
    })
    count++
  }

  /** Makes the blocks from `a` to `b`, both included, available. */
  const reach = (inputs: readonly Float32Array[], base: number, a: number, b: number): void => {
    const gone = a - first
    if (gone < 0 || gone >= count) [first, count] = [a, 0]
    else if (gone > 0) {
      for (const x of doubled) x.copyWithin(0, 2 * gone * hop)
      first = a
      count -= gone
    }
    const room = 2 * (b - a + 1) * hop
    if (room > doubled[0]!.length)
      doubled = doubled.map((x) => copyRange(x, 0, x.length, new Float32Array(room)))
    while (first + count <= b) make(inputs, base)
  }

  /** Block of a sample at twice the rate. */
  const blockOf = (sample: number): number => Math.floor((sample - 2 * zero) / (2 * hop))
  const lowest = (place: number): number => Math.floor(2 * place) - HALF + 1
  return {
    from: (place) => zero + blockOf(lowest(place)) * hop - window / 2,
    to: (place) => zero + blockOf(lowest(place) + 2 * HALF + 1) * hop - window / 2 + size,
    read(inputs, base, start, step, outs) {
      const length = outs[0]?.length ?? 0
      const most = Math.max(1, Math.min(BLOCK, Math.floor(STRIDE / step)))
      for (let at = 0; at < length; at += most) {
        const n = Math.min(most, length - at)
        const place = 2 * (start + at * step)
        const low = Math.floor(place) - HALF + 1
        const high = low + Math.ceil(2 * (n - 1) * step) + k.taps + 1
        reach(inputs, base, blockOf(low), blockOf(high - 1))
        for (let c = 0; c < channels; c += 2) {
          const pair = k.inputs.slice(0, channels - c)
          const from = low - 2 * (zero + first * hop)
          pair.forEach((x, i) => copyRange(doubled[c + i]!, from, from + high - low, x))
          k.space.run.interpolate(
            k.inputs[0].byteOffset,
            k.rows.byteOffset,
            PHASES,
            k.taps,
            place - Math.floor(place),
            2 * step,
            k.outputs[0].byteOffset,
            n,
            pair.length > 1 ? k.inputs[1].byteOffset - k.inputs[0].byteOffset : 0,
            k.outputs[1].byteOffset - k.outputs[0].byteOffset,
          )
          pair.forEach((_, i) => outs[c + i]!.set(k.outputs[i]!.subarray(0, n), at))
        }
      }
    },
  }
}
