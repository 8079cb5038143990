// The low resonances of a voice, told by how it rings between its pulses: its harmonics lie too far apart to tell them.
import { workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import { hann } from '../dsp/windows'
import { latest } from '../latest'
import { periodWeights } from './period-weights'

/** Rate that resonances are told at, Hz, about: half of it holds those of vowels. */
const RATE = 11025
/** Share of that half which is left when samples are dropped. */
const PASSED = 0.9
/** Taps on one side of the filter before that, samples of that rate. */
const REACH = 10
/** The upper resonances of a voice are soft: this much of the sample before is taken away from each. */
const EMPHASIS = 0.97
/** What is looked at: periods, and seconds at least. */
const PERIODS = 3
const LEAST = 0.02
/** How often the prediction is made with other weights. */
const ROUNDS = 2
/** What the prediction leaves of a frequency is taken to be this share of its mean power at least: sums are no more exact. */
const LEAST_POWER = 1e-9
/**
 * What is foreseen but for this share of its power is no voice, but few steady harmonics that resonances would stand on;
 * of the greater share it is, whose pulses nothing could foresee. -50 and -40 dB.
 */
const FORESEEN = [1e-5, 1e-4] as const
/** Where what is left of a period is this much alike everywhere it has no pulses, as one of strings, bars and choirs: 0.5 and 1.5 dB. */
const UNLIKE = [1.12, 1.41] as const
/** Where it is this much less alike it is struck: 8 and 10.5 dB. */
const STRUCK = [6.3, 11.2] as const
/** Share of the mean power that is added to it so that there is always a solution, of the first prediction and of later ones. */
const LOADING = [1e-6, 1e-4] as const

export interface Resonances {
  /**
   * Finds the resonances around a place.
   *
   * @param voice planar samples, which share them; @param place index; @param period samples
   * @returns how far it is to be trusted, 0-1; nothing is found where it is 0, as in silence
   */
  find(voice: readonly Float32Array[], place: number, period: number): number
  /** It looks at every so many samples. */
  readonly apart: number
  /**
   * Power of what was found at frequencies, but for a factor.
   *
   * @param cosines of what they turn by in `apart` samples; @param powers is filled, as long
   */
  powersAt(cosines: Float64Array, powers: Float64Array): void
  /** Above this frequency it says nothing, Hz. */
  readonly highest: number
  /** How far what was found last was struck by pulses, which leave nothing but how it rings; of 0 what moves it is as long as the period. */
  readonly struck: number
}

/**
 * Opens a finder of resonances.
 *
 * Linear prediction by least squares makes resonances stand on harmonics, as it takes their pulses for something that it
 * should have foreseen. It is done again, with every sample weighed by the inverse of the power that was left of its place
 * in the period: pulses and what leads up to them count for little then, and what rings between them decides. That is the
 * likeliest prediction where what cannot be foreseen is noise whose power comes again with every period.
 *
 * Sources: M. Airaksinen, T. Raitio, B. Story & P. Alku, "Quasi closed phase glottal inverse filtering analysis with
 * weighted linear prediction", IEEE/ACM Trans. ASLP 22(3), 2014 (weights by the place in the period; theirs are given, here
 * they are found); C.-H. Lee, "On robust linear prediction of speech", IEEE Trans. ASSP 36(5), 1988 (weighing again).
 *
 * @param rate Hz; @param count channels; @param longest period, samples
 */
export const resonanceFinder = (rate: number, count: number, longest: number): Resonances =>
  kept.of(`${rate} ${count} ${longest}`, () => makeFinder(rate, count, longest))

/** What was found is asked for before anything else is, so that all may use the same finder. */
const kept = latest<string, Resonances>(2)

function makeFinder(rate: number, count: number, longest: number): Resonances {
  const apart = Math.max(1, Math.round(rate / RATE))
  const order = 2 * Math.round(rate / apart / 2000) + 2
  const reach = REACH * apart
  const most = Math.ceil(Math.max(PERIODS * longest, LEAST * rate) / apart) + 1
  const [rawLength, tapCount] = [(most + order + 1) * apart + 2 * reach + 1, 2 * reach + 1]
  const length = most + order + 1
  const { run, floats, doubles } = workspace(
    rawLength + tapCount + (order + count + 4) * length + 3 * (order + 1),
    order + count + 8,
  )
  const [raw, taps] = [floats(rawLength), floats(tapCount)]
  for (let i = -reach; i <= reach; i++) {
    const x = (Math.PI * PASSED * i) / apart
    const w = 0.5 + 0.5 * Math.cos((Math.PI * i) / (reach + 1))
    taps[i + reach] = ((i === 0 ? 1 : Math.sin(x) / x) * w * PASSED) / apart
  }
  const low = Array.from({ length: count }, () => floats(length))
  /** Of samples so far apart, all channels together. */
  const products = Array.from({ length: order + 1 }, () => floats(length))
  const [weights, left] = [floats(most), doubles(most + 1)]
  const found = floats(order + 1)
  /** Sums of products of samples so far apart, for every pair of them; the first row is of the sample that is predicted. */
  const sums = Array.from({ length: order + 1 }, () => new Float64Array(order + 1))
  const [a, own] = [doubles(order + 1), new Float64Array(order + 1)]
  const squares = new Float64Array(most)
  const weigh = periodWeights()
  let window = hann(1)
  let struck = 0

  /** Reads n samples and the `order` before them at the low rate, emphasized. */
  const readLow = (x: Float32Array, first: number, n: number, y: Float32Array): void => {
    copyRange(x, first - reach, first - reach + (n + order) * apart + tapCount, raw.fill(0))
    let before = 0
    for (let i = 0; i <= n + order; i++) {
      const v = run.dot(raw.byteOffset + 4 * i * apart, taps.byteOffset, tapCount)
      if (i > 0) y[i - 1] = v - EMPHASIS * before
      before = v
    }
  }

  const findProducts = (n: number): void =>
    products.forEach((product, far) => {
      product.fill(0)
      for (const y of low)
        run.addProduct(y.byteOffset + 4 * far, y.byteOffset, product.byteOffset + 4 * far, n + order - far)
    })

  const predict = (n: number, loading: number): boolean => {
    products.forEach((product, far) => {
      found.fill(0)
      const lags = order + 1 - far
      run.correlate(weights.byteOffset, product.byteOffset + 4 * far, n, lags, found.byteOffset)
      for (let j = 0; j < lags; j++) sums[j]![j + far] = found[lags - 1 - j]!
    })
    return solve(sums, loading, a)
  }

  /** Squares of what the prediction leaves, of all channels together. */
  const findLeft = (n: number): void => {
    squares.fill(0, 0, n)
    for (const y of low) {
      run.predictionError(y.byteOffset + 4 * order, a.byteOffset, order, left.byteOffset, n)
      for (let i = 0; i < n; i++) squares[i]! += left[i]! * left[i]!
    }
  }

  /** @param c cosine of what a frequency turns by; @param left power that the prediction leaves of it */
  const powerOf = (c: number, left: number): number =>
    1 / (Math.max(LEAST_POWER * own[0]!, left) * (1 + EMPHASIS ** 2 - 2 * EMPHASIS * c))

  return {
    highest: (rate / apart / 2) * PASSED,
    get struck() {
      return struck
    },
    find(voice, place, period) {
      const n = Math.min(most, Math.round(Math.max(PERIODS * period, LEAST * rate) / apart))
      if (window.length !== n) window = hann(n)
      const first = Math.round(place) - ((n * apart) >> 1) - (order + 1) * apart
      voice.forEach((x, c) => readLow(x, first, n, low[c]!))
      findProducts(n)
      weights.set(window)
      if (!predict(n, LOADING[0])) return 0
      findLeft(n)
      let [heard, unforeseen] = [0, 0]
      for (let i = 0; i < n; i++) unforeseen += window[i]! * squares[i]!
      for (const y of low) for (let i = 0; i < n; i++) heard += window[i]! * y[i + order]! * y[i + order]!
      const share = Math.log(unforeseen / heard / FORESEEN[0]) / Math.log(FORESEEN[1] / FORESEEN[0])
      if (!(share > 0)) return 0
      let unlike = 1
      for (let round = 0; round < ROUNDS; round++) {
        if (round) findLeft(n)
        unlike = weigh(squares, window, n, period / apart, weights)
        if (!predict(n, LOADING[1])) return 0
      }
      struck = Math.min(1, Math.max(0, Math.log(unlike / STRUCK[0]) / Math.log(STRUCK[1] / STRUCK[0])))
      for (let k = 0; k <= order; k++) {
        let sum = 0
        for (let j = 0; j + k <= order; j++) sum += a[j]! * a[j + k]!
        own[k] = sum
      }
      return Math.min(1, share) * Math.min(1, Math.max(0, (unlike - UNLIKE[0]) / (UNLIKE[1] - UNLIKE[0])))
    },
    apart,
    powersAt(cosines, powers) {
      // Clenshaw's recurrence for the sum of cosines that is the power of what the prediction leaves, of two at once.
      for (let i = 0; i < powers.length; i += 2) {
        const [c1, c2] = [cosines[i]!, cosines[Math.min(i + 1, powers.length - 1)]!]
        let [p1, q1, p2, q2] = [0, 0, 0, 0]
        for (let k = order; k > 0; k--) {
          const twice = 2 * own[k]!
          const next1 = 2 * c1 * p1 + twice - q1
          const next2 = 2 * c2 * p2 + twice - q2
          q1 = p1
          p1 = next1
          q2 = p2
          p2 = next2
        }
        powers[i] = powerOf(c1, own[0]! + c1 * p1 - q1)
        // What lies after the end is not kept.
        powers[i + 1] = powerOf(c2, own[0]! + c2 * p2 - q2)
      }
    },
  }
}

/**
 * Coefficients of the prediction that leaves least, by Cholesky's decomposition.
 *
 * @param sums upper triangle of sums of products, the first row with the predicted sample; its lower triangle is written to
 * @param loading share of the mean power that is added to each; @param a filled with 1 and the coefficients; @returns false when there is no solution
 */
function solve(sums: readonly Float64Array[], loading: number, a: Float64Array): boolean {
  const order = a.length - 1
  let power = 0
  for (let j = 1; j <= order; j++) power += sums[j]![j]! / order
  for (let j = 1; j <= order; j++) {
    const row = sums[j]!
    let square = row[j]! + loading * power
    for (let k = 1; k < j; k++) square -= row[k]! ** 2
    if (!(square > 0)) return false
    const root = Math.sqrt(square)
    for (let i = j + 1; i <= order; i++) {
      const lower = sums[i]!
      let v = row[i]!
      for (let k = 1; k < j; k++) v -= lower[k]! * row[k]!
      lower[j] = v / root
    }
    row[j] = root
    // Forward substitution, in the first column.
    let v = -sums[0]![j]!
    for (let k = 1; k < j; k++) v -= row[k]! * sums[k]![0]!
    row[0] = v / root
  }
  a[0] = 1
  for (let i = order; i > 0; i--) {
    let v = sums[i]![0]!
    for (let k = i + 1; k <= order; k++) v -= sums[k]![i]! * a[k]!
    a[i] = v / sums[i]![i]!
  }
  return true
}
