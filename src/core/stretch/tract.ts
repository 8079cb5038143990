// Periods of a voice cut out without breaking its tract's resonances: of what linear prediction leaves, sounded through it after.
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
/** The same where resonances are found between pulses, which harmonics draw to them much less. */
const WIDTH_FOUND = 0.2
/** Pitches at which they are: lower harmonics lie close enough to tell them, and of higher ones too few are left; Hz. */
const LOWEST = [80, 100] as const
const HIGHEST = [250, 350] as const
/** From here on up they go over into those of the prediction, shares of the highest frequency found; and where both are made alike. */
const PARTING = [0.73, 0.93] as const
const ALIKE_FROM = 0.5
/** What has less than the first share of its power beside its first harmonic is a tone, on which resonances would stand; -30 and -22 dB. */
const BESIDE = [0.001, 0.006] as const
/** Spectra have a bin every so many Hz, about. */
const BIN = 24
/** The tract rings on for this long after a period, seconds, the latter half of it fading. */
const RING = 0.02
/** Silence around a period, for reading between its samples. */
const PAD = 64

/** Cuts out one period after the other; what it gives changes with the next. */
export interface PeriodCutter {
  /**
   * The period, of every channel, with silence around it.
   *
   * Index `middle` is the place it was cut out around, and `length` samples from index `from` on are all of it.
   */
  readonly channels: readonly Float32Array[]
  readonly middle: number
  readonly from: number
  readonly length: number
  /**
   * Cuts out what sounds around a place, fading to the places of its neighbours.
   *
   * @param channels planar samples; @param place index, fractional; @param left, right distances of the neighbours
   * @param ratio by which it will be set down more often than it came
   */
  cut(channels: readonly Float32Array[], place: number, left: number, right: number, ratio: number): void
  /**
   * What each channel's samples add up to beyond what the recording's do.
   *
   * Pulses set down less often have a harmonic below the recording's first, where the recording has nothing that they
   * could be cut out of. A constant part of every pulse gives it; it is to be taken away again when they are set down.
   */
  readonly lifts: Float64Array
  /** Mean power of the period repeated every so many samples, all channels together, without what `lifts` tells of. */
  powerEvery(distance: number): number
}

/** How far the resonances of a voice are found between its pulses, 0-1. @param pitch Hz */
const foundAt = (pitch: number): number => {
  const way = (from: number, to: number): number =>
    Math.min(1, Math.max(0, Math.log(pitch / from) / Math.log(to / from)))
  return way(...LOWEST) * (1 - way(...HIGHEST))
}

/** Longest that a period's cut may be, samples, for neighbours at most `longest` away. */
export const cutLength = (rate: number, longest: number): number =>
  2 * longest + Math.ceil(RING * rate) + 2 * PAD

/**
 * Opens a cutter.
 *
 * All channels share the tract. Its order has two coefficients for every kilohertz, as there is about one resonance in
 * each, and two for the pulse.
 *
 * Sources: J. Makhoul, "Linear prediction: a tutorial review", Proc. IEEE 63(4), 1975 (autocorrelation method);
 * Y. Tohkura, F. Itakura & S. Hashimoto, "Spectral smoothing technique in PARCOR speech analysis-synthesis", IEEE
 * Trans. ASSP 26(6), 1978 (lag window).
 *
 * @param rate Hz; @param count channels; @param longest distance of a neighbour, samples
 */
export function periodCutter(rate: number, count: number, longest: number): PeriodCutter {
  const order = 2 * Math.round(rate / 2000) + 2
  const [lifts, constants] = [new Float64Array(count), new Float64Array(count)]
  const [fading, firstHarmonic] = [new Float64Array(2 * longest + 2), new Float64Array(2 * longest + 2)]
  const ring = Math.ceil(RING * rate)
  const size = cutLength(rate, longest)
  const most = Math.max(PERIODS * longest, Math.ceil(LEAST * rate)) + order + 8
  const { run, floats, doubles } = workspace(
    (2 + count) * most + 3 * size + count * size + 8 * order + 64,
    9 + 2 * count,
  )
  const pieces = Array.from({ length: count }, () => floats(most))
  const window = floats(most)
  const correlation = floats(order + 1)
  const input = floats(2 * longest + order + 8)
  const [a, turned, pulse] = [doubles(order + 1), doubles(order), doubles(order + size)]
  const before = new Float64Array(order + 1)
  const channels = Array.from({ length: count }, () => floats(size))
  const fade = Float32Array.from(
    { length: ring >> 1 },
    (_, i) => 0.5 - 0.5 * Math.cos((Math.PI * i) / (ring >> 1)),
  )
  let [middle, length, windowLength] = [0, 0, 0]
  const resonances = resonanceFinder(rate, count, longest)
  const bins = nextPowerOfTwo(rate / BIN)
  const fft = realFft(bins)
  const [time, spectrum] = [new Float32Array(bins), new Float32Array(bins)]
  const powers = new Float64Array(bins / 2)
  const binOf = (share: number): number => Math.round((share * resonances.highest * bins) / rate)
  const [partsFrom, alikeFrom] = [binOf(PARTING[0]), binOf(ALIKE_FROM)]
  const low = new Float64Array(binOf(PARTING[1]))

  /** The prediction of what has that correlation. @param narrow least width of its resonances, radians a sample */
  const predict = (narrow: number): void => {
    for (let k = 1; k <= order; k++) correlation[k]! *= Math.exp(-0.5 * (narrow * k) ** 2)
    // Levinson and Durbin's recursion.
    let error = correlation[0]! * (1 + FLOOR) + 1e-12
    a.fill(0)
    a[0] = 1
    for (let m = 1; m <= order; m++) {
      let sum = 0
      for (let k = 0; k < m; k++) sum += a[k]! * correlation[m - k]!
      const reflection = -sum / error
      before.set(a)
      for (let k = 1; k <= m; k++) a[k]! += reflection * before[m - k]!
      error *= 1 - reflection * reflection
    }
  }

  /** The correlation of what has the prediction's powers above, and those of the resonances below. @param share of these */
  const findPowers = (share: number): void => {
    time.fill(0)
    for (let k = 0; k <= order; k++) time[k] = a[k]!
    fft.forward(time, spectrum)
    const powerAt = (i: number): number =>
      1 / (spectrum[2 * i]! ** 2 + (i && spectrum[2 * i + 1]!) ** 2 + 1e-12)
    for (let i = 0; i < powers.length; i++) powers[i] = powerAt(i)
    for (let i = 0; i < low.length; i++) low[i] = Math.log(resonances.powerAt((2 * Math.PI * i) / bins))
    let louder = 0
    for (let i = alikeFrom; i < low.length; i++)
      louder += (Math.log(powers[i]!) - low[i]!) / (low.length - alikeFrom)
    for (let i = 0; i < low.length; i++) {
      const w = share * Math.min(1, (low.length - i) / (low.length - partsFrom))
      powers[i] = Math.exp((1 - w) * Math.log(powers[i]!) + w * (low[i]! + louder))
    }
    spectrum.fill(0)
    spectrum[0] = powers[0]!
    for (let i = 1; i < powers.length; i++) spectrum[2 * i] = powers[i]!
    fft.inverseUnscaled(spectrum, time)
    correlation.set(time.subarray(0, order + 1))
  }

  /** How much there is beside a first harmonic, 0-1. @param n samples of `windowed`; @param period samples */
  const fullness = (n: number, period: number): number => {
    let [first, all] = [0, 0]
    const [c, s] = [Math.cos((2 * Math.PI) / period), Math.sin((2 * Math.PI) / period)]
    for (const x of pieces) {
      let [re, im] = [0, 0]
      let [p, q] = [1, 0]
      for (let i = 0; i < n; i++) {
        re += x[i]! * p
        im += x[i]! * q
        ;[p, q] = [p * c - q * s, p * s + q * c]
      }
      first += re * re + im * im
      all += run.energy(x.byteOffset, n)
    }
    // Of a tone under a Hann window three times the square of its spectrum's peak over the length is the energy.
    const beside = 1 - (3 * first) / (n * all)
    return Math.min(1, Math.max(0, Math.log(beside / BESIDE[0]) / Math.log(BESIDE[1] / BESIDE[0])))
  }

  const findTract = (voice: readonly Float32Array[], place: number, period: number): void => {
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
      run.correlate(piece.byteOffset, piece.byteOffset, n, order + 1, correlation.byteOffset)
    })
    predict((2 * Math.PI * WIDTH) / period)
    const wanted = foundAt(rate / period) * fullness(n, period)
    const found = wanted && wanted * resonances.find(voice, place, period)
    if (found > 0) {
      findPowers(found)
      predict((2 * Math.PI * WIDTH_FOUND) / period)
    }
    for (let k = 1; k <= order; k++) turned[order - k] = a[k]!
  }

  /** What the prediction leaves of a frequency, as a factor. @param turn radians a sample */
  const leftOf = (turn: number): number => {
    let [re, im] = [0, 0]
    for (let k = 0; k <= order; k++) {
      re += a[k]! * Math.cos(k * turn)
      im += a[k]! * Math.sin(k * turn)
    }
    return Math.hypot(re, im)
  }

  return {
    channels,
    lifts,
    from: PAD,
    get middle() {
      return middle
    },
    get length() {
      return length
    },
    cut(voice, place, left, right, ratio) {
      findTract(voice, place, (left + right) / 2)
      const from = Math.ceil(place - left)
      const n = Math.floor(place + right) - from + 1
      length = n + ring
      middle = PAD + place - from
      // A source falls by 6 dB an octave, so this many times the first harmonic would stand at 0 Hz for the one between.
      const wanted = 1 + 1 / ratio
      const still = a.reduce((sum, v) => sum + v, 0)
      // The recording tells nothing of the tract at 0 Hz: it is not taken to be louder there than at the first harmonic.
      const trust = ratio < 1 ? Math.min(1, Math.abs(still) / leftOf((4 * Math.PI) / (left + right))) : 0
      for (let i = 0; i < n; i++) {
        const d = from + i - place
        const cosine = Math.cos((Math.PI * d) / (d < 0 ? left : right))
        fading[i] = 0.5 + 0.5 * cosine
        firstHarmonic[i] = 2 * cosine * cosine - 1
      }
      voice.forEach((x, c) => {
        copyRange(x, from - order, from + n, input.fill(0))
        pulse.fill(0)
        const begin = pulse.byteOffset + 8 * order
        run.predictionError(input.byteOffset + 4 * order, a.byteOffset, order, begin, n)
        let [constant, harmonic] = [0, 0]
        for (let i = 0; i < n; i++) {
          const v = pulse[order + i]! * fading[i]!
          pulse[order + i] = v
          constant += v
          harmonic += v * firstHarmonic[i]!
        }
        const lift = trust * (wanted * harmonic - constant)
        for (let i = 0; i < n; i++) pulse[order + i]! += ((2 * lift) / (left + right)) * fading[i]!
        lifts[c] = trust && lift / still
        constants[c] = constant / still
        pulse[order + n] = 0
        run.undoPrediction(begin, turned.byteOffset, order, length)
        const out = channels[c]!.fill(0)
        out.set(pulse.subarray(order, order + length), PAD)
        for (let i = 0; i < fade.length; i++) out[PAD + length - 1 - i]! *= fade[i]!
      })
    },
    powerEvery(distance) {
      let power = 0
      for (const x of channels)
        for (let m = 0, lag = 0; lag < length; lag = Math.round(++m * distance)) {
          const at = x.byteOffset + 4 * PAD
          // What lies after the period is silence.
          const product = run.dot(at, at + 4 * lag, length - lag)
          power += m ? 2 * product : product
        }
      // The constant that is taken away again has no power.
      let sum = power / distance
      lifts.forEach((lift, c) => (sum -= (lift * (lift + 2 * constants[c]!)) / distance ** 2))
      return Math.max(0, sum)
    },
  }
}
