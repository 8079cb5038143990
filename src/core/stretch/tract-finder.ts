// The tract of a voice, by linear prediction.
import { nextPowerOfTwo, realFft } from '../dsp/fft'
import { workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import { resonanceFinder } from './resonances'

/** Length that the tract is found over: periods, and seconds at least. */
const PERIODS = 3
const LEAST = 0.02
/** Noise that keeps the prediction from emptying bands in which nothing sounds, share of the power. */
const FLOOR = 1e-4
/** Resonances are not sharper than this share of the pitch, so that none stands on a single harmonic. */
const WIDTH = 0.32
/** The same where resonances are found between pulses, which harmonics draw to them much less: widths of what is moved all through its periods, and struck. */
const FLOOR_FOUND = 1e-5
const WIDTH_FOUND = [0.25, 0.12] as const
/** So many more coefficients follow these, which are sharper than those of the prediction. */
const MORE = 20
/** Pitches at which they are: lower harmonics lie close enough to tell them, and of higher ones too few are left; Hz. */
const LOWEST = [80, 100] as const
const HIGHEST = [250, 350] as const
/** Where much sounds beside the first harmonic, so many times as high; and how much is, shares of the power (-10 and -3 dB). */
const HIGHER = 1.35
const MUCH_BESIDE = [0.1, 0.5] as const
/** What has less than the first share of its power beside its first harmonic is a tone, on which resonances would stand; -30 and -22 dB. */
const BESIDE = [0.001, 0.006] as const
/** From here on up they go over into those of the prediction, shares of the highest frequency found; and where both are made alike. */
const PARTING = [0.73, 0.93] as const
const ALIKE_FROM = 0.5
/** Below the first harmonic a voice may grow louder down to so many times lower. */
const BELOW = 1.5
/** Spectra have a bin every so many Hz, about. */
const BIN = 24

/** How far from one value to the other, 0-1, by ratios. */
const way = (value: number, from: number, to: number): number =>
  Math.min(1, Math.max(0, Math.log(value / from) / Math.log(to / from)))

/** How far the resonances of a voice are found between its pulses, 0-1. @param pitch Hz; @param beside share of its power beside its first harmonic */
const foundAt = (pitch: number, beside: number): number => {
  const highest = 1 - way(pitch / HIGHER ** way(beside, ...MUCH_BESIDE), ...HIGHEST)
  return way(pitch, ...LOWEST) * highest * way(beside, ...BESIDE)
}

/** Geometric mean of x over y from an index to the end of y. */
function meanRatio(x: Float64Array, y: Float64Array, from: number): number {
  let [sum, product] = [0, 1]
  for (let i = from; i < y.length; i++) {
    product *= x[i]! / y[i]!
    // One logarithm for several, whose product is far from the largest number there is.
    if (i % 8 && i < y.length - 1) continue
    sum += Math.log(product)
    product = 1
  }
  return Math.exp(sum / (y.length - from))
}

export interface TractFinder {
  /** Coefficients beside the first, at most. */
  readonly order: number
  /**
   * Finds the tract around a place.
   *
   * @param voice planar samples; @param place index; @param period samples
   * @returns coefficients of the prediction, the first 1; they change with the next
   */
  find(voice: readonly Float32Array[], place: number, period: number): Float64Array
}

/**
 * Opens a finder of tracts.
 *
 * All channels share the tract. It has two coefficients for every kilohertz, as there is about one resonance in each, and
 * two for the pulse; more where resonances are found between pulses.
 *
 * Sources: J. Makhoul, "Linear prediction: a tutorial review", Proc. IEEE 63(4), 1975 (autocorrelation method);
 * Y. Tohkura, F. Itakura & S. Hashimoto, "Spectral smoothing technique in PARCOR speech analysis-synthesis", IEEE
 * Trans. ASSP 26(6), 1978 (lag window).
 *
 * @param rate Hz; @param count channels; @param longest period, samples
 */
export function tractFinder(rate: number, count: number, longest: number): TractFinder {
  const plain = 2 * Math.round(rate / 2000) + 2
  const order = plain + MORE
  const most = Math.max(PERIODS * longest, Math.ceil(LEAST * rate)) + order + 8
  const { run, floats } = workspace((1 + count) * most + order + 1, 2 + count)
  const pieces = Array.from({ length: count }, () => floats(most))
  const window = floats(most)
  const correlation = floats(order + 1)
  const a = new Float64Array(order + 1)
  const plainly = a.subarray(0, plain + 1)
  let windowLength = 0
  const resonances = resonanceFinder(rate, count, longest)
  const bins = nextPowerOfTwo(rate / BIN)
  const fft = realFft(bins)
  const [time, spectrum] = [new Float32Array(bins), new Float32Array(bins)]
  const powers = new Float64Array(bins / 2)
  const binOf = (share: number): number => Math.round((share * resonances.highest * bins) / rate)
  const [partsFrom, alikeFrom] = [binOf(PARTING[0]), binOf(ALIKE_FROM)]
  const low = new Float64Array(binOf(PARTING[1]))
  const cosines = low.map((_, i) => Math.cos((2 * Math.PI * i * resonances.apart) / bins))

  /** The prediction of what has that correlation. @param order coefficients; @param narrow least width of its resonances, radians a sample; @param floor noise, share of the power */
  const predict = (order: number, narrow: number, floor: number): void => {
    for (let k = 1; k <= order; k++) correlation[k]! *= Math.exp(-0.5 * (narrow * k) ** 2)
    // Levinson and Durbin's recursion.
    let error = correlation[0]! * (1 + floor) + 1e-12
    a.fill(0)
    a[0] = 1
    for (let m = 1; m <= order; m++) {
      let sum = 0
      for (let k = 0; k < m; k++) sum += a[k]! * correlation[m - k]!
      const reflection = -sum / error
      // Both ends towards the middle, as each takes of the other.
      a[m] = reflection
      let [first, last] = [1, m - 1]
      for (; first < last; first++, last--) {
        const one = a[first]!
        const other = a[last]!
        a[first] = one + reflection * other
        a[last] = other + reflection * one
      }
      if (first === last) a[first]! += reflection * a[first]!
      error *= 1 - reflection * reflection
    }
  }

  /** The correlation of what has the prediction's powers above, and those of the resonances below. @param share of these */
  const findPowers = (share: number, period: number): void => {
    time.fill(0)
    for (let k = 0; k <= plain; k++) time[k] = a[k]!
    fft.forward(time, spectrum)
    // At 0 Hz there is no imaginary part.
    spectrum[1] = 0
    for (let i = 0; i < powers.length; i++)
      powers[i] = 1 / (spectrum[2 * i]! ** 2 + spectrum[2 * i + 1]! ** 2 + 1e-12)
    resonances.powersAt(cosines, low)
    // Below the first harmonic nothing tells of them: they are no louder there than a source is that falls by 6 dB an octave.
    // What is not struck by pulses falls as the prediction has it, where that is softer.
    const first = Math.min(low.length - 1, Math.round(bins / period))
    for (let i = 0; i < first; i++) {
      const rise = Math.min(BELOW, first / Math.max(1, i)) ** 2
      const fall = Math.min(1, powers[i]! / powers[first]! / rise) ** (1 - resonances.struck)
      low[i] = Math.min(low[i]!, low[first]! * rise * fall)
    }
    const louder = meanRatio(powers, low, alikeFrom)
    for (let i = 0; i < low.length; i++) {
      const w = share * Math.min(1, (low.length - i) / (low.length - partsFrom))
      const found = low[i]! * louder
      powers[i] = w === 1 ? found : powers[i]! * (found / powers[i]!) ** w
    }
    spectrum.fill(0)
    spectrum[0] = powers[0]!
    for (let i = 1; i < powers.length; i++) spectrum[2 * i] = powers[i]!
    fft.inverseUnscaled(spectrum, time)
    correlation.set(time.subarray(0, order + 1))
  }

  /** How much there is beside a first harmonic, share of the power. @param n samples of every piece; @param period samples */
  const fullness = (n: number, period: number): number => {
    let [first, all] = [0, 0]
    const [c, s] = [Math.cos((2 * Math.PI) / period), Math.sin((2 * Math.PI) / period)]
    for (const x of pieces) {
      let [re, im] = [0, 0]
      let [p, q] = [1, 0]
      for (let i = 0; i < n; i++) {
        re += x[i]! * p
        im += x[i]! * q
        const next = p * c - q * s
        q = p * s + q * c
        p = next
      }
      first += re * re + im * im
      all += run.energy(x.byteOffset, n)
    }
    // Of a tone under a Hann window three times the square of its spectrum's peak over the length is the energy.
    const beside = 1 - (3 * first) / (n * all)
    return Math.max(1e-9, beside)
  }

  return {
    order,
    find(voice, place, period) {
      const n = Math.round(Math.max(PERIODS * period, LEAST * rate))
      if (windowLength !== n)
        for (let i = 0; i < n; i++) window[i] = 0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / n)
      windowLength = n
      const from = Math.round(place) - (n >> 1)
      correlation.fill(0)
      voice.forEach((x, c) => {
        const piece = pieces[c]!.fill(0)
        copyRange(x, from, from + n, piece)
        run.multiply(piece.byteOffset, window.byteOffset, piece.byteOffset, n)
        run.correlate(piece.byteOffset, piece.byteOffset, n, plain + 1, correlation.byteOffset)
      })
      predict(plain, (2 * Math.PI * WIDTH) / period, FLOOR)
      const pitch = rate / period
      const wanted = foundAt(pitch, 1) && foundAt(pitch, fullness(n, period))
      const found = wanted && wanted * resonances.find(voice, place, period)
      if (!(found > 0)) return plainly
      findPowers(found, period)
      // What was predicted already has its width and noise: as little is found, as little is added, so that there is no step.
      const width = WIDTH_FOUND[0] + resonances.struck * (WIDTH_FOUND[1] - WIDTH_FOUND[0])
      predict(order, (2 * Math.PI * width * found) / period, FLOOR_FOUND * found)
      return a
    },
  }
}
